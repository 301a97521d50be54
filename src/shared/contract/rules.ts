import Joi from 'joi';
import { version, instant, anyText, reason, oneOf, brandParams, arrayOf } from './parts.ts';
import { type Stage, STAGES, type ScoredAct, SCORED_ACTS } from '../words.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';

/** A rule with its version; 0 is the one that everybody begins with, which nobody has kept yet. */
export interface Versioned<T> {
  rule: T;
  version: number;
  changedAt: string | null;
  changedBy: string | null;
}

const versionedFields = <T>(rule: Joi.ObjectSchema<T>) => ({
  rule: rule.required(),
  version: Joi.number().required(),
  changedAt: instant.allow(null).required(),
  changedBy: anyText.allow(null).required(),
});
const versioned = <T>(rule: Joi.ObjectSchema<T>): Joi.ObjectSchema<Versioned<T>> =>
  Joi.object<Versioned<T>>(versionedFields(rule));

/** A ladder by silence. Days since the latest engagement, and messages accepted since then; both must be reached. */
export interface SunsetRule {
  steps: { stage: 'fading' | 'dormant' | 'sunset'; days: number; messages: number }[];
  grace: { days: number; messages: number };
  engagingActs: ('opened' | 'clicked' | 'replied' | 'visited' | 'purchased' | 'confirmed')[];
  /** A condition of the brand; whom it does not match stays new. */
  covers?: string | null;
}
export const sunsetRule = Joi.object<SunsetRule, true>({
  steps: Joi.array()
    .ordered(
      ...(['fading', 'dormant', 'sunset'] as const).map((stage) =>
        Joi.object({
          stage: Joi.string().valid(stage).required(),
          days: Joi.number().integer().min(1).max(3650).required(),
          messages: Joi.number().integer().min(1).max(1000).required(),
        }).required(),
      ),
    )
    .required(),
  grace: Joi.object({
    days: Joi.number().integer().min(0).max(3650).required(),
    messages: Joi.number().integer().min(0).max(1000).required(),
  }).required(),
  covers: Joi.string()
    .max(20_000)
    .allow('', null)
    .description('A condition of the brand; whom it does not match stays new'),
  engagingActs: Joi.array()
    .items(Joi.string().valid('opened', 'clicked', 'replied', 'visited', 'purchased', 'confirmed'))
    .unique()
    .required(),
});

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
export const bounceRule = Joi.object<BounceRule, true>({
  count: Joi.number().integer().min(1).max(100).required(),
  withinDays: Joi.number().integer().min(0).max(3650).required().description('0 counts for ever'),
  onCampaigns: Joi.number().integer().min(1).max(100).required(),
  spreadDays: Joi.number().integer().min(0).max(365).required(),
  classes: Joi.array().items(Joi.string().valid('soft', 'hard')).unique().required(),
  startsAgain: Joi.boolean()
    .default(true)
    .description('Whether an acceptance that stands, or an act of the person, starts the count again'),
});

/** Points by act, each lasting so many days, and what joining gives. */
export interface ScoreRule {
  acts: { act: ScoredAct; points: number; days: number }[];
  joining: { points: number; days: number };
}
export const scoreRule = Joi.object<ScoreRule, true>({
  acts: Joi.array()
    .items(
      Joi.object({
        act: oneOf(SCORED_ACTS).required(),
        points: Joi.number().integer().min(-1000).max(1000).required(),
        days: Joi.number().integer().min(1).max(3650).required().description('How long the points last'),
      }),
    )
    .max(SCORED_ACTS.length)
    .required(),
  joining: Joi.object({
    points: Joi.number().integer().min(-1000).max(1000).required(),
    days: Joi.number().integer().min(1).max(3650).required(),
  }).required(),
}).label('rule');

