import type { Logger } from 'pino';

export interface Loop {
  /** Lets the present round end, and starts no other. */
  stop(): Promise<void>;
  /** Begins the next round now: there is something to do. */
  wake(): void;
}

const AFTER_FAILURE_MS = 2000;

/**
 * Runs `round` again and again; it says how many milliseconds to wait, and is told when it should come to an end. A
 * failed round is logged and tried again.
 */
export function startLoop(log: Logger, name: string, round: (stopping: () => boolean) => Promise<number>): Loop {
  let stopped = false;
  let woken = false;
  let wake: (() => void) | undefined;
  const pause = (ms: number): Promise<void> =>
    new Promise((resolve) => {
      const timer = setTimeout(resolve, ms);
      wake = () => {
        clearTimeout(timer);
        resolve();
      };
    });
  const running = (async () => {
    while (!stopped) {
      const wait = await round(() => stopped).catch((error: Error) => {
        log.error({ err: error }, `${name} failed and will try again`);
        return AFTER_FAILURE_MS;
      });
      if (!stopped && !woken && wait > 0) await pause(wait);
      woken = false;
    }
  })();
  return {
    wake() {
      woken = true;
      wake?.();
    },
    async stop() {
      stopped = true;
      wake?.();
      await running;
    },
  };
}
