import Joi from 'joi';
import { campaignSchema, pace, type CampaignPace } from './campaigns.ts';
import { contract } from './contract.ts';
import { anyText, brandParams, idParams, instant, oneOf, reason } from './parts.ts';

/** What the brake watches. */
export const BRAKE_FIGURES = ['hard', 'block', 'complaints', 'unsubscribed'] as const;
export type BrakeFigure = (typeof BRAKE_FIGURES)[number];

/**
 * The brake’s limits of a brand, as shares from 0 to 1: hard and block of those tried, the others of those delivered.
 */
export type BrakeLimits = Record<BrakeFigure, number>;

const limit = Joi.number().greater(0).max(1);
const brakeLimitsSchema = Joi.object<BrakeLimits, true>({
  hard: limit.required(),
  block: limit.required(),
  complaints: limit.required(),
  unsubscribed: limit.required(),
});

/** Body of `PATCH /brands/:brandId/brake`. */
export type BrakeLimitsChange = Partial<BrakeLimits>;

const brakeLimitsChange = Joi.object<BrakeLimitsChange, true>({
  hard: limit.description('Hard bounces, of those tried'),
  block: limit.description('Blocks, of those tried'),
  complaints: limit.description('Complaints, of those delivered'),
  unsubscribed: limit.description('Who unsubscribed, of those delivered'),
}).or(...BRAKE_FIGURES);

/** A figure that passed its limit in a campaign, a wave of it or a receiving domain, and what was decided. */
export interface Brake {
  id: number;
  /** `campaign`, `wave 2`, `domain hearthmail.example` */
  slice: string;
  figure: BrakeFigure;
  events: number;
  of: number;
  limit: number;
  at: string;
  /** Nothing was left to stop: the last message had gone. */
  warned: boolean;
  releasedAt: string | null;
  releasedBy: string | null;
  reason: string | null;
  /** What the servers said most, with how often. */
  said: { text: string; times: number }[];
  /** Where the permission of those behind it came from, the most frequent first. */
  sources: { source: string; contacts: number }[];
}

const brakeSchema = Joi.object<Brake, true>({
  id: Joi.number().required(),
  slice: anyText.required(),
  figure: oneOf(BRAKE_FIGURES).required(),
  events: Joi.number().required(),
  of: Joi.number().required(),
  limit: Joi.number().required(),
  at: instant.required(),
  warned: Joi.boolean().required(),
  releasedAt: instant.allow(null).required(),
  releasedBy: anyText.allow(null).required(),
  reason: anyText.allow(null).required(),
  said: Joi.array()
    .items(Joi.object({ text: anyText.required(), times: Joi.number().required() }))
    .required(),
  sources: Joi.array()
    .items(Joi.object({ source: anyText.required(), contacts: Joi.number().required() }))
    .required(),
});

/** One receiving domain of a campaign that is under way. */
export interface DomainProgress {
  domain: string;
  /** In waves that have begun; parked ones too. */
  waiting: number;
  accepted: number;
  refused: number;
  hard: number;
  /** Attempts that were put off. */
  putOff: number;
  /** Messages an hour now; null: as fast as the relay takes them. */
  rate: number | null;
  /** The settings. */
  perHour: number | null;
  connections: number | null;
  /** Backed off from, because it puts messages off. */
  slowed: boolean;
  stopped: boolean;
  stoppedAt: string | null;
  stoppedBy: string | null;
  stoppedBecause: string | null;
  /** The storm that stops it, until that is decided. */
  stormId: number | null;
  /** Whoever waits there gets nothing. */
  calledOff: boolean;
}

/** A campaign under way: what goes where, and what waits for what. */
export interface Progress {
  pace: CampaignPace | null;
  /** Everybody who waits is one of these. */
  waits: {
    /** Their turn comes next. */
    next: number;
    /** In a wave that has not begun. */
    laterWaves: number;
    /** At a domain that is stopped. */
    stopped: number;
    /** For the pace of their domain. */
    pace: number;
    /** To be tried again, or for a message that comes first. */
    time: number;
  };
  domains: DomainProgress[];
  brakes: Brake[];
}

