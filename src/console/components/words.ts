import type { Reason } from '../../shared/words.ts';

/** Words and figures as the console writes them. */

export const count = (number: number): string => number.toLocaleString('en-GB').replace('-', '−');
export const percent = (rate: number | null, digits = 2): string =>
  rate === null ? 'nothing yet' : `${(100 * rate).toFixed(digits)} %`;
export const plural = (number: number, one: string, many: string): string =>
  `${count(number)} ${number === 1 ? one : many}`;

export const reasonWord = (reason: Reason): string => reason.replace('-', ' ');

const DAY = { day: 'numeric', month: 'short' } as const;

/** An instant to the minute in the brand's zone; the year only where it is another. */
export function moment(instant: string, zone: string): string {
  const date = new Date(instant);
  const year = date.getUTCFullYear() === new Date().getUTCFullYear() ? {} : ({ year: 'numeric' } as const);
  return date.toLocaleString('en-GB', { ...DAY, ...year, hour: '2-digit', minute: '2-digit', timeZone: zone });
}

export function day(instant: string, zone: string): string {
  const date = new Date(instant);
  const year = date.getUTCFullYear() === new Date().getUTCFullYear() ? {} : ({ year: 'numeric' } as const);
  return date.toLocaleDateString('en-GB', { ...DAY, ...year, timeZone: zone });
}

/** What a run changed, in words: `12 tagged, 3 left alone`; nothing where it changed nothing. */
export const changedWords = (counts: Readonly<Record<string, number>>): string =>
  Object.entries(counts).map(([what, n]) => `${count(n)} ${what.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`)}`).join(', '); // prettier-ignore
