import Joi from 'joi';
import { anyText } from './parts.ts';
import { contract } from './contract.ts';

/** What a month costs from so many contacts on, in steps; `currency` is a code of ISO 4217. */
export interface PriceLadder {
  currency: string;
  /** Each step holds from so many contacts on, until the next; rising from 0. */
  steps: { from: number; month: number }[];
}
const priceLadderSchema = Joi.object<PriceLadder, true>({
  currency: anyText.required(),
  steps: Joi.array()
    .items(
      Joi.object<PriceLadder['steps'][number], true>({ from: Joi.number().required(), month: Joi.number().required() }),
    )
    .required(),
});

/** What contacts cost now, and what archiving who cannot be reached would save; null without a price ladder. */
export interface ContactCost {
  ladder: PriceLadder | null;
  /** Contacts that count: all that are neither archived nor erased. */
  counted: number;
  archived: number;
  /** Of those counted: whom no campaign can reach. */
  unreachable: number;
  /** In the ladder's currency. */
  monthNow: number | null;
  monthAfter: number | null;
  savingYear: number | null;
}
const contactCostSchema = Joi.object<ContactCost, true>({
  ladder: priceLadderSchema.allow(null).required(),
  counted: Joi.number().required(),
  archived: Joi.number().required(),
  unreachable: Joi.number().required(),
  monthNow: Joi.number().allow(null).required(),
  monthAfter: Joi.number().allow(null).required(),
  savingYear: Joi.number().allow(null).required(),
});

const priceLadder = Joi.object<PriceLadder, true>({
  currency: Joi.string().length(3).uppercase().required(),
  steps: Joi.array()
    .items(Joi.object({ from: Joi.number().integer().min(0).required(), month: Joi.number().min(0).required() }))
    .min(1)
    .max(100)
    .required(),
});

/** Cost. */
export const cost = {
  cost: contract({
    method: 'get',
    path: '/cost',
    summary: 'What contacts cost now, and once those are archived whom no campaign can reach',
    answer: contactCostSchema,
    example: {},
  }),
  savePriceLadder: contract({
    method: 'post',
    path: '/cost/ladder',
    summary: 'Set the price of a month by number of contacts',
    body: priceLadder,
    answer: contactCostSchema,
    example: {
      currency: 'EUR',
      steps: [
        { from: 0, month: 0 },
        { from: 800, month: 24 },
      ],
    },
  }),
};
