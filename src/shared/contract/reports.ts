import Joi from 'joi';
import { anyText, arrayOf, oneOf, instant, text, page, countedPageOf, idParams, type PageQuery } from './parts.ts';
import {
  type CampaignState,
  CAMPAIGN_STATES,
  type DeliveryState,
  type Reason,
  DELIVERY_STATES,
  REASONS,
  type Purpose,
  PURPOSES,
  type EventKind,
  EVENT_KINDS,
  BOUNCE_CLASSES,
} from '../words.ts';
import { cappedBySchema, leftOutBySchema, whatLeavesOut, type CappedBy, type LeftOutBy } from './held-by.ts';
import { setAsideSchema, type SetAside } from './exclusions.ts';
import { contract } from './contract.ts';

/** One recipient of a campaign in its ledger; `reply` is what the relay said. */
export interface Recipient {
  contactId: number;
  address: string;
  name: string | null;
  archived: boolean;
  state: DeliveryState;
  reasons: Reason[];
  at: string | null;
  reply: string | null;
  /** What leaves them out, where that is among the reasons. */
  leftOutBy: LeftOutBy | null;
  /** The cap that was full, where that is among the reasons. */
  cappedBy: CappedBy | null;
}

const recipientSchema = Joi.object<Recipient, true>({
  contactId: Joi.number().required(),
  address: anyText.required(),
  name: anyText.allow(null).required(),
  archived: Joi.boolean().required(),
  state: oneOf(DELIVERY_STATES).required(),
  reasons: Joi.array().items(oneOf(REASONS)).required(),
  at: instant.allow(null).required(),
  reply: anyText.allow(null).required(),
  leftOutBy: leftOutBySchema.allow(null).required(),
  cappedBy: cappedBySchema.allow(null).required(),
});

/** A rate with its limit. `rate` is null while the denominator is nothing; nothing is judged under 200. */
export interface Rate {
  name: 'bounce' | 'hard' | 'complaint' | 'unsubscribe';
  count: number;
  of: number;
  /** count ÷ of. */
  rate: number | null;
  limit: number;
  over: boolean | null;
}

const rateSchema = Joi.object<Rate, true>({
  name: Joi.string().valid('bounce', 'hard', 'complaint', 'unsubscribe').required(),
  count: Joi.number().required(),
  of: Joi.number().required(),
  rate: Joi.number().allow(null).required(),
  limit: Joi.number().required(),
  over: Joi.boolean().allow(null).required(),
});

/** What became of a campaign: the ledger, what came back, who acted. Contacts, not events, are counted. */
export interface CampaignReport {
  campaignId: number;
  state: CampaignState;
  pausedBecause: string | null;
  trouble: string | null;
  startedAt: string | null;
  finishedAt: string | null;
  /** audience = accepted + refused + uncertain + waiting + onTheirWay + heldBack, always. */
  ledger: {
    audience: number;
    accepted: number;
    refused: number;
    uncertain: number;
    waiting: number;
    onTheirWay: number;
    heldBack: number;
    /** Whoever is left out is counted by what leaves them out; `by` is null for every other reason. */
    reasons: { reason: Reason; by: LeftOutBy | null; contacts: number }[];
    agrees: boolean;
  };
  /** Standing exclusions that it did without. */
  setAside: SetAside[];
  at: string;
  /** accepted − bounced. */
  delivered: number;
  /** Of those accepted: what came back later, by class. */
  bounced: { hard: number; soft: number; block: number; any: number };
  /** What the relay refused at once, by class; in the ledger they are refused, and never were accepted. */
  refusedAs: { hard: number; soft: number; block: number; any: number };
  opened: { human: number; any: number };
  clicked: { human: number; any: number };
  complained: number;
  unsubscribed: number;
  rates: Rate[];
  domains: {
    domain: string;
    accepted: number;
    refused: number;
    /** Of those accepted, later. */
    bounced: number;
    opened: number;
    clicked: number;
    complained: number;
  }[];
}

