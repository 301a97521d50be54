import dayjs from 'dayjs';
import utc from 'dayjs/plugin/utc.js';
import { dayAfter, dayOf, startOfDay } from '../time/days.ts';
import type { When } from './tree.ts';

dayjs.extend(utc);

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

/**
 * The instants of a stretch of time. Days, weeks, months and years are counted back from the beginning of today, hours
 * from now.
 */
export function boundsOf(when: When, clock: ConditionClock): Bounds {
  switch (when.kind) {
    case 'last':
      return { from: backFrom(when, clock), to: null };
    case 'ago':
      return { from: null, to: backFrom(when, clock) };
    case 'before':
      return { from: null, to: startOfDay(when.day, clock.zone) };
    case 'since':
      return { from: startOfDay(when.day, clock.zone), to: null };
    case 'between':
      return { from: startOfDay(when.first, clock.zone), to: startOfDay(dayAfter(when.last), clock.zone) };
  }
}

function backFrom(
  { count, unit }: { count: number; unit: 'hours' | 'days' | 'weeks' | 'months' | 'years' },
  { now, zone }: ConditionClock,
): number {
  if (unit === 'hours') return now - count * 3_600_000;
  // By the calendar, in UTC, so that no change of the clocks comes between; then to midnight in the zone.
  return startOfDay(dayjs.utc(dayOf(now, zone)).subtract(count, unit).format('YYYY-MM-DD'), zone);
}
