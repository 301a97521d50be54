import Joi from 'joi';
import {
  id,
  name,
  anyText,
  oneOf,
  instant,
  text,
  version,
  ids,
  page,
  pageOf,
  idParams,
  type PageQuery,
} from './parts.ts';
import {
  type CampaignState,
  CAMPAIGN_STATES,
  MESSAGE_FORMATS,
  type MessageFormat,
  type Purpose,
  PURPOSES,
} from '../words.ts';
import { contract } from './contract.ts';

/** A campaign in a list, with how many it went to. */
export interface CampaignListItem {
  id: number;
  name: string;
  subject: string;
  state: CampaignState;
  sentElsewhere: boolean;
  startedAt: string | null;
  changedAt: string;
  audience: number;
  accepted: number;
  waiting: number;
}

export const campaignListItemSchema = Joi.object<CampaignListItem, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  subject: anyText.required(),
  state: oneOf(CAMPAIGN_STATES).required(),
  sentElsewhere: Joi.boolean().required(),
  startedAt: instant.allow(null).required(),
  changedAt: instant.required(),
  audience: Joi.number().required(),
  accepted: Joi.number().required(),
  waiting: Joi.number().required(),
});

/**
 * When messages of a campaign may leave: on these days of the week (1 is Monday), from one time of day until another in
 * the brand's zone. Until before from is over midnight, and belongs to the day on which it begins.
 */
export interface SendWindow {
  days: number[];
  /** `09:00` */
  from: string;
  /** `18:00`; `24:00` is the end of the day. */
  until: string;
}

