import dayjs from 'dayjs';
import timezone from 'dayjs/plugin/timezone.js';
import utc from 'dayjs/plugin/utc.js';
import type { When } from './tree.ts';

dayjs.extend(utc);
dayjs.extend(timezone);

/** When it is, and where: days begin at midnight in the brand's zone. `now` in milliseconds since the epoch. */
export interface ConditionClock {
  now: number;
  /** IANA name, as Europe/Lisbon. */
  zone: string;
}

/** From and to in milliseconds since the epoch, `from` belonging to it and `to` not; null is without end. */
export interface Bounds {
  from: number | null;
  to: number | null;
}

/** The instants of a stretch of time. Days, weeks, months and years are counted back from the beginning of today, hours from now. */
export function boundsOf(when: When, clock: ConditionClock): Bounds {
  switch (when.kind) {
    case 'last':
      return { from: backFrom(when, clock), to: null };
    case 'ago':
      return { from: null, to: backFrom(when, clock) };
    case 'before':
      return { from: null, to: startOf(when.day, clock.zone) };
    case 'since':
      return { from: startOf(when.day, clock.zone), to: null };
    case 'between':
      return { from: startOf(when.first, clock.zone), to: startOf(dayAfter(when.last), clock.zone) }; // prettier-ignore
  }
}

function backFrom({ count, unit }: { count: number; unit: 'hours' | 'days' | 'weeks' | 'months' | 'years' }, { now, zone }: ConditionClock): number {
  if (unit === 'hours') return now - count * 3_600_000;
  // By the calendar, in UTC, so that no change of the clocks comes between; then to midnight in the zone.
  return startOf(dayjs.utc(todayOf({ now, zone })).subtract(count, unit).format('YYYY-MM-DD'), zone);
} // prettier-ignore

/** The day it is in the zone, as 2026-11-24. */
export function todayOf({ now, zone }: ConditionClock): string {
  return dayjs.tz(now, zone).format('YYYY-MM-DD');
}

/** Midnight of a day in a zone; where the clocks leave midnight out, the first instant after it. */
function startOf(day: string, zone: string): number {
  return dayjs.tz(`${day}T00:00:00`, zone).valueOf();
}

/** The day after another, as 2026-11-24. */
function dayAfter(day: string): string {
  return dayjs.utc(day).add(1, 'day').format('YYYY-MM-DD');
}