/** Whose mark would change under a bounce rule, with the evidence. */
export interface BouncePreview {
  rule: BounceRule;
  looked: number;
  toUndeliverable: number;
  toDeliverable: number;
  sample: { contactId: number; address: string; from: string; to: string; bounces: number }[];
}
const bouncePreviewSchema = Joi.object<BouncePreview, true>({
  rule: bounceRule.required(),
  looked: Joi.number().required(),
  toUndeliverable: Joi.number().required(),
  toDeliverable: Joi.number().required(),
  sample: Joi.array()
    .items(
      Joi.object<BouncePreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        from: anyText.required(),
        to: anyText.required(),
        bounces: Joi.number().required(),
      }),
    )
    .required(),
});

/** A score with why it was changed. */
export interface VersionedScore extends Versioned<ScoreRule> {
  reason: string | null;
}
const versionedScoreSchema = Joi.object<VersionedScore, true>({
  ...versionedFields(scoreRule),
  reason: anyText.allow(null).required(),
});

/** How many contacts have which score, now and under a changed score. */
export interface ScorePreview {
  rule: ScoreRule;
  /** Everybody who is not erased by score; the first bin is below all others. */
  bins: { from: number | null; now: number; wouldBe: number }[];
}
const scorePreviewSchema = Joi.object<ScorePreview, true>({
  rule: scoreRule.required(),
  bins: Joi.array()
    .items(
      Joi.object<ScorePreview['bins'][number], true>({
        from: Joi.number().allow(null).required(),
        now: Joi.number().required(),
        wouldBe: Joi.number().required(),
      }),
    )
    .required(),
});

/** Who would move under a ladder, how many from where to where, a sample, and the shape of silence. */
export interface SunsetPreview {
  brandId: number;
  rule: SunsetRule;
  covered: number;
  /** Contacts that would move to another stage. */
  moving: number;
  toSunset: number;
  fromSunset: number;
  stages: { stage: Stage; now: number; wouldBe: number }[];
  flows: { from: Stage; to: Stage; contacts: number }[];
  /**
   * Contacts past the newcomer's grace by days of silence; `unasked`: not written to enough for the stage of those
   * days.
   */
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
const sunsetPreviewSchema = Joi.object<SunsetPreview, true>({
  brandId: Joi.number().required(),
  rule: sunsetRule.required(),
  covered: Joi.number().required(),
  moving: Joi.number().required(),
  toSunset: Joi.number().required(),
  fromSunset: Joi.number().required(),
  stages: Joi.array()
    .items(
      Joi.object<SunsetPreview['stages'][number], true>({
        stage: oneOf(STAGES).required(),
        now: Joi.number().required(),
        wouldBe: Joi.number().required(),
      }),
    )
    .required(),
  flows: Joi.array()
    .items(
      Joi.object<SunsetPreview['flows'][number], true>({
        from: oneOf(STAGES).required(),
        to: oneOf(STAGES).required(),
        contacts: Joi.number().required(),
      }),
    )
    .required(),
  silence: Joi.array()
    .items(
      Joi.object<SunsetPreview['silence'][number], true>({
        from: Joi.number().required(),
        silent: Joi.number().required(),
        unasked: Joi.number().required(),
      }),
    )
    .required(),
  sample: Joi.array()
    .items(
      Joi.object<SunsetPreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        name: anyText.allow(null).required(),
        from: oneOf(STAGES).required(),
        to: oneOf(STAGES).required(),
        silentDays: Joi.number().required(),
        messages: Joi.number().required(),
      }),
    )
    .required(),
});

/** Body of `POST /rules/score/:brandId/preview`. */
export interface ScorePreviewRequest {
  rule?: ScoreRule;
}
const scorePreview = Joi.object<ScorePreviewRequest, true>({ rule: scoreRule });

/** Body of `POST /rules/score/:brandId`. */
export interface ScoreSave {
  rule: ScoreRule;
  version: number;
  reason: string;
}
const scoreSave = Joi.object<ScoreSave, true>({
  rule: scoreRule.required(),
  version: version.required(),
  reason,
});

export const expect = Joi.number().integer().min(0).required().description('How many the preview said would change');

/** Body of `POST /rules/sunset/:brandId/preview`. */
export interface SunsetPreviewRequest {
  rule?: SunsetRule;
}
const sunsetPreview = Joi.object<SunsetPreviewRequest, true>({ rule: sunsetRule });

