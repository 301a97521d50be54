/** A named condition of a brand, worked out afresh whenever it is used. */
export interface Segment {
  id: number;
  brandId: number;
  name: string;
  description: string;
  /** In its canonical form. */
  condition: string;
  version: number;
  changedAt: string;
  changedBy: string;
}

export interface SegmentDetail extends Segment {
  /** Latest first. */
  versions: {
    version: number;
    name: string;
    condition: string;
    changedAt: string;
    changedBy: string;
    reason: string;
  }[];
  /** Segments that name this one. */
  usedBy: { id: number; name: string }[];
}

/** Something wrong with a condition, or odd (`warning`), where it stands in the text. */
export interface ConditionProblem {
  code: string;
  from: number;
  to: number;
  message: string;
  warning?: true;
}

/** One line of a condition with how many contacts it alone matches, and how many are left with those before it. */
export interface CountedLine {
  depth: number;
  joined: 'and' | 'or' | null;
  text: string;
  alone: number;
  after: number;
}

export interface ConditionPreview {
  text: string;
  tree: unknown;
  contacts: number;
  matching: number;
  /** Of those who match, who may get marketing of the brand now. */
  mailable: number;
  lines: CountedLine[];
  warnings: ConditionProblem[];
  sample: { id: number; address: string; name: string | null; because: string }[];
}

/** Whether a part of a condition holds of one contact, and why. */
export interface Explained {
  holds: boolean;
  text: string;
  because: string;
  parts: Explained[];
}

/** A condition for one of the usual questions. */
export interface ReadyMade {
  name: string;
  about: string;
  condition: string;
}

export interface MatchingContact {
  id: number;
  address: string;
  name: string | null;
}
