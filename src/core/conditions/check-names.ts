import type { AttributeType } from '../import/map-columns.ts';
import { quoted } from '../../shared/quoted.ts';
import { nearest } from './nearest.ts';
import type { Condition, ConditionProblem, Span, ValueTest } from './tree.ts';

/** What the organisation has that a condition can name. */
export interface ConditionNames {
  lists: readonly { id: number; name: string }[];
  suppressionLists: readonly { id: number; name: string }[];
  /** The campaigns that are mentioned, and the latest others, to propose. */
  campaigns: readonly { id: number; name: string }[];
  segments: ReadonlyMap<string, Condition>;
  /** `takenAt` in milliseconds since the epoch. */
  snapshots: readonly { id: number; name: string; takenAt: number }[];
  /** Domains that look like slips of others; looked for only where it is asked. */
  lookAlikeDomains: readonly string[];
  attributes: Readonly<Record<string, AttributeType>>;
}

/** Names that are not there, tests that a value's type does not allow, and segments that come back to themselves. */
export function reportNameProblems(condition: Condition, names: ConditionNames, own?: string): ConditionProblem[] {
  const found = [...problems(condition, names), ...(own === undefined ? [] : reportCycle(condition, names, own))];
  return found.length > 0 || countParts(condition, names) <= MOST_PARTS
    ? found
    : [
        {
          code: 'too-deep',
          ...(condition.span ?? NOWHERE),
          message: `With the segments it names this has more than ${MOST_PARTS.toLocaleString('en-GB')} parts. Name fewer.`,
        },
      ];
}

/**
 * Parts of a condition with those of all the segments in it; segments that name each other twice would double with
 * each.
 */
const MOST_PARTS = 2000;

function countParts(condition: Condition, names: ConditionNames, before = 0): number {
  let count = before;
  for (const part of partsOf(condition)) {
    if (++count > MOST_PARTS) return count;
    const inner = part.kind === 'segment' ? names.segments.get(part.name) : undefined;
    if (inner) count = countParts(inner, names, count);
  }
  return count;
}

/** A snapshot older than this is said to be old wherever it is asked. */
const STALE_MS = 86_400_000;

/** Snapshots that are taken for what holds now. `now` in milliseconds since the epoch. */
export function reportStaleSnapshots(condition: Condition, names: ConditionNames, now: number): ConditionProblem[] {
  return [...partsOf(condition)].flatMap((part): ConditionProblem[] => {
    const snapshot = part.kind === 'snapshot' ? names.snapshots.find(({ name }) => name === part.name) : undefined;
    if (!snapshot || now - snapshot.takenAt < STALE_MS) return [];
    const days = Math.floor((now - snapshot.takenAt) / STALE_MS);
    return [
      {
        code: 'stale',
        ...(part.span ?? NOWHERE),
        warning: true,
        message: `“${snapshot.name}” was frozen ${days} ${days === 1 ? 'day' : 'days'} ago and is not worked out afresh: who came since is not in it.`,
      },
    ];
  });
}

/** Whether a condition, or a segment within it, has a part of this kind. Segments must not come back to themselves. */
export function asks(kind: Condition['kind'], condition: Condition, segments: ConditionNames['segments']): boolean {
  return [...partsOf(condition)].some((part) => {
    if (part.kind === kind) return true;
    const inner = part.kind === 'segment' ? segments.get(part.name) : undefined;
    return inner !== undefined && asks(kind, inner, segments);
  });
}

/** Every part of a condition, it itself first. */
export function* partsOf(condition: Condition): Generator<Condition> {
  yield condition;
  if (condition.kind === 'and' || condition.kind === 'or') for (const part of condition.parts) yield* partsOf(part);
  if (condition.kind === 'not') yield* partsOf(condition.part);
}

const NOWHERE: Span = { from: 0, to: 0 };

function* problems(condition: Condition, names: ConditionNames): Generator<ConditionProblem> {
  const of = (all: readonly { name: string }[]): string[] => all.map(({ name }) => name);
  for (const part of partsOf(condition)) {
    const span = part.span ?? NOWHERE;
    if (part.kind === 'list' && part.list !== null) yield* named(part.list, of(names.lists), 'list', span);
    if (part.kind === 'segment') {
      if (!names.segments.has(part.name) && names.snapshots.some(({ name }) => name === part.name))
        yield {
          code: 'unknown-name',
          ...span,
          message: `“${part.name}” is a snapshot, frozen once, and no segment: say “in snapshot ${quoted(part.name)}” if that is meant.`,
        };
      else yield* named(part.name, [...names.segments.keys()], 'segment', span);
    }
    if (part.kind === 'snapshot') yield* named(part.name, of(names.snapshots), 'snapshot', span);
    if (part.kind === 'suppressed' && part.on !== null)
      yield* named(part.on, of(names.suppressionLists), 'suppression list', span);
    if (part.kind === 'attribute') yield* attribute(part.name, part.test, names, span);
    if (part.kind === 'score') yield* score(part.test, span);
    if (part.kind === 'field') yield* typed(part.test, 'text', part.field, span);
    if (part.kind === 'event' && part.event.campaign !== null)
      yield* named(part.event.campaign, of(names.campaigns), 'campaign', span);
    if (part.kind === 'event' && part.event.list !== null) yield* named(part.event.list, of(names.lists), 'list', span);
  }
}

