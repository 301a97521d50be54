import Joi from 'joi';
import { anyText, instant } from './parts.ts';
import { contract } from './contract.ts';

/**
 * What a newer version keeps in another way, and takes in of what was stored before: which messages reached each
 * contact, and the tallies.
 */
export const CAUGHT_UP = ['mailed', 'tallies'] as const;

/** How far the taking in of what was stored before has come. Until it is finished, counts lack what is missing. */
export interface CatchingUp {
  what: (typeof CAUGHT_UP)[number];
  /** Contacts are gone through by their numbers: up to which, of all. */
  upto: number;
  whole: number;
  /** Null while it goes on. */
  finishedAt: string | null;
}
const catchingUpSchema = Joi.array().items(
  Joi.object<CatchingUp, true>({
    what: Joi.string()
      .valid(...CAUGHT_UP)
      .required(),
    upto: Joi.number().required(),
    whole: Joi.number().required(),
    finishedAt: instant.allow(null).required(),
  }),
);

/** So many counted anew, so many of them otherwise than they are kept, and some of those. */
export interface Compared<T> {
  rows: number;
  differing: number;
  sample: T[];
}
const compared = <T>(one: Joi.Schema) =>
  Joi.object<Compared<T>, true>({
    rows: Joi.number().required(),
    differing: Joi.number().required(),
    sample: Joi.array().items(one).required(),
  }).required();

/** What differs when all is counted anew; there must be nothing. */
export interface CheckedTallies {
  /** Tallies, from the ledger; each by its name. */
  tallies: Compared<string>;
  /** When contacts first acted on each message, from the events; numbers of the contacts. */
  messages: Compared<number>;
  /** Which messages reached each contact, from the ledger; numbers of the contacts. */
  mailed: Compared<number>;
  /** What is not taken in yet, and therefore not compared. */
  catchingUp: CatchingUp[];
}
const checkedTalliesSchema = Joi.object<CheckedTallies, true>({
  tallies: compared<string>(anyText),
  messages: compared<number>(Joi.number()),
  mailed: compared<number>(Joi.number()),
  catchingUp: catchingUpSchema.required(),
});

/** Tallies. */
export const tallies = {
  tallies: contract({
    method: 'get',
    path: '/tallies',
    summary: 'How far the tallies have caught up with what was stored before this version',
    answer: catchingUpSchema,
    example: {},
  }),
  checkTallies: contract({
    method: 'post',
    path: '/tallies/check',
    summary: 'Count all tallies anew from the ledger and the events, and say what differs; changes nothing',
    needs: 'administer',
    answer: checkedTalliesSchema,
    example: {},
  }),
};
