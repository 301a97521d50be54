import { campaignSchema, messageProblemSchema, type MessageProblem } from './campaigns.ts';
import { cappedBySchema, leftOutBySchema, whatLeavesOut, type CappedBy, type LeftOutBy } from './held-by.ts';
import { setAsideSchema, type SetAside } from './exclusions.ts';
import Joi from 'joi';
import { anyText, oneOf, instant, text, page, pageOf, idParams, arrayOf, type PageQuery } from './parts.ts';
import { type CampaignState, CAMPAIGN_STATES, IN_SPITE_OF, type InSpiteOf, type Reason, REASONS } from '../words.ts';
import { contract } from './contract.ts';

/**
 * A campaign with its message and audience. `pausedBecause` is set while it is paused, `trouble` while the relay
 * refuses.
 */
/** One change of a campaign’s state: who or what, and why. */
export interface CampaignChange {
  id: number;
  at: string;
  before: CampaignState;
  after: CampaignState;
  actorKind: 'person' | 'rule';
  actor: string;
  because: string | null;
}

const campaignChangeSchema = Joi.object<CampaignChange, true>({
  id: Joi.number().required(),
  at: instant.required(),
  before: oneOf(CAMPAIGN_STATES).required(),
  after: oneOf(CAMPAIGN_STATES).required(),
  actorKind: Joi.string().valid('person', 'rule').required(),
  actor: anyText.required(),
  because: anyText.allow(null).required(),
});

/** A contact of the audience, with every reason that holds them back; none means they will get it. */
export interface JudgedContact {
  contactId: number;
  address: string;
  name: string | null;
  reasons: Reason[];
  /** What leaves them out, where that is among the reasons. */
  leftOutBy: LeftOutBy | null;
  /** The cap that is full, where that is among the reasons. */
  cappedBy: CappedBy | null;
}

const judgedContactSchema = Joi.object<JudgedContact, true>({
  contactId: Joi.number().required(),
  address: anyText.required(),
  name: anyText.allow(null).required(),
  reasons: Joi.array().items(oneOf(REASONS)).required(),
  leftOutBy: leftOutBySchema.allow(null).required(),
  cappedBy: cappedBySchema.allow(null).required(),
});

/** How many are held back for one reason, and if they are left out, by one thing; with three of them. */
export interface HeldBackCount {
  reason: Reason;
  by: LeftOutBy | null;
  contacts: number;
  sample: { contactId: number; name: string | null; address: string }[];
}

const heldBackCountSchema = Joi.object<HeldBackCount, true>({
  reason: oneOf(REASONS).required(),
  by: leftOutBySchema.allow(null).required(),
  contacts: Joi.number().required(),
  sample: Joi.array()
    .items(
      Joi.object<HeldBackCount['sample'][number], true>({
        contactId: Joi.number().required(),
        name: anyText.allow(null).required(),
        address: anyText.required(),
      }),
    )
    .required(),
});

/** A part of the audience that goes at its own time; `odd` says what is strange about it. */
export interface PreflightWave {
  wave: number;
  who: string;
  willGet: number;
  heldBack: number;
  odd: string | null;
}

/** The audience before anything is sent: everybody counted once, under the first reason that applies. */
export interface Preflight {
  campaignId: number;
  /** Of the draft: to be said back when it is started. */
  version: number;
  countedAt: string;
  audience: number;
  willGet: number;
  heldBack: number;
  reasons: HeldBackCount[];
  /**
   * For purpose service: whom it reaches although they complained, opted out or are at sunset; one contact may be in
   * several.
   */
  inSpiteOf: HeldBackCount[];
  /** How many those are, each once: to be said back when it is started. */
  reachedInSpite: number;
  /** Standing exclusions that it does without. */
  setAside: SetAside[];
  /** Its parts, if it goes in parts. */
  waves: PreflightWave[];
  domains: { domain: string; contacts: number; accepted: number; bounced: number }[];
  problems: MessageProblem[];
}