function* named(name: string, known: readonly string[], what: string, span: Span): Generator<ConditionProblem> {
  if (known.includes(name)) return;
  const like = nearest(name, known);
  yield {
    code: 'unknown-name',
    ...span,
    message: `There is no ${what} “${name}”.${like === undefined ? '' : ` Did you mean “${like}”?`}`,
  };
}

function* attribute(
  name: string,
  test: ValueTest,
  { attributes }: ConditionNames,
  span: Span,
): Generator<ConditionProblem> {
  const type = Object.hasOwn(attributes, name) ? attributes[name] : undefined;
  if (!type) {
    yield* named(name, Object.keys(attributes), 'attribute', span);
    return;
  }
  yield* typed(test, type.type, name, span);
  if (type.type !== 'choice' || test.compare === 'set' || test.compare === 'not set') return;
  for (const value of test.values)
    if (typeof value === 'string') yield* named(value, type.choices ?? [], `choice of ${name}`, span);
}

function* score(test: ValueTest, span: Span): Generator<ConditionProblem> {
  if (test.compare === 'set' || test.compare === 'not set')
    yield {
      code: 'wrong-type',
      ...span,
      message: 'Everybody has a score: compare it with a number, as “score is at least 20”.',
    };
  else yield* typed(test, 'number', 'score', span);
}

const MAY: Readonly<
  Record<AttributeType['type'], { compare: readonly string[]; value: 'string' | 'number' | 'boolean'; as: string }>
> = {
  text: { compare: ['is', 'is not', 'contains', 'starts with'], value: 'string', as: 'a text in quotation marks' },
  choice: { compare: ['is', 'is not'], value: 'string', as: 'one of its words in quotation marks' },
  number: {
    compare: ['is', 'is not', 'more than', 'less than', 'at least', 'at most'],
    value: 'number',
    as: 'a number',
  },
  date: { compare: ['is', 'is not', 'before', 'after'], value: 'string', as: 'a day as 2026-11-23' },
  'yes-no': { compare: ['is', 'is not'], value: 'boolean', as: 'yes or no' },
};
const DAY = /^\d{4}-\d{2}-\d{2}$/;

function* typed(test: ValueTest, type: AttributeType['type'], name: string, span: Span): Generator<ConditionProblem> {
  if (test.compare === 'set' || test.compare === 'not set') return;
  const may = MAY[type];
  if (!may.compare.includes(test.compare)) {
    yield {
      code: 'wrong-type',
      ...span,
      message: `${name} is a ${type}: ask whether it ${may.compare.map((one) => (one === 'contains' || one === 'starts with' || one.startsWith('is') ? `“${one}”` : `“is ${one}”`)).join(', ')}.`,
    };
  } else if (
    !test.values.every((value) => typeof value === may.value && (type !== 'date' || DAY.test(String(value))))
  ) {
    yield { code: 'wrong-type', ...span, message: `${name} is a ${type}: compare it with ${may.as}.` };
  }
}

/** Whether a segment would, through others, ask for itself. */
function reportCycle(condition: Condition, { segments }: ConditionNames, own: string): ConditionProblem[] {
  const seen = new Set<string>();
  const reaches = (one: Condition, way: string[]): string[] | undefined => {
    for (const part of partsOf(one)) {
      if (part.kind !== 'segment') continue;
      if (part.name === own) return way;
      const next = segments.get(part.name);
      if (!next || seen.has(part.name)) continue;
      seen.add(part.name);
      const found = reaches(next, [...way, part.name]);
      if (found) return found;
    }
    return undefined;
  };
  return [...partsOf(condition)].flatMap((part) => {
    if (part.kind !== 'segment') return [];
    const inner = part.name === own ? [] : reaches(segments.get(part.name) ?? { kind: 'everyone' }, [part.name]);
    if (!inner) return [];
    return [
      {
        code: 'cycle' as const,
        ...(part.span ?? NOWHERE),
        message: `The segment would ask for itself: ${[own, ...inner, own].map((name) => `“${name}”`).join(' → ')}.`,
      },
    ];
  });
}
