import Joi from 'joi';
import { anyText, arrayOf, id, idParams, instant, name, reason } from './parts.ts';
import { ofBrandOrAll } from './caps.ts';
import { campaignSchema } from './campaigns.ts';
import { contract } from './contract.ts';

/** Whom every marketing campaign of a brand, or of all brands, leaves out, said once. */
export interface Exclusion {
  id: number;
  /** Null: every brand leaves them out. */
  brandId: number | null;
  name: string;
  /** One of the three is what it is about; the others are null. */
  listId: number | null;
  segmentId: number | null;
  condition: string | null;
  reason: string;
  begunBy: string;
  begunAt: string;
  endedBy: string | null;
  endedAt: string | null;
  endedBecause: string | null;
}

const exclusionSchema = Joi.object<Exclusion, true>({
  id: Joi.number().required(),
  brandId: Joi.number().allow(null).required(),
  name: anyText.required(),
  listId: Joi.number().allow(null).required(),
  segmentId: Joi.number().allow(null).required(),
  condition: anyText.allow(null).required(),
  reason: anyText.required(),
  begunBy: anyText.required(),
  begunAt: instant.required(),
  endedBy: anyText.allow(null).required(),
  endedAt: instant.allow(null).required(),
  endedBecause: anyText.allow(null).required(),
});

/** A standing exclusion that one campaign does without. */
export interface SetAside {
  exclusionId: number;
  name: string;
  reason: string;
  setBy: string;
  setAt: string;
}

export const setAsideSchema = Joi.object<SetAside, true>({
  exclusionId: Joi.number().required(),
  name: anyText.required(),
  reason: anyText.required(),
  setBy: anyText.required(),
  setAt: instant.required(),
});

/** Body of `POST /exclusions`. */
export interface NewExclusion {
  brandId?: number | null;
  name: string;
  listId?: number;
  segmentId?: number;
  condition?: string;
  reason: string;
}

const newExclusion = Joi.object<NewExclusion, true>({
  brandId: id.allow(null).description('Left out or null: every brand'),
  name: name(200).required(),
  listId: id.description('Whoever is subscribed to this list'),
  segmentId: id.description('Whoever is in this segment'),
  condition: Joi.string().max(20_000).description('Whomever it matches, asked of the brand that writes'),
  reason,
}).xor('listId', 'segmentId', 'condition');

/** How many a standing exclusion would leave out of those to whom a brand may write now. */
export interface LeftOutOfBrand {
  brandId: number;
  brandName: string;
  mayBeWritten: number;
  leftOut: number;
}

const leftOutOfBrandSchema = Joi.object<LeftOutOfBrand, true>({
  brandId: Joi.number().required(),
  brandName: anyText.required(),
  mayBeWritten: Joi.number().required(),
  leftOut: Joi.number().required(),
});

/** Body of `POST /exclusions/:id/end`. */
export interface EndExclusionRequest {
  reason: string;
}

const endExclusionRequest = Joi.object<EndExclusionRequest, true>({ reason });

/** Body of `POST /campaigns/:id/set-aside`. */
export interface SetAsideRequest {
  exclusionId: number;
  reason: string;
}

const setAsideRequest = Joi.object<SetAsideRequest, true>({ exclusionId: id.required(), reason });

/** Parameters of `DELETE /campaigns/:id/set-aside/:exclusionId`. */
export interface SetAsideParams {
  id: number;
  exclusionId: number;
}

const setAsideParams = Joi.object<SetAsideParams, true>({ id: id.required(), exclusionId: id.required() });

/** Standing exclusions. */
export const exclusions = {
  exclusions: contract({
    method: 'get',
    path: '/exclusions',
    summary: 'Whom every marketing campaign leaves out',
    query: ofBrandOrAll,
    answer: arrayOf(exclusionSchema),
    example: { brandId: 1 },
  }),
  previewExclusion: contract({
    method: 'post',
    path: '/exclusions/preview',
    summary: 'Of those to whom each brand may write, how many a standing exclusion would leave out',
    body: newExclusion,
    answer: arrayOf(leftOutOfBrandSchema),
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { brandId: 1, name: 'Bounced lately', condition: 'bounced in the last 45 days', reason: 'left alone' },
  }),
  createExclusion: contract({
    method: 'post',
    path: '/exclusions',
    summary: 'Leave a list, a segment or whomever a condition matches out of every marketing campaign',
    body: newExclusion,
    status: 201,
    answer: exclusionSchema,
    problems: ['bad-condition', 'name-taken', 'not-found', 'took-too-long'],
    example: {
      brandId: 1,
      name: 'Bounced lately',
      condition: 'bounced in the last 45 days',
      reason: 'what came back once is left alone for a while',
    },
  }),
  endExclusion: contract({
    method: 'post',
    path: '/exclusions/:id/end',
    summary: 'End a standing exclusion',
    params: idParams,
    body: endExclusionRequest,
    answer: exclusionSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, reason: 'the season is over' },
  }),
  setAside: contract({
    method: 'get',
    path: '/campaigns/:id/set-aside',
    summary: 'Standing exclusions that a campaign does without, and why',
    params: idParams,
    answer: arrayOf(setAsideSchema),
    problems: ['not-found'],
    example: { id: 1 },
  }),
  setExclusionAside: contract({
    method: 'post',
    path: '/campaigns/:id/set-aside',
    summary: 'Do without a standing exclusion in this draft; suppression cannot be set aside',
    needs: 'send',
    params: idParams,
    body: setAsideRequest,
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, exclusionId: 1, reason: 'the notice concerns exactly these people' },
  }),
  takeExclusionUp: contract({
    method: 'delete',
    path: '/campaigns/:id/set-aside/:exclusionId',
    summary: 'Take a standing exclusion up again that this draft has set aside',
    params: setAsideParams,
    answer: campaignSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, exclusionId: 1 },
  }),
};
