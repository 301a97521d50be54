/** A named condition of a brand, worked out afresh whenever it is used. */
export interface Segment {
  id: number;
  brandId: number;
  name: string;
  description: string;
  tags: string[];
  /** In its canonical form. */
  condition: string;
  version: number;
  changedAt: string;
  changedBy: string;
}

/** A segment with its versions, its counts by day and what uses it. */
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
  /** Campaigns that are not at their end and take it in or leave it out. */
  campaigns: { id: number; name: string }[];
  /** How many matched on each of the latest days, in their order. */
  days: { day: string; matching: number; mailable: number }[];
}

/** Who matched a segment at an instant. */
export interface Snapshot {
  id: number;
  brandId: number;
  segmentId: number | null;
  name: string;
  condition: string;
  contacts: number;
  takenAt: string;
  takenBy: string;
}

/** Since `from`: until `to`, or until now where that is null. */
export interface SnapshotChange {
  from: Snapshot;
  to: Snapshot | null;
  came: number;
  left: number;
  stayed: number;
}

/** One of several conditions counted side by side. */
export interface ComparedCondition {
  condition: string;
  matching: number;
  /** Of these, those whom nothing that is left out matches. */
  left: number;
  mailable: number;
}

/** Names that a condition of a brand can use. */
export interface ConditionNames {
  lists: string[];
  segments: string[];
  snapshots: string[];
  suppressionLists: string[];
  campaigns: string[];
  tags: string[];
  attributes: Record<string, { type: 'text' | 'number' | 'date' | 'yes-no' | 'choice'; choices?: string[] }>;
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

/** What a condition matches: every part counted alone and with those before it, and what is odd about it. */
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
  stages: { stage: string; contacts: number }[];
  domains: { domain: string; contacts: number }[];
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

/** A contact whom a condition matches, with the facts that decided. */
export interface MatchingContact {
  id: number;
  address: string;
  name: string | null;
}
