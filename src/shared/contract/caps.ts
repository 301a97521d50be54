import Joi from 'joi';
import { anyText, arrayOf, id, idParams, instant } from './parts.ts';
import { contract } from './contract.ts';

/** At most so many marketing messages of a brand, or of all brands, in so many days of 24 hours. */
export interface Cap {
  id: number;
  /** Null: it counts the messages of all brands together. */
  brandId: number | null;
  messages: number;
  days: number;
  begunBy: string;
  begunAt: string;
  endedBy: string | null;
  endedAt: string | null;
}

const capSchema = Joi.object<Cap, true>({
  id: Joi.number().required(),
  brandId: Joi.number().allow(null).required(),
  messages: Joi.number().required(),
  days: Joi.number().required(),
  begunBy: anyText.required(),
  begunAt: instant.required(),
  endedBy: anyText.allow(null).required(),
  endedAt: instant.allow(null).required(),
});

/** Body of `POST /caps`. */
export interface NewCap {
  brandId?: number | null;
  messages: number;
  days: number;
}

const newCap = Joi.object<NewCap, true>({
  brandId: id.allow(null).description('Left out or null: the messages of all brands together'),
  messages: Joi.number().integer().min(1).max(32).required().description('The most that one contact gets'),
  days: Joi.number().integer().min(1).max(366).required().description('In so many days of 24 hours'),
});

/** Query of `GET /caps` and `GET /exclusions`. */
export interface OfBrandOrAll {
  brandId?: number;
  ended?: boolean;
}

export const ofBrandOrAll = Joi.object<OfBrandOrAll, true>({
  brandId: id.description('What holds for this brand, the organisation’s too; left out: everything'),
  ended: Joi.boolean().description('With those that have ended'),
});

/** How often one contact is written to at most. */
export const caps = {
  caps: contract({
    method: 'get',
    path: '/caps',
    summary: 'How many marketing messages one contact gets at most',
    query: ofBrandOrAll,
    answer: arrayOf(capSchema),
    example: { brandId: 1 },
  }),
  createCap: contract({
    method: 'post',
    path: '/caps',
    summary: 'Cap how often one contact is written to; one for the same days is replaced',
    body: newCap,
    status: 201,
    answer: capSchema,
    problems: ['not-found', 'wrong-state'],
    example: { brandId: 1, messages: 2, days: 7 },
  }),
  endCap: contract({
    method: 'post',
    path: '/caps/:id/end',
    summary: 'End a cap; who it holds back already stays held back',
    params: idParams,
    answer: capSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
};
