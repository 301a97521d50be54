import type { SignUp } from '../../shared/contract/permission.ts';
import type { Reason } from '../../shared/words.ts';

/** Words and figures as the console writes them. */

/** A count with separators and a true minus. */
export const count = (number: number): string => number.toLocaleString('en-GB').replace('-', '−');
/** A rate between 0 and 1; null is nothing to judge yet. */
export const percent = (rate: number | null, digits = 2): string =>
  rate === null ? 'nothing yet' : `${(100 * rate).toFixed(digits)} %`;
/** `1 contact`, `1,204 contacts`. */
export const plural = (number: number, one: string, many: string): string =>
  `${count(number)} ${number === 1 ? one : many}`;

/** How many subscriptions, of whoever signed up or came by a file, are not confirmed yet. */
export const waitingWords = (pending: number): string =>
  pending === 0
    ? 'Nobody waits to confirm'
    : `${plural(pending, 'subscription waits', 'subscriptions wait')} to be confirmed`;

/** By which way somebody signed up. */
export const SIGN_UP_WAYS: Record<SignUp['way'], string> = {
  form: 'the sign-up form',
  api: 'another program',
  preferences: 'their preference page',
  import: 'a file',
  asked: 'a file, asked since',
};

/** A reason as it is shown. */
export const reasonWord = (reason: Reason): string => reason.replace('-', ' ');

const DAY = { day: 'numeric', month: 'short' } as const;

/** An instant to the minute in the brand's zone; the year only where it is another. */
export function moment(instant: string, zone: string): string {
  const date = new Date(instant);
  const year = date.getUTCFullYear() === new Date().getUTCFullYear() ? {} : ({ year: 'numeric' } as const);
  return date.toLocaleString('en-GB', { ...DAY, ...year, hour: '2-digit', minute: '2-digit', timeZone: zone });
}

/** A day in the brand’s zone; the year only where it is another. */
export function day(instant: string, zone: string): string {
  const date = new Date(instant);
  const year = date.getUTCFullYear() === new Date().getUTCFullYear() ? {} : ({ year: 'numeric' } as const);
  return date.toLocaleDateString('en-GB', { ...DAY, ...year, timeZone: zone });
}
