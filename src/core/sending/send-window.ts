import type { SendWindow } from '../../shared/contract/campaigns.ts';
import { dayAfter, dayOf, instantsOf, minuteOf } from '../time/days.ts';

const HALF_HOUR_MS = 1_800_000;
/** Every window opens or closes within so many days, even if clocks leave it out once. */
const DAYS_AHEAD = 16;

/** Why a window can never open; nothing if it can. */
export function windowProblem({ days, from, until }: SendWindow): string | undefined {
  if (days.length === 0) return 'It has no day, and would never open.';
  return from === until ? `It opens and closes at ${from}, and would never be open.` : undefined;
}

/** Whether it is open at an instant, in milliseconds since the epoch, by the clock of the zone. */
export function isOpen({ days, from, until }: SendWindow, instant: number, zone: string): boolean {
  const [day, time] = minuteOf(instant, zone).split(' ') as [string, string];
  const weekday = new Date(`${day}T00:00:00Z`).getUTCDay() || 7;
  if (from < until) return days.includes(weekday) && time >= from && time < until;
  const yesterday = weekday === 1 ? 7 : weekday - 1;
  return (days.includes(weekday) && time >= from) || (days.includes(yesterday) && time < until);
}

/**
 * The next instant at which it opens if it is closed, or closes if it is open. Where clocks are put forward or back it
 * goes by what they show: a time of day that there is twice counts twice. Infinity where it never closes.
 */
export function nextChange(window: SendWindow, instant: number, zone: string): number {
  const now = isOpen(window, instant, zone);
  const at: number[] = [];
  let day = dayOf(instant, zone);
  for (let ahead = 0; ahead < DAYS_AHEAD; ahead++) {
    for (const time of [window.from, window.until])
      at.push(...(time === '24:00' ? instantsOf(dayAfter(day), '00:00', zone) : instantsOf(day, time, zone)));
    day = dayAfter(day);
  }
  // Clocks are changed at half hours.
  const first = Math.ceil((instant + 1) / HALF_HOUR_MS) * HALF_HOUR_MS;
  for (let half = 0; half < DAYS_AHEAD * 48; half++) at.push(first + half * HALF_HOUR_MS);
  return (
    at.sort((one, other) => one - other).find((one) => one > instant && isOpen(window, one, zone) !== now) ?? Infinity
  );
}
