import Joi from 'joi';
import { name, anyText, instant, oneOf, text, dayOrInstant, reason, pageQuery, pageOf, idParams } from './parts.ts';
import { type OutsideVerdict, OUTSIDE_VERDICTS } from '../words.ts';
import { contract } from './contract.ts';
import { reconcileQuery } from './reconciliations.ts';
import { runSchema } from './runs.ts';

/** What a verifier’s verdict does to a contact. */
export type VerdictAct = 'suppress' | 'hold' | 'tag' | 'nothing';

/** A file of an outside verifier; `runId` is set once it was applied. */
export interface VerificationItem {
  id: number;
  name: string;
  source: string;
  checkedAt: string;
  rows: number;
  unreadable: number;
  /** The run that applied it. */
  runId: number | null;
  actor: string;
  createdAt: string;
}
const verificationItemFields = {
  id: Joi.number().required(),
  name: anyText.required(),
  source: anyText.required(),
  checkedAt: instant.required(),
  rows: Joi.number().required(),
  unreadable: Joi.number().required(),
  runId: Joi.number().allow(null).required(),
  actor: anyText.required(),
  createdAt: instant.required(),
};
const verificationItemSchema = Joi.object<VerificationItem, true>(verificationItemFields);

/** A file of an outside verifier: its words, what they mean, and what its verdicts would do. */
export interface Verification extends VerificationItem {
  words: {
    word: string;
    rows: number;
    contacts: number;
    verdict: OutsideVerdict | null;
    proposed: OutsideVerdict | null;
  }[];
  /** `onto` names the tag or the suppression list that the act puts on them, or puts them on. */
  verdicts: { verdict: OutsideVerdict; contacts: number; act: VerdictAct; onto: string | null; willChange: number }[];
  willChange: number;
}
const verificationSchema = Joi.object<Verification, true>({
  ...verificationItemFields,
  words: Joi.array()
    .items(
      Joi.object<Verification['words'][number], true>({
        word: anyText.required(),
        rows: Joi.number().required(),
        contacts: Joi.number().required(),
        verdict: oneOf(OUTSIDE_VERDICTS).allow(null).required(),
        proposed: oneOf(OUTSIDE_VERDICTS).allow(null).required(),
      }),
    )
    .required(),
  verdicts: Joi.array()
    .items(
      Joi.object<Verification['verdicts'][number], true>({
        verdict: oneOf(OUTSIDE_VERDICTS).required(),
        contacts: Joi.number().required(),
        act: Joi.string().valid('suppress', 'hold', 'tag', 'nothing').required(),
        onto: anyText.allow(null).required(),
        willChange: Joi.number().required(),
      }),
    )
    .required(),
  willChange: Joi.number().required(),
});

/** The act of each verdict. */
export type VerdictActs = Record<OutsideVerdict, VerdictAct>;
const verdictActsSchema = Joi.object<VerdictActs>(
  Object.fromEntries(
    OUTSIDE_VERDICTS.map((one) => [one, Joi.string().valid('suppress', 'hold', 'tag', 'nothing').required()]),
  ),
);

/** What is found of a verifier's file from its beginning; null where the file does not say. */
export interface VerificationHead {
  columns: string[];
  verdict: string | null;
  source: string | null;
  checkedOn: string | null;
}
const verificationHeadSchema = Joi.object<VerificationHead, true>({
  columns: Joi.array().items(anyText).required(),
  verdict: anyText.allow(null).required(),
  source: anyText.allow(null).required(),
  checkedOn: anyText.allow(null).required(),
});

const outsideVerdict = oneOf(OUTSIDE_VERDICTS);

/** Query of `POST /verifications`. */
export interface VerificationQuery {
  name: string;
  source: string;
  checkedAt?: string;
  column?: string;
}
const verificationQuery = Joi.object<VerificationQuery, true>({
  name: name(200).required().description('Name of the file'),
  source: text(100).required().description('Who verified; their words are mapped once'),
  checkedAt: dayOrInstant.description('When they did; now, if left out'),
  column: text(200).description('Header of the column of verdicts, if it is not found by itself'),
});

