/** For how many days what is known of people beyond what reports need is kept. */
export interface Retention {
  /** From where an open, a click, a visit or a sign-up came, and with what. */
  networkDays: number;
  /** The messages that came back, as they came; what was read in them stays. */
  rawReturnDays: number;
  /** Returns that match nothing, or were put aside. */
  unmatchedDays: number;
  /** Files that were imported; what became of each row is counted all the same. */
  fileDays: number;
}

export const DEFAULT_RETENTION: Retention = { networkDays: 90, rawReturnDays: 180, unmatchedDays: 30, fileDays: 90 };

export const RETENTION_WORDS: Readonly<Record<keyof Retention, string>> = {
  networkDays: 'network and program of opens, clicks, visits and sign-ups',
  rawReturnDays: 'messages that came back, as they came',
  unmatchedDays: 'returns that match nothing or were put aside',
  fileDays: 'imported files, with what they say of each row',
};

/** What the last sweep took away, and when it was. */
export interface Swept {
  at: string;
  acts: number;
  signUps: number;
  rawReturns: number;
  unmatched: number;
  files: number;
}

/** The settings, and the last sweep; null before the first. */
export interface RetentionState extends Retention {
  swept: Swept | null;
}
