import type { Reader } from './reader.ts';
import type { TimeUnit, When } from './tree.ts';

const UNITS: Readonly<Record<string, TimeUnit>> = {
  hour: 'hours',
  hours: 'hours',
  day: 'days',
  days: 'days',
  week: 'weeks',
  weeks: 'weeks',
  month: 'months',
  months: 'months',
  year: 'years',
  years: 'years',
};
/** About a hundred years of each: more is a slip. */
const MOST: Readonly<Record<TimeUnit, number>> = {
  hours: 100_000,
  days: 36_500,
  weeks: 5200,
  months: 1200,
  years: 100,
};

/**
 * `in the last 30 days`, `more than 30 days ago`, `before 2026-11-23`, `since 2026-11-23`, `from 2026-11-01 to
 * 2026-11-23`; nothing when none of them follows.
 */
export function readWhen(reader: Reader): When | null {
  if (reader.take('in')) {
    reader.need('the');
    reader.need('last');
    return { kind: 'last', ...readSpan(reader) };
  }
  if (reader.peek().value === 'more' && reader.peek(2).kind === 'number') {
    reader.need('more', 'than');
    const span = readSpan(reader);
    reader.need('ago');
    return { kind: 'ago', ...span };
  }
  if (reader.take('before')) return { kind: 'before', day: reader.day() };
  if (reader.peek().value === 'since' && reader.peek(1).kind === 'date') {
    reader.next();
    return { kind: 'since', day: reader.day() };
  }
  if (reader.peek().value !== 'from' || reader.peek(1).kind !== 'date') return null;
  reader.next();
  const [first, place] = [reader.day(), reader.peek()];
  reader.need('to');
  const last = reader.day();
  if (last < first)
    throw reader.problem(
      'impossible-date',
      { from: place.from, to: reader.end },
      `${last} is before ${first}: write the earlier day first.`,
    );
  return { kind: 'between', first, last };
}

/** Reads a stretch of time. @throws UnreadableCondition where none stands */
export function needWhen(reader: Reader): When {
  const when = readWhen(reader);
  if (!when)
    throw reader.expected(
      'a time: “in the last 30 days”, “more than 30 days ago”, “before 2026-11-23”, “since 2026-11-23” or “from 2026-11-01 to 2026-11-23”',
      ['in', 'more', 'before', 'since', 'from'],
    );
  return when;
}

function readSpan(reader: Reader): { count: number; unit: TimeUnit } {
  const unit = UNITS[reader.peek(1).value];
  const count = reader.whole('How many', 1, unit === undefined ? 1_000_000_000 : MOST[unit]);
  if (unit === undefined) throw reader.expected('hours, days, weeks, months or years', Object.keys(UNITS));
  reader.next();
  return { count, unit };
}