/** Body of `POST /verifications/:id/words`. */
export interface VerifierWords {
  words: Record<string, OutsideVerdict>;
}
const verifierWords = Joi.object<VerifierWords, true>({
  words: Joi.object()
    .pattern(Joi.string().max(200).allow(''), outsideVerdict)
    .min(1)
    .max(1000)
    .required()
    .description('Word of the verifier to verdict'),
});

/** Body of `POST /verifications/:id/apply`. */
export interface VerificationApply {
  expect: number;
  reason: string;
}
const verificationApply = Joi.object<VerificationApply, true>({
  expect: Joi.number().integer().min(0).required().description('`willChange` of the file'),
  reason,
});

export const verdictActs = Joi.object<Partial<VerdictActs>>(
  Object.fromEntries(
    OUTSIDE_VERDICTS.map((verdict) => [verdict, Joi.string().valid('suppress', 'hold', 'tag', 'nothing')]),
  ),
).min(1);

/** Verifications. */
export const verifications = {
  verify: contract({
    method: 'post',
    path: '/verifications',
    summary: 'Take in what an outside verifier says of addresses; marks nobody yet',
    raw: 'text/csv',
    query: verificationQuery,
    status: 201,
    answer: verificationSchema,
    problems: ['bad-file'],
    example: {
      name: 'checked.csv',
      source: 'our verifier',
      checkedAt: '2026-11-02',
      file: 'address,result\nada@lanternpost.example,ok\nbo@lanternpost.example,dead\n',
    },
  }),
  lookAtVerdicts: contract({
    method: 'post',
    path: '/verifications/head',
    summary: 'Who verified, when, and which column holds the verdicts, as the beginning of a file says; keeps nothing',
    raw: 'text/csv',
    query: reconcileQuery,
    answer: verificationHeadSchema,
    problems: ['bad-file'],
    example: { name: 'checked.csv', file: 'address,result\nada@lanternpost.example,ok\n' },
  }),
  verifications: contract({
    method: 'get',
    path: '/verifications',
    summary: 'Files of verifiers, latest first',
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(verificationItemSchema),
    example: { limit: 20 },
  }),
  verdictActs: contract({
    method: 'get',
    path: '/verdict-acts',
    summary: 'What each verdict does to a contact',
    answer: verdictActsSchema,
    example: {},
  }),
  saveVerdictActs: contract({
    method: 'post',
    path: '/verdict-acts',
    summary: 'Set what verdicts do to contacts',
    body: verdictActs,
    answer: verdictActsSchema,
    example: { risky: 'tag' },
  }),
  verification: contract({
    method: 'get',
    path: '/verifications/:id',
    summary: 'One file: its words, what they mean, what its verdicts would do',
    params: idParams,
    answer: verificationSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  mapWords: contract({
    method: 'post',
    path: '/verifications/:id/words',
    summary: 'Say what words of this verifier mean, now and in later files',
    params: idParams,
    body: verifierWords,
    answer: verificationSchema,
    problems: ['not-found'],
    example: { id: 1, words: { ok: 'good', dead: 'undeliverable' } },
  }),
  applyVerification: contract({
    method: 'post',
    path: '/verifications/:id/apply',
    summary: 'Give contacts their verdicts and do what these ask, as a run',
    params: idParams,
    body: verificationApply,
    status: 202,
    answer: runSchema,
    problems: ['count-moved', 'not-found', 'wrong-state'],
    example: { id: 1, expect: 1, reason: 'the verifier’s word' },
  }),
  forgetVerification: contract({
    method: 'delete',
    path: '/verifications/:id',
    summary: 'Forget a file; what it did stays',
    params: idParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1 },
  }),
};
