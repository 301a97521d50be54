import type {
  BounceClass,
  Deliverability,
  EventKind,
  OutsideVerdict,
  Stage,
  SubscriptionState,
} from '../../shared/words.ts';

/** Where a part stands in the text, in UTF-16 units; `to` is behind its last one. */
export interface Span {
  from: number;
  to: number;
}

/** What a condition can ask of the acts of a contact: a kind of event, or one of two words for several kinds. */
export type ActName = EventKind | 'read' | 'engaged';

/**
 * A stretch of time. Dates are days as `2026-11-23` in the brand's zone; units are counted back from the beginning of
 * today there, hours from now.
 */
export type When =
  | { kind: 'last'; count: number; unit: TimeUnit }
  | { kind: 'ago'; count: number; unit: TimeUnit }
  | { kind: 'before'; day: string }
  | { kind: 'since'; day: string }
  | { kind: 'between'; first: string; last: string };

export type TimeUnit = 'hours' | 'days' | 'weeks' | 'months' | 'years';

export type Comparison =
  | 'is'
  | 'is not'
  | 'contains'
  | 'starts with'
  | 'more than'
  | 'less than'
  | 'at least'
  | 'at most'
  | 'before'
  | 'after';

/** What is asked of a value. Several values are for `is` and `is not`: any of them. */
export type ValueTest =
  { compare: 'set' } | { compare: 'not set' } | { compare: Comparison; values: (string | number | boolean)[] };

export interface EventTest {
  act: ActName;
  /** Of opens, clicks and visits whose they are; of all others null. */
  by: 'people' | 'anyone' | 'machines' | null;
  least: number | null;
  most: number | null;
  /** `first` and `last`: the earliest or latest such act lies in `when`. */
  which: 'any' | 'first' | 'last';
  when: When | null;
  /** Only acts after the latest of this kind by a person; all, where there is none. */
  sinceLast: ActName | null;
  class: BounceClass | null;
  campaign: string | null;
  list: string | null;
  /** Part of the address that a click went to. */
  link: string | null;
  /** Part of what was bought, visited or said. */
  what: string | null;
  brand: 'own' | 'any';
}

/**
 * A condition over one contact. Frozen; `span` is where it stands in the text it came from. As JSON it is the same
 * without spans.
 */
export type Condition = { span?: Span } & (
  | { kind: 'and' | 'or'; parts: readonly Condition[] }
  | { kind: 'not'; part: Condition }
  | { kind: 'everyone' | 'archived' | 'automated' | 'newcomer' }
  /** May get marketing now: of the brand, or of any of the organisation. */
  | { kind: 'mailable' | 'mailable-by-any' }
  /** At a domain that looks like a slip of another. */
  | { kind: 'look-alike' }
  | { kind: 'segment' | 'snapshot'; name: string }
  | { kind: 'field'; field: 'name' | 'address' | 'domain'; test: ValueTest }
  | { kind: 'attribute'; name: string; test: ValueTest }
  | { kind: 'tagged'; tag: string }
  /** On this list, or on any of the brand. */
  | { kind: 'list'; list: string | null; state: SubscriptionState; since: When | null }
  | { kind: 'joined'; when: When }
  | { kind: 'stage'; are: readonly Stage[] }
  | { kind: 'deliverability'; are: readonly Deliverability[] }
  | { kind: 'verdict'; are: readonly OutsideVerdict[] }
  | { kind: 'suppressed'; on: string | null }
  /** Points of the brand's score now; compared as a number. */
  | { kind: 'score'; test: ValueTest }
  | { kind: 'silent'; days: number; messages: number }
  | { kind: 'event'; event: EventTest }
);

/** What is wrong with a condition, where, and what to do. */
export interface ConditionProblem extends Span {
  code:
    | 'unreadable'
    | 'unexpected'
    | 'mixed'
    | 'unknown-name'
    | 'wrong-type'
    | 'impossible-date'
    | 'out-of-range'
    | 'too-long'
    | 'too-deep'
    | 'cycle'
    | 'always-true'
    | 'always-false'
    | 'swallowed'
    | 'stale'
    | 'never-acted';
  message: string;
  /** Said before saving, and not refused. */
  warning?: true;
}

/** A condition that cannot be read. */
export class UnreadableCondition extends Error {
  readonly problem: ConditionProblem;

  constructor(problem: ConditionProblem) {
    super(problem.message);
    this.problem = problem;
  }
}

/** The tree without the places in the text: what two conditions are compared by, and what programs get. */
export function withoutSpans(condition: Condition): Condition {
  return JSON.parse(
    JSON.stringify(condition, (key, value: unknown) => (key === 'span' ? undefined : value)),
  ) as Condition;
}