const time = Joi.string().pattern(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time of day, as 09:30');
const sendWindow = Joi.object<SendWindow, true>({
  days: Joi.array().items(Joi.number().integer().min(1).max(7)).unique().max(7).required(),
  from: time.required(),
  until: Joi.string()
    .pattern(/^(([01]\d|2[0-3]):[0-5]\d|24:00)$/, 'a time of day, as 18:00')
    .required(),
});

/** What the wave before has to show, so that the next one begins by itself. Rates are shares from 0 to 1. */
export interface WaveTest {
  /** With fewer delivered nothing is judged. */
  delivered: number;
  /** The most that may have bounced hard, of those tried. */
  hard: number | null;
  /** The most that may have been blocked, of those tried. */
  block: number | null;
  /** The most that may have complained, of those delivered. */
  complaints: number | null;
  /** The most that may have unsubscribed, of those delivered. */
  unsubscribed: number | null;
  /** With fewer delivered it begins all the same, if fewer than this bounced hard and nobody complained. */
  fewHard: number | null;
}

/** A part of a campaign's audience: whom a condition matches, a random share of all, or the rest. */
export type WaveOf = { condition: string } | { share: number } | { rest: true };

/** One wave: who, when, and on what. The first begins with the campaign. */
export interface WavePlan {
  of: WaveOf;
  /** Hours after the one before began; null where it has an instant of its own. */
  afterHours: number | null;
  /** RFC 3339; null where it comes some hours after the one before. */
  at: string | null;
  test: WaveTest | null;
}

const rate = Joi.number().min(0).max(1).allow(null).default(null);
const wavePlan = Joi.object<WavePlan, true>({
  of: Joi.alternatives(
    Joi.object({ condition: Joi.string().max(20_000).required() }),
    Joi.object({ share: Joi.number().greater(0).max(1).required() }),
    Joi.object({ rest: Joi.boolean().valid(true).required() }),
  ).required(),
  afterHours: Joi.number().min(0).max(8784).allow(null).default(null),
  at: instant.allow(null).default(null),
  test: Joi.object<WaveTest, true>({
    delivered: Joi.number().integer().min(1).max(10_000_000).default(200),
    hard: rate,
    block: rate,
    complaints: rate,
    unsubscribed: rate,
    fewHard: Joi.number().integer().min(1).max(1000).allow(null).default(null),
  })
    .allow(null)
    .default(null),
});

/**
 * How fast messages go: so many an hour, and so many on their way at once, of the whole campaign and of single
 * receiving domains; null: as fast as the relay takes them.
 */
export interface CampaignPace {
  perHour: number | null;
  connections: number | null;
  domains: { domain: string; perHour: number | null; connections: number | null }[];
}

const speed = {
  perHour: Joi.number()
    .integer()
    .min(1)
    .max(100_000_000)
    .allow(null)
    .default(null)
    .messages({ 'number.min': '{{#label}} must be at least 1; to hold a campaign back, pause it' })
    .description('Messages an hour'),
  connections: Joi.number()
    .integer()
    .min(1)
    .max(1000)
    .allow(null)
    .default(null)
    .messages({ 'number.min': '{{#label}} must be at least 1; to hold a campaign back, pause it' })
    .description('Messages on their way at once'),
};
export const pace = Joi.object<CampaignPace, true>({
  ...speed,
  domains: Joi.array()
    .items(
      Joi.object({ domain: Joi.string().trim().lowercase().domain({ tlds: false }).max(255).required(), ...speed }),
    )
    .unique('domain')
    .max(100)
    .default([]),
});

export interface Campaign {
  id: number;
  brandId: number;
  name: string;
  purpose: Purpose;
  /** Of a service message: why each recipient has to get it. */
  statement: string;
  /** HTML and text, or plain text alone. */
  format: MessageFormat;
  subject: string;
  /** What mailboxes show after the subject; with HTML only. */
  previewLine: string;
  html: string;
  text: string;
  /** Whether links of plain text alone are counted; those of HTML always are. */
  countLinks: boolean;
  listIds: number[];
  leftOutListIds: number[];
  segmentIds: number[];
  leftOutSegmentIds: number[];
  /** From 1 to 5: of two that compete for one contact’s last place under a cap the lower gets it. */
  priority: number;
  /** Nobody gets it who had a message in so many days. */
  restDays: number | null;
  /** When its messages may leave; null: always. */
  sendWindow: SendWindow | null;
  /** Its parts, in order; null: everybody at once. */
  waves: WavePlan[] | null;
  /** How fast it goes; null: as fast as the relay takes it. */
  pace: CampaignPace | null;
  /** The last wave that has begun. */
  wave: number;
  /** When it is to start, while it is scheduled. */
  startsAt: string | null;
  /** By what share the number who get it may move until it starts by itself. */
  tolerance: number;
  /** Until when it rests, while it does. */
  restsUntil: string | null;
  state: CampaignState;
  /** Rises with each change of the draft. */
  version: number;
  pausedBecause: string | null;
  trouble: string | null;
  sentElsewhere: boolean;
  changedAt: string;
  startedAt: string | null;
  finishedAt: string | null;
  /** Since when the relay refuses; null while it does not. */
  troubleSince: string | null;
  createdAt: string;
}

export const campaignSchema = Joi.object<Campaign, true>({
  id: Joi.number().required(),
  brandId: Joi.number().required(),
  name: anyText.required(),
  purpose: oneOf(PURPOSES).required(),
  statement: anyText.required(),
  format: oneOf(MESSAGE_FORMATS).required(),
  subject: anyText.required(),
  previewLine: anyText.required(),
  html: anyText.required(),
  text: anyText.required(),
  countLinks: Joi.boolean().required(),
  listIds: Joi.array().items(Joi.number()).required(),
  leftOutListIds: Joi.array().items(Joi.number()).required(),
  segmentIds: Joi.array().items(Joi.number()).required(),
  leftOutSegmentIds: Joi.array().items(Joi.number()).required(),
  priority: Joi.number().required(),
  restDays: Joi.number().allow(null).required(),
  sendWindow: sendWindow.allow(null).required(),
  waves: Joi.array().items(wavePlan).allow(null).required(),
  pace: pace.allow(null).required(),
  wave: Joi.number().required(),
  startsAt: instant.allow(null).required(),
  tolerance: Joi.number().required(),
  restsUntil: instant.allow(null).required(),
  state: oneOf(CAMPAIGN_STATES).required(),
  version: Joi.number().required(),
  pausedBecause: anyText.allow(null).required(),
  trouble: anyText.allow(null).required(),
  sentElsewhere: Joi.boolean().required(),
  changedAt: instant.required(),
  startedAt: instant.allow(null).required(),
  finishedAt: instant.allow(null).required(),
  troubleSince: instant.allow(null).required(),
  createdAt: instant.required(),
});

/** What a message says, as its author writes it. */
const messageFields = {
  format: oneOf(MESSAGE_FORMATS),
  subject: text(900).allow(''),
  previewLine: text(500).allow(''),
  html: Joi.string().max(1_000_000).allow(''),
  text: Joi.string().max(1_000_000).allow(''),
  countLinks: Joi.boolean(),
  statement: text(2000).allow(''),
};

/** Something that keeps a message from being sent, at its character of a field. */
export interface MessageProblem {
  code: string;
  field: string;
  at: number;
  /** Where it ends; as `at`, where it is about all of the field. */
  end: number;
  message: string;
}

export const messageProblemSchema = Joi.object<MessageProblem, true>({
  code: anyText.required(),
  field: anyText.required(),
  at: Joi.number().required(),
  end: Joi.number().required(),
  message: anyText.required(),
});

/** A draft as it was kept, with what keeps it from being sent as it is. */
export interface KeptDraft extends Campaign {
  problems: MessageProblem[];
}

const keptDraftSchema = campaignSchema.append<KeptDraft>({
  problems: Joi.array().items(messageProblemSchema).required(),
});

export const draft = {
  name: name(200),
  purpose: oneOf(PURPOSES),
  ...messageFields,
  listIds: ids,
  leftOutListIds: ids,
  segmentIds: ids,
  leftOutSegmentIds: ids,
  priority: Joi.number().integer().min(1).max(5),
  restDays: Joi.number().integer().min(1).max(366).allow(null),
  sendWindow: sendWindow.allow(null),
  waves: Joi.array().items(wavePlan).min(2).max(10).allow(null),
  pace: pace.allow(null),
};

/** Body of `POST /campaigns`. */
export interface NewCampaign {
  name: string;
  purpose?: Purpose;
  statement?: string;
  format?: MessageFormat;
  subject?: string;
  previewLine?: string;
  html?: string;
  text?: string;
  countLinks?: boolean;
  listIds?: number[];
  leftOutListIds?: number[];
  segmentIds?: number[];
  leftOutSegmentIds?: number[];
  priority?: number;
  restDays?: number | null;
  sendWindow?: SendWindow | null;
  waves?: WavePlan[] | null;
  pace?: CampaignPace | null;
  brandId: number;
}

/** What a message says, and to whom, with what is taken where nothing is given. */
export const ofMessage = {
  brandId: id.required(),
  purpose: draft.purpose.default('marketing'),
  statement: draft.statement.default('').description('Of a service message: why each recipient has to get it'),
  format: draft.format.default('html').description('HTML with a text part, or plain text alone'),
  subject: draft.subject.default(''),
  previewLine: draft.previewLine.default('').description('What mailboxes show after the subject; with HTML only'),
  html: draft.html.default(''),
  text: draft.text.default('').description('The text part; made from the HTML where it is empty'),
  countLinks: draft.countLinks.default(false).description('Whether links of plain text alone are counted'),
  listIds: ids.default([]),
  leftOutListIds: ids.default([]),
  segmentIds: ids.default([]).description('Segments taken in; a campaign needs a list or one of these'),
  leftOutSegmentIds: ids.default([]),
};

const ofNewCampaign = {
  ...draft,
  ...ofMessage,
  name: draft.name.required(),
  priority: draft.priority
    .default(3)
    .description('Of two that compete for one contact’s last place under a cap the one with the lower number gets it'),
  restDays: draft.restDays.default(null).description('Nobody gets it who had a marketing message in so many days'),
  sendWindow: draft.sendWindow.default(null).description('Days and hours in which it is sent, in the brand’s zone'),
  waves: draft.waves.default(null).description('Its parts, in order; the last is the rest'),
  pace: draft.pace.default(null).description('How fast it goes, in all and by receiving domain'),
};

const newCampaign = Joi.object<NewCampaign, true>(ofNewCampaign);

/** Body of `POST /campaigns/elsewhere`. */
export interface ElsewhereCampaign extends NewCampaign {
  startedAt: string;
}

const elsewhereCampaign = Joi.object<ElsewhereCampaign, true>({
  ...ofNewCampaign,
  startedAt: instant.required(),
});

/** Body of `PATCH /campaigns/:id`. */
export interface CampaignChangeRequest extends Partial<Omit<NewCampaign, 'brandId'>> {
  version?: number;
}

const campaignChange = Joi.object<CampaignChangeRequest, true>({ ...draft, version }).or(...Object.keys(draft));

/** Query of `GET /campaigns`. */
export interface CampaignQuery extends PageQuery {
  brandId?: number;
  state?: CampaignState;
}

const campaignQuery = Joi.object<CampaignQuery, true>({ ...page, brandId: id, state: oneOf(CAMPAIGN_STATES) });

/** Query of `DELETE /campaigns/:id`. */
export interface DraftQuery {
  version?: number;
}

const draftQuery = Joi.object<DraftQuery, true>({ version });

/** What of a message may be left out. */
export const FILLED_OF_MESSAGE = [
  'purpose',
  'statement',
  'format',
  'subject',
  'previewLine',
  'html',
  'text',
  'countLinks',
  'listIds',
  'leftOutListIds',
  'segmentIds',
  'leftOutSegmentIds',
] as const;
const FILLED = [...FILLED_OF_MESSAGE, 'priority', 'restDays', 'sendWindow', 'waves', 'pace'] as const;

/** Campaigns. */
export const campaigns = {
  campaigns: contract({
    method: 'get',
    path: '/campaigns',
    summary: 'Campaigns, latest first',
    query: campaignQuery,
    filled: ['limit'],
    answer: pageOf(campaignListItemSchema),
    example: { brandId: 1, state: 'draft', limit: 20 },
  }),
  createCampaign: contract({
    method: 'post',
    path: '/campaigns',
    summary: 'Create a campaign as a draft',
    body: newCampaign,
    filled: FILLED,
    status: 201,
    answer: keptDraftSchema,
    problems: ['name-taken', 'not-found'],
    example: {
      brandId: 1,
      name: 'The sky in December',
      subject: 'The sky in December',
      html: '<p>Dear [[first_name else "reader"]], <a href="https://larkfield.example/sky">look up</a>.</p>',
      listIds: [1],
    },
  }),
  recordCampaign: contract({
    method: 'post',
    path: '/campaigns/elsewhere',
    summary: 'Record a campaign that another system sent, so that events can name it',
    body: elsewhereCampaign,
    filled: FILLED,
    status: 201,
    answer: campaignSchema,
    problems: ['name-taken', 'not-found'],
    example: { brandId: 1, name: 'The sky in November', listIds: [1], startedAt: '2026-11-02T09:00:00Z' },
  }),
  campaign: contract({
    method: 'get',
    path: '/campaigns/:id',
    summary: 'One campaign',
    params: idParams,
    answer: campaignSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  changeCampaign: contract({
    method: 'patch',
    path: '/campaigns/:id',
    summary: 'Change a draft',
    params: idParams,
    body: campaignChange,
    answer: keptDraftSchema,
    problems: ['changed-meanwhile', 'name-taken', 'not-found', 'wrong-state'],
    example: { id: 1, subject: 'What to see in December' },
  }),
  removeDraft: contract({
    method: 'delete',
    path: '/campaigns/:id',
    summary: 'Delete a draft that no segment speaks of',
    params: idParams,
    query: draftQuery,
    status: 204,
    problems: ['changed-meanwhile', 'not-found', 'wrong-state'],
    example: { id: 1 },
  }),
};
