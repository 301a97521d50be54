import Joi from 'joi';
import { reason, anyText, instant, arrayOf, idParams } from './parts.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';

/** Hard bounces of a receiving domain that suddenly failed: held for a person, or decided. */
export interface Storm {
  id: number;
  domain: string;
  begins: string;
  ends: string;
  state: 'held' | 'released' | 'dismissed';
  /** Messages handed over for the domain in the hours before, when it was seen. */
  messages: number;
  bounces: number;
  contacts: number;
  said: string | null;
  decidedAt: string | null;
  decidedBy: string | null;
  reason: string | null;
  runId: number | null;
}

const stormFields = {
  id: Joi.number().required(),
  domain: anyText.required(),
  begins: instant.required(),
  ends: instant.required(),
  state: Joi.string().valid('held', 'released', 'dismissed').required(),
  messages: Joi.number().required(),
  bounces: Joi.number().required(),
  contacts: Joi.number().required(),
  said: anyText.allow(null).required(),
  decidedAt: instant.allow(null).required(),
  decidedBy: anyText.allow(null).required(),
  reason: anyText.allow(null).required(),
  runId: Joi.number().allow(null).required(),
};

export const stormSchema = Joi.object<Storm, true>(stormFields);

/** A storm with a sample of the contacts whose bounces are held. */
export interface StormDetail extends Storm {
  sample: { id: number; address: string; name: string | null; reply: string | null }[];
}

const stormDetailSchema = Joi.object<StormDetail, true>({
  ...stormFields,
  sample: Joi.array()
    .items(
      Joi.object<StormDetail['sample'][number], true>({
        id: Joi.number().required(),
        address: anyText.required(),
        name: anyText.allow(null).required(),
        reply: anyText.allow(null).required(),
      }),
    )
    .required(),
});

/** When the hard bounces of a domain are held. */
export interface StormRule {
  share: number;
  least: number;
  days: number;
}

const stormRuleSchema = Joi.object<StormRule, true>({
  share: Joi.number().required(),
  least: Joi.number().required(),
  days: Joi.number().required(),
});

export const stormRule = Joi.object<Partial<StormRule>, true>({
  share: Joi.number()
    .greater(0)
    .max(1)
    .description('More than this share of the domain’s messages of an hour came back hard'),
  least: Joi.number().integer().min(1).max(1_000_000).description('And at least so many'),
  days: Joi.number().integer().min(1).max(365).description('Though it took mail in so many days before'),
}).min(1);

/** Query of `GET /storms`. */
export interface StormsQuery {
  state?: 'held' | 'released' | 'dismissed';
}

const stormsQuery = Joi.object<StormsQuery, true>({
  state: Joi.string().valid('held', 'released', 'dismissed'),
});

/** Body of `POST /storms/:id/release`. */
export interface StormRelease {
  expect: number;
  reason: string;
}

const stormRelease = Joi.object<StormRelease, true>({
  expect: Joi.number().integer().min(0).required().description('How many contacts the storm is about'),
  reason,
});

/** Body of `POST /storms/:id/dismiss`. */
export interface StormDismissal {
  reason: string;
}

const stormDismissal = Joi.object<StormDismissal, true>({ reason });

/** Receiving domains that suddenly failed. */
export const storms = {
  storms: contract({
    method: 'get',
    path: '/storms',
    summary: 'Hard bounces of a receiving domain that suddenly failed, held for a person or decided',
    query: stormsQuery,
    answer: arrayOf(stormSchema),
    example: { state: 'held' },
  }),
  stormRule: contract({
    method: 'get',
    path: '/storm-rule',
    summary: 'When the hard bounces of a domain are held',
    answer: stormRuleSchema,
    example: {},
  }),
  saveStormRule: contract({
    method: 'patch',
    path: '/storm-rule',
    summary: 'Change when the hard bounces of a domain are held',
    body: stormRule,
    answer: stormRuleSchema,
    example: { share: 0.5, least: 30 },
  }),
  storm: contract({
    method: 'get',
    path: '/storms/:id',
    summary: 'One storm, with a sample of the contacts concerned',
    params: idParams,
    answer: stormDetailSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  releaseStorm: contract({
    method: 'post',
    path: '/storms/:id/release',
    summary: 'The addresses are dead: their hard bounces count after all, as a run',
    params: idParams,
    body: stormRelease,
    answer: runSchema,
    problems: ['count-moved', 'not-found', 'wrong-state'],
    example: { id: 1, expect: 30, reason: 'the host is gone for good' },
  }),
  dismissStorm: contract({
    method: 'post',
    path: '/storms/:id/dismiss',
    summary: 'It was an outage: the bounces stay on record and count against nobody',
    params: idParams,
    body: stormDismissal,
    status: 204,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, reason: 'it was an outage of theirs' },
  }),
};