const preflightSchema = Joi.object<Preflight, true>({
  campaignId: Joi.number().required(),
  version: Joi.number().required(),
  countedAt: instant.required(),
  audience: Joi.number().required(),
  willGet: Joi.number().required(),
  heldBack: Joi.number().required(),
  reasons: Joi.array().items(heldBackCountSchema).required(),
  inSpiteOf: Joi.array().items(heldBackCountSchema).required(),
  reachedInSpite: Joi.number().required(),
  setAside: Joi.array().items(setAsideSchema).required(),
  waves: Joi.array()
    .items(
      Joi.object<PreflightWave, true>({
        wave: Joi.number().required(),
        who: anyText.required(),
        willGet: Joi.number().required(),
        heldBack: Joi.number().required(),
        odd: anyText.allow(null).required(),
      }),
    )
    .required(),
  domains: Joi.array()
    .items(
      Joi.object<Preflight['domains'][number], true>({
        domain: anyText.required(),
        contacts: Joi.number().required(),
        accepted: Joi.number().required(),
        bounced: Joi.number().required(),
      }),
    )
    .required(),
  problems: Joi.array().items(messageProblemSchema).required(),
});

/** Body of `POST /campaigns/:id/start`. */
export interface StartRequest {
  expect: number;
  inSpite?: number;
  version?: number;
}

export const inSpite = Joi.number()
  .integer()
  .min(0)
  .default(0)
  .description(
    'How many the preflight said a service message reaches although they opted out, complained or are at sunset',
  );

const startRequest = Joi.object<StartRequest, true>({
  expect: Joi.number().integer().min(0).required().description('How many the preflight said will get it'),
  inSpite,
  version: Joi.number()
    .integer()
    .min(1)
    .description('The version of the draft that the preflight was of; one that was changed since does not start'),
});

/** Body of `POST /campaigns/:id/pause`. */
export interface PauseRequest {
  reason?: string;
}

const pauseRequest = Joi.object<PauseRequest, true>({ reason: text(500).default('paused by a person') });

/** Body of `POST /campaigns/:id/resume`. */
export interface ResumeRequest {
  reason?: string;
}

const resumeRequest = Joi.object<ResumeRequest, true>({
  reason: text(500).allow('').default('').description('Why; needed after the brake'),
});

/** Query of `GET /campaigns/:id/preflight/contacts`. */
export interface PreflightContactsQuery extends PageQuery {
  reason?: Reason;
  by?: string;
  inSpiteOf?: InSpiteOf;
}

const preflightContactsQuery = Joi.object<PreflightContactsQuery, true>({
  ...page,
  reason: oneOf(REASONS).description('Deciding reason; left out: those who will get it'),
  by: whatLeavesOut,
  inSpiteOf: oneOf(IN_SPITE_OF).description('Whom a service message reaches although this would hold marketing back'),
}).oxor('reason', 'inSpiteOf');

/** Campaigns on their way: preflight, sending. */
export const sending = {
  preflight: contract({
    method: 'get',
    path: '/campaigns/:id/preflight',
    summary: 'The audience with every hold-back counted, before anything is sent',
    params: idParams,
    answer: preflightSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { id: 1 },
  }),
  preflightContacts: contract({
    method: 'get',
    path: '/campaigns/:id/preflight/contacts',
    summary: 'The contacts behind one figure of the preflight',
    params: idParams,
    query: preflightContactsQuery,
    filled: ['limit'],
    answer: pageOf(judgedContactSchema),
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { id: 1, reason: 'suppressed', limit: 20 },
  }),
  startCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/start',
    summary: 'Start sending',
    needs: 'send',
    params: idParams,
    body: startRequest,
    filled: ['inSpite'],
    answer: campaignSchema,
    problems: [
      'bad-condition',
      'count-moved',
      'message-unfit',
      'nobody-left',
      'not-found',
      'took-too-long',
      'wrong-state',
    ],
    example: { id: 1, expect: 3 },
  }),
  pauseCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/pause',
    summary: 'Pause sending; nothing more leaves',
    params: idParams,
    body: pauseRequest,
    filled: ['reason'],
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, reason: 'a wrong date in the second paragraph' },
  }),
  resumeCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/resume',
    summary: 'Go on sending; after the brake with a reason',
    needs: 'send',
    params: idParams,
    body: resumeRequest,
    filled: ['reason'],
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, reason: 'the wrong date is mended' },
  }),
  cancelCampaign: contract({
    method: 'post',
    path: '/campaigns/:id/cancel',
    summary: 'Cancel for good; who still waits gets nothing',
    params: idParams,
    answer: campaignSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  campaignChanges: contract({
    method: 'get',
    path: '/campaigns/:id/changes',
    summary: 'Who started, paused, resumed or cancelled a campaign, and why',
    params: idParams,
    answer: arrayOf(campaignChangeSchema),
    problems: ['not-found'],
    example: { id: 1 },
  }),
};
