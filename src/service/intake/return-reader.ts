import { Mutex } from 'async-mutex';
import type { Logger } from 'pino';
import { Piscina } from 'piscina';
import { MAX_MESSAGE_BYTES } from '../../core/returns/limits.ts';
import { unreadable, type ReadReturns } from '../../core/returns/read-return.ts';
import type { ReadTask } from './return-reader-thread.ts';

/**
 * Longer than this no message is read. Any takes a fraction of a second (`npm run bench` says how much); this is for
 * what nobody thought of, and is long because the machine may be busy.
 */
const LIMIT_MS = 10_000;
/** Memory of the thread, in MB, besides the bytes of the message itself. */
const HEAP_MB = 64;
const IDLE_MS = 60_000;

export interface ReturnReader {
  readReturns: (raw: Uint8Array, envelopeTos: readonly string[]) => Promise<ReadReturns>;
  stop(): Promise<void>;
}

/**
 * Reads messages in a thread of its own, one after the other, so that whatever they hold, everything else goes on. One
 * that takes too long or too much memory is `unreadable`, as is one on which the reader fails; the next has a new
 * thread.
 */
export function makeReturnReader(
  log: Logger,
  { thread = new URL('./return-reader-thread.js', import.meta.url).href, limitMs = LIMIT_MS } = {},
): ReturnReader {
  const pool = new Piscina<ReadTask, ReadReturns>({
    filename: thread,
    minThreads: 0,
    maxThreads: 1,
    idleTimeout: IDLE_MS,
    resourceLimits: { maxOldGenerationSizeMb: HEAP_MB, maxYoungGenerationSizeMb: HEAP_MB / 4 },
  });
  pool.on('error', (error: Error) => log.warn({ err: error }, 'the thread that reads returns'));
  // The time of a message begins when its turn comes.
  const turn = new Mutex();
  const read = async (task: ReadTask): Promise<ReadReturns> => {
    try {
      return await pool.run(task, { signal: AbortSignal.timeout(limitMs) });
    } catch (error) {
      log.warn({ err: error, bytes: task.raw.length }, 'a return could not be read');
      const because =
        (error as Error).name === 'AbortError'
          ? `reading it took longer than ${limitMs / 1000} seconds`
          : `the reader stopped: ${(error as Error).message}`;
      return { readings: task.envelopeTos.map(() => unreadable(because)) };
    }
  };
  return {
    readReturns: (raw, envelopeTos) =>
      turn.runExclusive(() => read({ raw: Uint8Array.from(raw.subarray(0, MAX_MESSAGE_BYTES)), envelopeTos })),
    stop: () => pool.destroy(),
  };
}
