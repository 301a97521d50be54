/**
 * Whether a relay is used or rests after trouble, as one process sees it. Instants are milliseconds since the epoch.
 */
export interface RelayStanding {
  /** How often in a row it was in trouble when it was its turn. */
  troubles: number;
  /** Lines that broke with a message half handed over, since it last took one. */
  broken: number;
  restsUntil: number;
}

/** What came of one handing over, as far as it speaks of the relay. */
export type RelayOutcome = 'answered' | 'trouble' | 'broke';

/** Wait after the first trouble; doubles with each in a row. */
const FIRST_REST_MS = 1000;
const LONGEST_REST_MS = 30_000;
/**
 * So many lines may break with a message half handed over. Each leaves a recipient of whom nobody knows whether they
 * have it, so one that goes on like this rests, and longer.
 */
const MOST_BROKEN = 3;
const REST_AFTER_BROKEN_MS = 60_000;

export const FRESH: RelayStanding = { troubles: 0, broken: 0, restsUntil: 0 };

/** How a relay stands after one handing over. Several that fail at once are one trouble. */
export function standingAfter(standing: RelayStanding, outcome: RelayOutcome, now: number): RelayStanding {
  if (outcome === 'answered') return { ...FRESH, restsUntil: rests(standing, now) ? standing.restsUntil : 0 };
  if (rests(standing, now)) return standing;
  if (outcome === 'broke') {
    const broken = standing.broken + 1;
    // Once it has rested for that, one more is enough.
    const restsUntil = broken >= MOST_BROKEN ? now + REST_AFTER_BROKEN_MS : 0;
    return { ...standing, broken, restsUntil };
  }
  const wait = Math.min(LONGEST_REST_MS, FIRST_REST_MS * 2 ** standing.troubles);
  return { ...standing, troubles: standing.troubles + 1, restsUntil: now + wait };
}

export const rests = (standing: RelayStanding, now: number): boolean => now < standing.restsUntil;
