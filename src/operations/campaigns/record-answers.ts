import type { ClaimedDelivery } from '../../store/statements/deliveries.ts';
import type { Handover } from './relay.ts';

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
const RECORD_SIZE = 16;
const RECORD_MS = 5;
/** Answers that cannot be recorded are tried again, after waits that double: a minute in all. */
const MOST_TRIES = 7;
const FIRST_WAIT_MS = 500;

/**
 * Records answers as they come, many in one transaction: whatever arrived while the last one was being written. No more
 * than `most` recipients are unrecorded at a time, however slow the database is: what a power cut leaves uncertain.
 * All but `add` and `expect` throw once answers could not be recorded in a minute of tries.
 */
export function makeAnswerRecorder(most: number, record: (answers: Answer[]) => Promise<void>): AnswerRecorder {
  let waiting: Answer[] = [];
  let unrecorded = 0;
  let writing: Promise<void> | undefined;
  let timer: NodeJS.Timeout | undefined;
  const flush = async (): Promise<void> => {
    while (waiting.length > 0) {
      const answers = waiting;
      waiting = [];
      await recordInTheEnd(record, answers);
      unrecorded -= answers.length;
    }
  };
  const start = (): Promise<void> => {
    clearTimeout(timer);
    timer = undefined;
    writing ??= flush().then(() => void (writing = undefined));
    // A failure stays, and is met by whoever waits next.
    writing.catch(() => undefined);
    return writing;
  };
  let nextAdded: (() => void) | undefined;
  return {
    async room(recipients) {
      while (unrecorded > 0 && unrecorded + recipients > most) {
        if (waiting.length > 0 || writing) await start();
        else await new Promise<void>((resolve) => (nextAdded = resolve));
      }
    },
    expect(recipients) {
      unrecorded += recipients;
    },
    add(answer) {
      waiting.push(answer);
      nextAdded?.();
      if (waiting.length >= RECORD_SIZE) void start();
      else timer ??= setTimeout(() => void start(), RECORD_MS);
    },
    async done() {
      while (waiting.length > 0 || writing) await start();
    },
  };
}

async function recordInTheEnd(record: (answers: Answer[]) => Promise<void>, answers: Answer[]): Promise<void> {
  for (let tries = 1; ; tries++) {
    try {
      return await record(answers);
    } catch (error) {
      if (tries === MOST_TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, FIRST_WAIT_MS * 2 ** (tries - 1)));
    }
  }
}
