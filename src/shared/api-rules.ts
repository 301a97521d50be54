import type { ScoredAct, Stage } from './words.ts';

/** What the API answers about ladders, bounce counts and scores. Instants are RFC 3339 texts. */

/** A ladder by silence. Days since the latest engagement, and messages accepted since then; both must be reached. */
export interface SunsetRule {
  steps: { stage: 'fading' | 'dormant' | 'sunset'; days: number; messages: number }[];
  grace: { days: number; messages: number };
  engagingActs: ('opened' | 'clicked' | 'replied' | 'visited' | 'purchased' | 'confirmed')[];
  /** A condition of the brand; whom it does not match stays new. */
  covers?: string | null;
}

/** So many bounces within so many days, on so many campaigns and so far apart, make an address undeliverable. */
export interface BounceRule {
  count: number;
  withinDays: number;
  onCampaigns: number;
  spreadDays: number;
  classes: ('soft' | 'hard')[];
  /** Whether an acceptance that stands, or an act of the person, starts the count again. */
  startsAgain: boolean;
}

/** Points by act, each lasting so many days, and what joining gives. */
export interface ScoreRule {
  acts: { act: ScoredAct; points: number; days: number }[];
  joining: { points: number; days: number };
}

/** A score with why it was changed. */
export interface VersionedScore extends Versioned<ScoreRule> {
  reason: string | null;
}

/** How many contacts have which score, now and under a changed score. */
export interface ScorePreview {
  rule: ScoreRule;
  /** Everybody who is not erased by score; the first bin is below all others. */
  bins: { from: number | null; now: number; wouldBe: number }[];
}

/** A rule with its version; 0 is the one that everybody begins with, which nobody has kept yet. */
export interface Versioned<T> {
  rule: T;
  version: number;
  changedAt: string | null;
  changedBy: string | null;
}

/** Who would move under a ladder, how many from where to where, a sample, and the shape of silence. */
export interface SunsetPreview {
  brandId: number;
  rule: SunsetRule;
  covered: number;
  moving: number;
  toSunset: number;
  fromSunset: number;
  stages: { stage: Stage; now: number; wouldBe: number }[];
  flows: { from: Stage; to: Stage; contacts: number }[];
  silence: { from: number; silent: number; unasked: number }[];
  sample: {
    contactId: number;
    address: string;
    name: string | null;
    from: Stage;
    to: Stage;
    silentDays: number;
    messages: number;
  }[];
}

/** Whose mark would change under a bounce rule, with the evidence. */
export interface BouncePreview {
  rule: BounceRule;
  looked: number;
  toUndeliverable: number;
  toDeliverable: number;
  sample: { contactId: number; address: string; from: string; to: string; bounces: number }[];
}
