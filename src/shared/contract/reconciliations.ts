import Joi from 'joi';
import { name, anyText, id, instant, page, reason, pageQuery, pageOf, idParams, type PageQuery } from './parts.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';
import { importSchema } from './imports.ts';

/** Rows that match, that do not, or that name nobody: neither an address nor a SHA-256. */
export type Wanted = boolean | 'nobody';

/** A row of a list with the contact behind it, or a contact of ours with where they stand on the list. */
export interface ReconciledRow {
  /** Row of the list, or number of the contact where the direction is ours. */
  place: number;
  given: string | null;
  contactId: number | null;
  address: string | null;
  name: string | null;
  standing: string | null;
  /** The cells of the list's other columns; none where the contact is not on it. */
  others: string[];
}
const reconciledRowSchema = Joi.object<ReconciledRow, true>({
  place: Joi.number().required(),
  given: anyText.allow(null).required(),
  contactId: Joi.number().allow(null).required(),
  address: anyText.allow(null).required(),
  name: anyText.allow(null).required(),
  standing: anyText.allow(null).required(),
  others: Joi.array().items(anyText).required(),
});

/** A list of addresses held against the base. */
export interface Reconciliation {
  id: number;
  name: string;
  actor: string;
  createdAt: string;
  /** Rows of the list, and how many of them are neither an address nor a SHA-256. */
  rows: number;
  unreadable: number;
  known: number;
  /** Rows with an address or digest that is not in the base. */
  strangers: number;
  /** Contacts of ours on the list, and not on it; erased ones apart. */
  oursOnIt: number;
  oursNotOnIt: number;
  /** What the other columns of the list are called there, in their order. */
  columns: string[];
}
const reconciliationSchema = Joi.object<Reconciliation, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  actor: anyText.required(),
  createdAt: instant.required(),
  rows: Joi.number().required(),
  unreadable: Joi.number().required(),
  known: Joi.number().required(),
  strangers: Joi.number().required(),
  oursOnIt: Joi.number().required(),
  oursNotOnIt: Joi.number().required(),
  columns: Joi.array().items(anyText).required(),
});

/** Query of `POST /reconciliations` and `POST /verifications/head`. */
export interface ReconcileQuery {
  name: string;
}
export const reconcileQuery = Joi.object<ReconcileQuery, true>({
  name: name(200).required().description('Name of the list, as its file is called'),
});

/** Query of `GET /reconciliations/:id/rows` and `GET /reconciliations/:id/rows.csv`. */
export interface ReconciledQuery extends PageQuery {
  direction?: 'given' | 'ours';
  found?: Wanted;
}
const reconciledQuery = Joi.object<ReconciledQuery, true>({
  ...page,
  direction: Joi.string().valid('given', 'ours').default('given').description('Rows of the list, or contacts of ours'),
  found: Joi.alternatives(Joi.boolean(), Joi.string().valid('nobody')).description(
    'Only those that match, or only those that do not; `nobody`: only rows of the list that are neither an address nor a SHA-256',
  ),
});

/** Body of `POST /reconciliations/:id/suppress`. */
export interface StrangersSuppressed {
  suppressionListId: number;
  expect: number;
  reason: string;
}
const strangersSuppressed = Joi.object<StrangersSuppressed, true>({
  suppressionListId: id.required().description('A list of your own'),
  expect: Joi.number().integer().min(0).required().description('How many the answer said are not in the base'),
  reason,
});

/** Body of `POST /reconciliations/:id/take-in`. */
export interface StrangersTakenIn {
  listId: number;
}
const strangersTakenIn = Joi.object<StrangersTakenIn, true>({ listId: id.required() });

/** Reconciliations. */
export const reconciliations = {
  reconcile: contract({
    method: 'post',
    path: '/reconciliations',
    summary: 'Hold a list of addresses or SHA-256 against the base',
    raw: 'text/csv',
    query: reconcileQuery,
    status: 201,
    answer: reconciliationSchema,
    problems: ['bad-file'],
    example: { name: 'partner.csv', file: 'address\nada@lanternpost.example\nstranger@quillmail.example\n' },
  }),
  reconciliations: contract({
    method: 'get',
    path: '/reconciliations',
    summary: 'Reconciled lists, latest first',
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(reconciliationSchema),
    example: { limit: 20 },
  }),
  reconciliation: contract({
    method: 'get',
    path: '/reconciliations/:id',
    summary: 'One reconciled list with its counts',
    params: idParams,
    answer: reconciliationSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  forgetReconciliation: contract({
    method: 'delete',
    path: '/reconciliations/:id',
    summary: 'Forget a reconciled list',
    params: idParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  reconciled: contract({
    method: 'get',
    path: '/reconciliations/:id/rows',
    summary: 'Which of these are in the base, or which of ours are on the list',
    params: idParams,
    query: reconciledQuery,
    filled: ['limit', 'direction'],
    answer: pageOf(reconciledRowSchema),
    problems: ['not-found'],
    example: { id: 1, direction: 'given', found: false, limit: 20 },
  }),
  exportReconciled: contract({
    method: 'get',
    path: '/reconciliations/:id/rows.csv',
    summary: 'The same as a CSV file, all of them',
    answers: 'text/csv',
    params: idParams,
    query: reconciledQuery,
    filled: ['limit', 'direction'],
    problems: ['not-found'],
    example: { id: 1, direction: 'ours', found: false },
  }),
  suppressStrangers: contract({
    method: 'post',
    path: '/reconciliations/:id/suppress',
    summary: 'Enter every address and digest of the list that is not in the base on a suppression list, as a run',
    params: idParams,
    body: strangersSuppressed,
    status: 202,
    answer: runSchema,
    problems: ['built-in', 'count-moved', 'not-found'],
    example: { id: 1, suppressionListId: 9, expect: 1, reason: 'a partner asked for it' },
  }),
  takeStrangersIn: contract({
    method: 'post',
    path: '/reconciliations/:id/take-in',
    summary: 'Read every address of the list that is not in the base into an import, as a dry run',
    params: idParams,
    body: strangersTakenIn,
    status: 202,
    answer: importSchema,
    problems: ['bad-file', 'not-found'],
    example: { id: 1, listId: 1 },
  }),
};
