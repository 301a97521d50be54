import dayjs from 'dayjs';
import timezone from 'dayjs/plugin/timezone.js';
import utc from 'dayjs/plugin/utc.js';

dayjs.extend(utc);
dayjs.extend(timezone);

/** Days are texts as 2026-11-24, zones IANA names as Europe/Lisbon, instants milliseconds since the epoch. */

const DAY = /^\d{4}-\d{2}-\d{2}$/;

/** The day that an instant falls on in a zone. */
export function dayOf(instant: number, zone: string): string {
  return dayjs.tz(instant, zone).format('YYYY-MM-DD');
}

/** Day and minute of an instant in a zone, as 2026-11-24 08:05. */
export function minuteOf(instant: number, zone: string): string {
  return dayjs.tz(instant, zone).format('YYYY-MM-DD HH:mm');
}

/** Midnight of a day in a zone; where the clocks leave midnight out, the first instant after it. */
export function startOfDay(day: string, zone: string): number {
  return dayjs.tz(`${day}T00:00:00`, zone).valueOf();
}

/**
 * The instants at which clocks in a zone show a day and a time of day, as 09:30: one; two where clocks are put back
 * over it; none where they are put forward over it.
 */
export function instantsOf(day: string, time: string, zone: string): number[] {
  const near = dayjs.tz(`${day}T${time}:00`, zone).valueOf();
  const shown = `${day} ${time}`;
  return [-120, -90, -60, -30, 0, 30, 60, 90, 120]
    .map((minutes) => near + minutes * 60_000)
    .filter((instant) => minuteOf(instant, zone) === shown);
}

/** The day after another. */
export function dayAfter(day: string): string {
  return dayjs.utc(day).add(1, 'day').format('YYYY-MM-DD');
}

/** Whether it is a day of the calendar, as 2026-11-24. */
export function isDay(text: string): boolean {
  const begins = DAY.test(text) ? new Date(`${text}T00:00:00Z`) : undefined;
  return begins !== undefined && !Number.isNaN(begins.getTime()) && begins.toISOString().startsWith(text);
}

/**
 * What somebody typed as a day, as the RFC 3339 instant at which it begins in a zone; anything else as it was typed.
 */
export function dayOrInstant(typed: string, zone: string): string {
  return isDay(typed) ? new Date(startOfDay(typed, zone)).toISOString() : typed;
}