const campaignReportSchema = Joi.object<CampaignReport, true>({
  campaignId: Joi.number().required(),
  state: oneOf(CAMPAIGN_STATES).required(),
  pausedBecause: anyText.allow(null).required(),
  trouble: anyText.allow(null).required(),
  startedAt: instant.allow(null).required(),
  finishedAt: instant.allow(null).required(),
  ledger: Joi.object<CampaignReport['ledger'], true>({
    audience: Joi.number().required(),
    accepted: Joi.number().required(),
    refused: Joi.number().required(),
    uncertain: Joi.number().required(),
    waiting: Joi.number().required(),
    onTheirWay: Joi.number().required(),
    heldBack: Joi.number().required(),
    reasons: Joi.array()
      .items(
        Joi.object<CampaignReport['ledger']['reasons'][number], true>({
          reason: oneOf(REASONS).required(),
          by: leftOutBySchema.allow(null).required(),
          contacts: Joi.number().required(),
        }),
      )
      .required(),
    agrees: Joi.boolean().required(),
  }).required(),
  setAside: Joi.array().items(setAsideSchema).required(),
  at: instant.required(),
  delivered: Joi.number().required(),
  bounced: Joi.object<CampaignReport['bounced'], true>({
    hard: Joi.number().required(),
    soft: Joi.number().required(),
    block: Joi.number().required(),
    any: Joi.number().required(),
  }).required(),
  refusedAs: Joi.object<CampaignReport['refusedAs'], true>({
    hard: Joi.number().required(),
    soft: Joi.number().required(),
    block: Joi.number().required(),
    any: Joi.number().required(),
  }).required(),
  opened: Joi.object<CampaignReport['opened'], true>({
    human: Joi.number().required(),
    any: Joi.number().required(),
  }).required(),
  clicked: Joi.object<CampaignReport['clicked'], true>({
    human: Joi.number().required(),
    any: Joi.number().required(),
  }).required(),
  complained: Joi.number().required(),
  unsubscribed: Joi.number().required(),
  rates: Joi.array().items(rateSchema).required(),
  domains: Joi.array()
    .items(
      Joi.object<CampaignReport['domains'][number], true>({
        domain: anyText.required(),
        accepted: Joi.number().required(),
        refused: Joi.number().required(),
        bounced: Joi.number().required(),
        opened: Joi.number().required(),
        clicked: Joi.number().required(),
        complained: Joi.number().required(),
      }),
    )
    .required(),
});

/** Shares of those to whom it was delivered. */
export interface ActShares {
  opened: { human: number; any: number };
  clicked: { human: number; any: number };
  complained: number;
  unsubscribed: number;
}

const byActor = Joi.object<ActShares['opened'], true>({ human: Joi.number().required(), any: Joi.number().required() });
const actSharesSchema = Joi.object<ActShares, true>({
  opened: byActor.required(),
  clicked: byActor.required(),
  complained: Joi.number().required(),
  unsubscribed: Joi.number().required(),
});

/** How many had first done so within so many hours after each of them got it; `…Any` with machines. */
export interface ActsByHour {
  hours: number;
  opened: number;
  openedAny: number;
  clicked: number;
  clickedAny: number;
}

const actsByHourSchema = Joi.object<ActsByHour, true>({
  hours: Joi.number().required(),
  opened: Joi.number().required(),
  openedAny: Joi.number().required(),
  clicked: Joi.number().required(),
  clickedAny: Joi.number().required(),
});

/** What people did with a campaign, and what is usual. */
export interface WhatCame {
  campaignId: number;
  byHour: ActsByHour[];
  /** Most clicked by people first, a hundred at most. */
  links: { number: number; url: string; people: number; anyone: number }[];
  /** The medians of the brand's last ten finished campaigns of this purpose before it; null where there is none. */
  usual: { campaigns: number; shares: ActShares; opening: { hours: number; share: number }[] } | null;
}

const whatCameSchema = Joi.object<WhatCame, true>({
  campaignId: Joi.number().required(),
  byHour: Joi.array().items(actsByHourSchema).required(),
  links: Joi.array()
    .items(
      Joi.object<WhatCame['links'][number], true>({
        number: Joi.number().required(),
        url: anyText.required(),
        people: Joi.number().required(),
        anyone: Joi.number().required(),
      }),
    )
    .required(),
  usual: Joi.object<NonNullable<WhatCame['usual']>, true>({
    campaigns: Joi.number().required(),
    shares: actSharesSchema.required(),
    opening: Joi.array()
      .items(
        Joi.object<NonNullable<WhatCame['usual']>['opening'][number], true>({
          hours: Joi.number().required(),
          share: Joi.number().required(),
        }),
      )
      .required(),
  })
    .allow(null)
    .required(),
});

