import { recordEvents, type IncomingEvent } from '../../operations/events/record-events.ts';
import { Problem } from '../../operations/problem.ts';
import type { Deps } from '../../operations/deps.ts';
import { makeRepeats } from './repeats.ts';

/** Events that wait at most; beyond, requests are turned away rather than kept in memory. */
const MOST_WAITING = 20_000;
/** Events of one commit at most. */
const BATCH = 500;

export interface EventRecorder {
  /** Resolves once the event is committed, or left out as one of too many repeats. @throws Problem too-busy */
  record(event: IncomingEvent): Promise<void>;
  waiting(): number;
  /** Repeats that were left out, since the start. */
  leftOut(): number;
  /** Resolves when everything that was taken in is committed. */
  drain(): Promise<void>;
}

interface Waiting {
  event: IncomingEvent;
  resolve: () => void;
  reject: (error: unknown) => void;
}

/**
 * Writes events in micro-batches: while one commit is under way the next batch gathers, so that many requests share a
 * commit and each is answered only after its own. No timer: the first event after a pause is written at once.
 */
export function makeEventRecorder(deps: Deps): EventRecorder {
  const queue: Waiting[] = [];
  const repeats = makeRepeats();
  let writing: Promise<void> | undefined;
  const writeAll = async (): Promise<void> => {
    while (queue.length > 0) await writeBatch(deps, queue.splice(0, BATCH));
  };
  const start = (): Promise<void> => (writing ??= writeAll().finally(() => (writing = undefined)));
  return {
    record(event) {
      if (!repeats.isRecorded(event)) return Promise.resolve();
      if (queue.length >= MOST_WAITING)
        return Promise.reject(new Problem('too-busy', `${queue.length} events wait to be written.`));
      return new Promise((resolve, reject) => {
        queue.push({ event, resolve, reject });
        void start();
      });
    },
    waiting: () => queue.length,
    leftOut: () => repeats.leftOut(),
    async drain() {
      while (writing || queue.length > 0) await start();
    },
  };
}

async function writeBatch(deps: Deps, batch: Waiting[]): Promise<void> {
  try {
    await recordEvents(
      deps,
      batch.map(({ event }) => event),
    );
    for (const { resolve } of batch) resolve();
  } catch (error) {
    if (batch.length === 1) return batch[0]!.reject(error);
    // One bad event must not take the others with it: write them one by one, and only its own request fails.
    for (const one of batch) await writeBatch(deps, [one]);
  }
}
