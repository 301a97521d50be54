/**
 * How long after a wrong password the next try has to wait, so that guessing takes years and nobody who knows the
 * password is kept out for long. Wrong tries are counted in three ways; the longest wait holds.
 */
export const TRIES_BY = ['address-and-network', 'network', 'address'] as const;
/** One of TRIES_BY. */
export type TriesBy = (typeof TRIES_BY)[number];

/** Nobody waits longer than this, in seconds. */
const LONGEST_SECONDS = 60;
/** After an hour without a try everything is forgotten. */
export const FORGOTTEN_AFTER_MS = 3_600_000;

/** Wrong tries without a wait; from then on it doubles from one second. */
const FREE: Readonly<Record<TriesBy, number>> = { 'address-and-network': 5, network: 20, address: 20 };
/** For one address from everywhere: whoever signed in from a network before does not wait for what others try. */
const ADDRESS_SECONDS = 5;

/** Seconds from the last try to the next, after so many wrong ones. */
export function waitAfter(by: TriesBy, wrong: number): number {
  const beyond = wrong - FREE[by];
  if (beyond < 0) return 0;
  return by === 'address' ? ADDRESS_SECONDS : Math.min(LONGEST_SECONDS, 2 ** Math.min(beyond, 10));
}
