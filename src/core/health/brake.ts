import type { WaveFigures } from '../sending/wave-plan.ts';
import type { BrakeFigure, BrakeLimits } from '../../shared/contract/pace.ts';

/** What came of a slice of a campaign: all of it, a wave, or a receiving domain; tried are accepted or refused. */
export type BrakeCounts = WaveFigures;

/** Limits as shares from 0 to 1: hard and block of those tried, the others of those delivered. */
export const DEFAULT_BRAKE_LIMITS: BrakeLimits = { hard: 0.03, block: 0.05, complaints: 0.003, unsubscribed: 0.02 };

/** With fewer tried nothing is judged. */
export const LEAST_TRIED = 200;
/** With fewer such events nothing is judged: watched all the while, a healthy campaign would brake by chance. */
export const LEAST_EVENTS = 5;
/** Standard deviations of the 95 % interval. */
const Z = 1.96;

/**
 * The lower end of the 95 % interval (Wilson) of a share: so much at least is likely to be so of all.
 */
export function wilsonLower(events: number, of: number): number {
  if (of === 0) return 0;
  const share = events / of;
  const spread = Z * Math.sqrt((share * (1 - share) + (Z * Z) / (4 * of)) / of);
  return Math.max(0, (share + (Z * Z) / (2 * of) - spread) / (1 + (Z * Z) / of));
}

/** A figure that has passed its limit. */
export interface Passed {
  figure: BrakeFigure;
  events: number;
  of: number;
  limit: number;
}

const FIGURES: readonly [BrakeFigure, 'tried' | 'delivered'][] = [
  ['hard', 'tried'],
  ['block', 'tried'],
  ['complaints', 'delivered'],
  ['unsubscribed', 'delivered'],
];

/**
 * The figure of a slice that is furthest over its limit, if one is: by at least five events, and either certainly over
 * it or over twice of it as it stands.
 */
export function findPassed(counts: BrakeCounts, limits: BrakeLimits): Passed | undefined {
  if (counts.tried < LEAST_TRIED) return undefined;
  const passed = FIGURES.map(([figure, of]) => ({
    figure,
    events: counts[figure],
    of: Math.max(counts[of], counts[figure]),
    limit: limits[figure],
  })).filter(
    ({ events, of, limit }) => events >= LEAST_EVENTS && (wilsonLower(events, of) > limit || events / of > 2 * limit),
  );
  return passed.sort((one, other) => other.events / other.of / other.limit - one.events / one.of / one.limit)[0];
}

/** What came since, of what there was then and is now. */
export function since(then: BrakeCounts, now: BrakeCounts): BrakeCounts {
  const of = (figure: keyof BrakeCounts): number => Math.max(0, now[figure] - then[figure]);
  return {
    tried: of('tried'),
    delivered: of('delivered'),
    hard: of('hard'),
    block: of('block'),
    complaints: of('complaints'),
    unsubscribed: of('unsubscribed'),
  };
}