/** Body of `POST /rules/sunset/:brandId/apply`. */
export interface SunsetApply {
  rule?: SunsetRule;
  version?: number;
  expect: number;
  reason: string;
}
const sunsetApply = Joi.object<SunsetApply, true>({ rule: sunsetRule, version, expect, reason });

/** Body of `POST /rules/bounce/preview`. */
export interface BouncePreviewRequest {
  rule?: BounceRule;
}
const bouncePreview = Joi.object<BouncePreviewRequest, true>({ rule: bounceRule });

/** Body of `POST /rules/bounce/apply`. */
export interface BounceApply {
  rule?: BounceRule;
  version?: number;
  expect: number;
  reason: string;
}
const bounceApply = Joi.object<BounceApply, true>({ rule: bounceRule, version, expect, reason });

/** Rules. */
export const rules = {
  sunsetRule: contract({
    method: 'get',
    path: '/rules/sunset/:brandId',
    summary: 'The sunset rule of a brand',
    params: brandParams,
    answer: versioned(sunsetRule),
    example: { brandId: 1 },
  }),
  previewSunset: contract({
    method: 'post',
    path: '/rules/sunset/:brandId/preview',
    summary: 'Who would move, under the saved rule or one that is tried',
    params: brandParams,
    body: sunsetPreview,
    answer: sunsetPreviewSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { brandId: 1 },
  }),
  applySunset: contract({
    method: 'post',
    path: '/rules/sunset/:brandId/apply',
    summary: 'Move everybody to their stage, as a run',
    params: brandParams,
    body: sunsetApply,
    status: 202,
    answer: runSchema,
    problems: ['bad-condition', 'changed-meanwhile', 'count-moved', 'not-found', 'took-too-long'],
    example: { brandId: 1, expect: 0, reason: 'the six-week look' },
  }),
  scoreRule: contract({
    method: 'get',
    path: '/rules/score/:brandId',
    summary: 'The score of a brand',
    params: brandParams,
    answer: versionedScoreSchema,
    example: { brandId: 1 },
  }),
  scoreVersions: contract({
    method: 'get',
    path: '/rules/score/:brandId/versions',
    summary: 'Every version of a brand’s score, latest first',
    params: brandParams,
    answer: arrayOf(versionedScoreSchema),
    example: { brandId: 1 },
  }),
  previewScore: contract({
    method: 'post',
    path: '/rules/score/:brandId/preview',
    summary: 'How many have which score, and would have under one that is tried',
    params: brandParams,
    body: scorePreview,
    answer: scorePreviewSchema,
    problems: ['not-found'],
    example: {
      brandId: 1,
      rule: { acts: [{ act: 'clicked', points: 10, days: 90 }], joining: { points: 5, days: 30 } },
    },
  }),
  saveScore: contract({
    method: 'post',
    path: '/rules/score/:brandId',
    summary: 'Keep a changed score',
    params: brandParams,
    body: scoreSave,
    answer: versionedScoreSchema,
    problems: ['changed-meanwhile', 'not-found'],
    example: {
      brandId: 1,
      rule: { acts: [{ act: 'clicked', points: 10, days: 90 }], joining: { points: 5, days: 30 } },
      version: 0,
      reason: 'clicks count for longer',
    },
  }),
  bounceRule: contract({
    method: 'get',
    path: '/rules/bounce',
    summary: 'The bounce rule',
    answer: versioned(bounceRule),
    example: {},
  }),
  previewBounce: contract({
    method: 'post',
    path: '/rules/bounce/preview',
    summary: 'Who would become undeliverable or deliverable again',
    body: bouncePreview,
    answer: bouncePreviewSchema,
    example: {},
  }),
  applyBounce: contract({
    method: 'post',
    path: '/rules/bounce/apply',
    summary: 'Mark everybody by the bounce rule, as a run',
    body: bounceApply,
    status: 202,
    answer: runSchema,
    problems: ['changed-meanwhile', 'count-moved'],
    example: { expect: 0, reason: 'the week’s look' },
  }),
};