const number = Joi.number().required();
const progressSchema = Joi.object<Progress, true>({
  pace: pace.allow(null).required(),
  waits: Joi.object({ next: number, laterWaves: number, stopped: number, pace: number, time: number }).required(),
  domains: Joi.array()
    .items(
      Joi.object<DomainProgress, true>({
        domain: anyText.required(),
        waiting: number,
        accepted: number,
        refused: number,
        hard: number,
        putOff: number,
        rate: Joi.number().allow(null).required(),
        perHour: Joi.number().allow(null).required(),
        connections: Joi.number().allow(null).required(),
        slowed: Joi.boolean().required(),
        stopped: Joi.boolean().required(),
        stoppedAt: instant.allow(null).required(),
        stoppedBy: anyText.allow(null).required(),
        stoppedBecause: anyText.allow(null).required(),
        stormId: Joi.number().allow(null).required(),
        calledOff: Joi.boolean().required(),
      }),
    )
    .required(),
  brakes: Joi.array().items(brakeSchema).required(),
});

/** Body of the acts on a receiving domain of a campaign. */
export interface DomainAct {
  domain: string;
  reason: string;
}

const domainAct = Joi.object<DomainAct, true>({
  domain: Joi.string().trim().lowercase().max(255).required().description('A receiving domain, as hearthmail.example'),
  reason,
});

const onDomain = { method: 'post', params: idParams, body: domainAct, answer: campaignSchema } as const;
const example = { id: 1, domain: 'hearthmail.example' };

/** How fast a campaign goes, what stops it, and what it waits for. */
export const pacing = {
  campaignProgress: contract({
    method: 'get',
    path: '/campaigns/:id/progress',
    summary: 'A campaign under way: what goes where, what waits for what, and what the brake stopped',
    params: idParams,
    answer: progressSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  setCampaignPace: contract({
    method: 'patch',
    path: '/campaigns/:id/pace',
    summary: 'How fast a campaign goes, in all and by receiving domain; also while it is under way',
    params: idParams,
    body: Joi.object<{ pace: CampaignPace | null }, true>({
      pace: pace.allow(null).required().description('null: as fast as the relay takes it'),
    }),
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: {
      id: 1,
      pace: {
        perHour: 20_000,
        connections: null,
        domains: [{ domain: 'hearthmail.example', perHour: 600, connections: 2 }],
      },
    },
  }),
  stopDomain: contract({
    ...onDomain,
    path: '/campaigns/:id/domains/stop',
    summary: 'Stop a receiving domain within a campaign; the others go on',
    problems: ['not-found', 'wrong-state'],
    example: { ...example, reason: 'their postmaster asked us to' },
  }),
  goOnWithDomain: contract({
    ...onDomain,
    path: '/campaigns/:id/domains/go-on',
    summary: 'Go on with a receiving domain that is stopped; only messages accepted since then count for its brake',
    needs: 'send',
    problems: ['not-found', 'wrong-state'],
    example: { ...example, reason: 'the twelve were old addresses of one file' },
  }),
  callOffDomain: contract({
    ...onDomain,
    path: '/campaigns/:id/domains/call-off',
    summary: 'Call off whoever waits at a receiving domain that is stopped: they get nothing',
    problems: ['not-found', 'wrong-state'],
    example: { ...example, reason: 'too old to be tried' },
  }),
  brakeLimits: contract({
    method: 'get',
    path: '/brands/:brandId/brake',
    summary: 'From which rates on campaigns of a brand are stopped',
    params: brandParams,
    answer: brakeLimitsSchema,
    problems: ['not-found'],
    example: { brandId: 1 },
  }),
  changeBrakeLimits: contract({
    method: 'patch',
    path: '/brands/:brandId/brake',
    summary: 'Change from which rates on campaigns of a brand are stopped',
    params: brandParams,
    body: brakeLimitsChange,
    answer: brakeLimitsSchema,
    problems: ['not-found'],
    example: { brandId: 1, hard: 0.02 },
  }),
};