/** A campaign beside others. */
export interface ComparedCampaign {
  id: number;
  name: string;
  subject: string;
  brandId: number;
  purpose: Purpose;
  state: CampaignState;
  startedAt: string | null;
  finishedAt: string | null;
  audience: number;
  heldBack: number;
  refused: number;
  accepted: number;
  uncertain: number;
  delivered: number;
  /** Null while it is delivered to nobody. */
  shares: ActShares | null;
  rates: Rate[];
  byHour: ActsByHour[];
}

const comparedCampaignSchema = Joi.object<ComparedCampaign, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  subject: anyText.allow('').required(),
  brandId: Joi.number().required(),
  purpose: oneOf(PURPOSES).required(),
  state: oneOf(CAMPAIGN_STATES).required(),
  startedAt: instant.allow(null).required(),
  finishedAt: instant.allow(null).required(),
  audience: Joi.number().required(),
  heldBack: Joi.number().required(),
  refused: Joi.number().required(),
  accepted: Joi.number().required(),
  uncertain: Joi.number().required(),
  delivered: Joi.number().required(),
  shares: actSharesSchema.allow(null).required(),
  rates: Joi.array().items(rateSchema).required(),
  byHour: Joi.array().items(actsByHourSchema).required(),
});

/** Query of `GET /compared-campaigns`. */
export interface CompareQuery {
  ids: string;
}

const compareQuery = Joi.object<CompareQuery, true>({
  ids: Joi.string()
    .pattern(/^\d{1,9}(,\d{1,9}){1,19}$/, 'numbers of two to twenty campaigns, with commas between')
    .required()
    .description('Numbers of two to twenty campaigns, with commas between'),
});

/** Query of `GET /campaigns/:id/recipients.csv`. */
export interface RecipientsFileQuery {
  state?: 'held-back' | 'queued' | 'claimed' | 'accepted' | 'refused' | 'uncertain' | 'waiting';
  reason?: Reason;
  by?: string;
  acted?: EventKind;
  actor?: 'human' | 'machine' | 'unknown' | 'hard' | 'soft' | 'block';
  domain?: string;
  wave?: number;
  link?: number;
  part?: string;
}

/** Of the whole file; a page of them is asked for with more. */
const ofRecipients = {
  state: Joi.string()
    .valid(...DELIVERY_STATES, 'waiting')
    .description('In the ledger; waiting is queued or on the way'),
  reason: oneOf(REASONS),
  by: whatLeavesOut,
  acted: oneOf(EVENT_KINDS),
  actor: Joi.string().valid('human', 'machine', 'unknown', ...BOUNCE_CLASSES),
  domain: Joi.string().trim().lowercase().max(255).description('Receiving domain'),
  wave: Joi.number().integer().min(1).max(10),
  link: Joi.number().integer().min(1).max(100_000).description('Of who acted: with this link, by its number'),
  part: text(320).allow('').default('').description('Part of an address or name'),
};

const recipientsFileQuery = Joi.object<RecipientsFileQuery, true>(ofRecipients);

/** Query of `GET /campaigns/:id/recipients`. */
export interface RecipientsQuery extends RecipientsFileQuery, PageQuery {}

const recipientsQuery = Joi.object<RecipientsQuery, true>({ ...ofRecipients, ...page });

/** What came of campaigns. */
export const reports = {
  report: contract({
    method: 'get',
    path: '/campaigns/:id/report',
    summary: 'Ledger, what came back, who acted',
    params: idParams,
    answer: campaignReportSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  whatCame: contract({
    method: 'get',
    path: '/campaigns/:id/what-came',
    summary: 'When people acted, with which links, and beside what is usual for the brand',
    params: idParams,
    answer: whatCameSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  compareCampaigns: contract({
    method: 'get',
    path: '/compared-campaigns',
    summary: 'Campaigns side by side, in the order in which they are named',
    query: compareQuery,
    answer: arrayOf(comparedCampaignSchema),
    problems: ['not-found'],
    example: { ids: '1,2' },
  }),
  recipients: contract({
    method: 'get',
    path: '/campaigns/:id/recipients',
    summary: 'The contacts behind one figure of the report',
    params: idParams,
    query: recipientsQuery,
    filled: ['part', 'limit'],
    answer: countedPageOf(recipientSchema),
    example: { id: 1, state: 'held-back', limit: 20 },
  }),
  exportRecipients: contract({
    method: 'get',
    path: '/campaigns/:id/recipients.csv',
    summary: 'The same as a CSV file, all of them',
    answers: 'text/csv',
    params: idParams,
    query: recipientsFileQuery,
    filled: ['part'],
    example: { id: 1, state: 'accepted' },
  }),
};
