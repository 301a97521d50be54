import pRetry from 'p-retry';
import type { ClaimedDelivery } from '../../store/statements/deliveries.ts';
import type { Handover } from '../relay/relay.ts';

/** What the relay made of one recipient, and when, in milliseconds since the epoch. */
export interface Answer {
  one: ClaimedDelivery;
  handover: Handover;
  at: number;
}

export interface AnswerRecorder {
  /** Waits until so many more recipients may pass the gate. */
  room(recipients: number): Promise<void>;
  /** So many have passed the gate: each of them will be answered. */
  expect(recipients: number): void;
  add(answer: Answer): void;
  /** Waits until every answer is recorded. */
  done(): Promise<void>;
}

/** So many answers are recorded in one transaction, or as many as come within so many milliseconds. */
const RECORD_SIZE = 24;
const RECORD_MS = 20;
/** Answers that cannot be recorded are tried again, after waits that double: half a minute in all. */
const MOST_TRIES = 7;
const FIRST_WAIT_MS = 500;

/**
 * Records answers as they come, many in one transaction. No more than `most` recipients are unrecorded at a time,
 * however slow the database is: what a power cut leaves uncertain. All but `add` and `expect` throw once answers could
 * not be recorded in a minute of tries.
 */
export function makeAnswerRecorder(most: number, record: (answers: Answer[]) => Promise<void>): AnswerRecorder {
  let waiting: Answer[] = [];
  let unrecorded = 0;
  let writing: Promise<void> | undefined;
  let timer: NodeJS.Timeout | undefined;
  let nextAdded: (() => void) | undefined;
  const write = async (): Promise<void> => {
    const answers = waiting;
    waiting = [];
    await inTheEnd(() => record(answers));
    unrecorded -= answers.length;
    writing = undefined;
    if (waiting.length > 0) writeSoon();
  };
  const writeNow = (): Promise<void> => {
    clearTimeout(timer);
    timer = undefined;
    writing ??= write();
    // A failure stays, and is met by whoever waits next.
    writing.catch(() => undefined);
    return writing;
  };
  const writeSoon = (): void => {
    if (waiting.length >= RECORD_SIZE) void writeNow();
    else timer ??= setTimeout(() => void writeNow(), RECORD_MS);
  };
  return {
    async room(recipients) {
      while (unrecorded > 0 && unrecorded + recipients > most) {
        if (waiting.length > 0 || writing) await writeNow();
        else await new Promise<void>((resolve) => (nextAdded = resolve));
      }
    },
    expect(recipients) {
      unrecorded += recipients;
    },
    add(answer) {
      waiting.push(answer);
      nextAdded?.();
      if (!writing) writeSoon();
    },
    async done() {
      while (waiting.length > 0 || writing) await writeNow();
    },
  };
}

/** Whatever it failed with. The package tries no TypeError again, and drivers throw some when a connection has gone. */
class Failed extends Error {
  constructor(readonly error: unknown) {
    super('failed');
  }
}

/**
 * Does what has to be done in the end, however the database fails meanwhile: tried again after waits that double, for
 * half a minute in all.
 */
export async function inTheEnd(work: () => Promise<void>): Promise<void> {
  const attempt = (): Promise<void> =>
    work().catch((error: unknown) => {
      throw new Failed(error);
    });
  try {
    await pRetry(attempt, { retries: MOST_TRIES - 1, minTimeout: FIRST_WAIT_MS, factor: 2 });
  } catch (error) {
    throw (error as Failed).error;
  }
}
