import Joi from 'joi';
import {
  anyText,
  id,
  reason,
  oneOf,
  instant,
  name,
  dayOrInstant,
  text,
  page,
  longId,
  arrayOf,
  idParams,
  pageOf,
  type PageQuery,
} from './parts.ts';
import {
  type BuiltInList,
  type Scope,
  type Reach,
  type EndedBy,
  BUILT_IN_LISTS,
  SCOPES,
  REACHES,
  ENDED_BY,
} from '../words.ts';
import { contract } from './contract.ts';

/** Answer of `POST /suppression/lift`. */
export interface LiftAnswer {
  runId: number;
  lifted: number;
}

/** How many contacts entries stop, or would once they are entered. */
export interface Stopped {
  /** All in all, each counted once. */
  contacts: number;
  entries: { value: string; kind: Entry['kind']; contacts: number }[];
  /** What is neither an address, a domain nor a SHA-256. */
  unreadable: string[];
}
const stoppedSchema = Joi.object<Stopped, true>({
  contacts: Joi.number().required(),
  entries: Joi.array()
    .items(
      Joi.object<Stopped['entries'][number], true>({
        value: anyText.required(),
        kind: Joi.string().valid('address', 'domain', 'hash').required(),
        contacts: Joi.number().required(),
      }),
    )
    .required(),
  unreadable: Joi.array().items(anyText).required(),
});

/** What became of entries that were given: entered, known already, or refused with the row and why. */
export interface EnteredEntries {
  runId: number;
  entered: number;
  /** Values that stood on the list already. */
  known: number;
  /** Rows count from 1. */
  refused: { row: number; value: string; detail: string }[];
  /** Messages to these contacts that were leaving at the very instant and could not be stopped. */
  onTheirWay: number;
}
const enteredEntriesSchema = Joi.object<EnteredEntries, true>({
  runId: Joi.number().required(),
  entered: Joi.number().required(),
  known: Joi.number().required(),
  refused: Joi.array()
    .items(
      Joi.object<EnteredEntries['refused'][number], true>({
        row: Joi.number().required(),
        value: anyText.required(),
        detail: anyText.required(),
      }),
    )
    .required(),
  onTheirWay: Joi.number().required(),
});

/** An entry of a suppression list. In effect while it is neither lifted nor past its end. */
export interface Entry {
  id: number;
  listId: number;
  listName: string;
  builtIn: BuiltInList | null;
  scope: Scope;
  scopeId: number | null;
  reach: Reach;
  kind: 'address' | 'domain' | 'hash';
  value: string;
  reason: string;
  source: string;
  evidence: Record<string, unknown> | null;
  enteredAt: string;
  expiresAt: string | null;
  liftedAt: string | null;
  liftedBy: string | null;
  liftReason: string | null;
  /** Of opt-outs: whose word it is. */
  endedBy: EndedBy | null;
  /** When it was said: a report can come long after. */
  saidAt: string;
  /** Why staff may not lift it; null when they may. */
  notLiftable: string | null;
  /** Whether an address with a sub-address is another address to its list. */
  exact: boolean;
}
export const entrySchema = Joi.object<Entry, true>({
  id: Joi.number().required(),
  listId: Joi.number().required(),
  listName: anyText.required(),
  builtIn: oneOf(BUILT_IN_LISTS).allow(null).required(),
  scope: oneOf(SCOPES).required(),
  scopeId: Joi.number().allow(null).required(),
  reach: oneOf(REACHES).required(),
  kind: Joi.string().valid('address', 'domain', 'hash').required(),
  value: anyText.required(),
  reason: anyText.required(),
  source: anyText.required(),
  evidence: Joi.object().pattern(Joi.string(), Joi.any()).allow(null).required(),
  enteredAt: instant.required(),
  expiresAt: instant.allow(null).required(),
  liftedAt: instant.allow(null).required(),
  liftedBy: anyText.allow(null).required(),
  liftReason: anyText.allow(null).required(),
  endedBy: oneOf(ENDED_BY).allow(null).required(),
  saidAt: instant.required(),
  notLiftable: anyText.allow(null).required(),
  exact: Joi.boolean().required(),
});

/** A suppression list with how many entries are in effect, and how many are past. */
export interface SuppressionList {
  id: number;
  name: string;
  builtIn: BuiltInList | null;
  scope: Scope;
  scopeId: number | null;
  scopeName: string | null;
  reach: Reach;
  exact: boolean;
  inEffect: number;
  ended: number;
}
const suppressionListSchema = Joi.object<SuppressionList, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  builtIn: oneOf(BUILT_IN_LISTS).allow(null).required(),
  scope: oneOf(SCOPES).required(),
  scopeId: Joi.number().allow(null).required(),
  scopeName: anyText.allow(null).required(),
  reach: oneOf(REACHES).required(),
  exact: Joi.boolean().required(),
  inEffect: Joi.number().required(),
  ended: Joi.number().required(),
});

/** Body of `POST /suppression-lists`. */
export interface NewSuppressionList {
  name: string;
  scope?: Scope;
  scopeId?: number | null;
  reach?: Reach;
  exact?: boolean;
}
const newSuppressionList = Joi.object<NewSuppressionList, true>({
  name: name(100).required(),
  scope: oneOf(SCOPES).default('organisation'),
  scopeId: id
    .allow(null)
    .when('scope', { is: 'organisation', then: Joi.valid(null).default(null), otherwise: id.required() }),
  reach: oneOf(REACHES).default('everything'),
  exact: Joi.boolean().default(false).description('An address with a sub-address is another address'),
});

/** Body of `POST /suppression-lists/:id/entries`. */
export interface NewEntries {
  values: string[];
  reason: string;
  expiresAt?: string | null;
}
const newEntries = Joi.object<NewEntries, true>({
  values: Joi.array()
    .items(Joi.string().max(1000).allow(''))
    .min(1)
    .max(50_000)
    .required()
    .description('Addresses, domains (a leading dot takes in subdomains) or SHA-256 of addresses'),
  reason,
  expiresAt: dayOrInstant.allow(null).default(null).description('From then on they stop nobody'),
});

/** Query of `GET /suppression-lists/:id/entries.csv`. */
export interface EntriesFileQuery {
  standing?: 'in-effect' | 'past' | 'all';
  part?: string;
}
/** Of the whole file; a page of them is asked for with more. */
const ofEntries = {
  standing: Joi.string().valid('in-effect', 'past', 'all').default('all'),
  part: text(320).allow('').default(''),
};
const entriesFileQuery = Joi.object<EntriesFileQuery, true>(ofEntries);

/** Query of `GET /suppression-lists/:id/entries`. */
export interface EntriesQuery extends EntriesFileQuery, PageQuery {
  order?: 'oldest' | 'newest';
}
const entriesQuery = Joi.object<EntriesQuery, true>({
  ...ofEntries,
  ...page,
  order: Joi.string()
    .valid('oldest', 'newest')
    .default('oldest')
    .description('By when they were entered; a cursor goes with its order'),
});

/** Body of `POST /suppression/stopped`. */
export interface StoppedRequest {
  values: string[];
}
const stoppedRequest = Joi.object<StoppedRequest, true>({
  values: Joi.array()
    .items(Joi.string().max(1000).allow(''))
    .min(1)
    .max(10_000)
    .required()
    .description('Addresses, domains or SHA-256 of addresses'),
});

/** Body of `POST /suppression/lift`. */
export interface LiftRequest {
  entryIds: number[];
  reason: string;
}
const liftRequest = Joi.object<LiftRequest, true>({
  entryIds: Joi.array().items(longId).min(1).max(10_000).required(),
  reason,
});

/** Suppression. */
export const suppression = {
  suppressionLists: contract({
    method: 'get',
    path: '/suppression-lists',
    summary: 'Suppression lists with how many entries are in effect',
    answer: arrayOf(suppressionListSchema),
    example: {},
  }),
  createSuppressionList: contract({
    method: 'post',
    path: '/suppression-lists',
    summary: 'Create a suppression list of your own',
    body: newSuppressionList,
    filled: ['scope', 'reach', 'exact'],
    status: 201,
    answer: suppressionListSchema,
    problems: ['name-taken'],
    example: { name: 'Do not write', reach: 'everything' },
  }),
  entries: contract({
    method: 'get',
    path: '/suppression-lists/:id/entries',
    summary: 'Entries of one list',
    params: idParams,
    query: entriesQuery,
    filled: ['standing', 'part', 'limit', 'order'],
    answer: pageOf(entrySchema),
    problems: ['not-found'],
    example: { id: 9, standing: 'in-effect', part: 'quill', limit: 20 },
  }),
  exportEntries: contract({
    method: 'get',
    path: '/suppression-lists/:id/entries.csv',
    summary: 'The same entries as a CSV file, all of them',
    answers: 'text/csv',
    params: idParams,
    query: entriesFileQuery,
    filled: ['standing', 'part'],
    problems: ['not-found'],
    example: { id: 9, standing: 'all' },
  }),
  addEntries: contract({
    method: 'post',
    path: '/suppression-lists/:id/entries',
    summary: 'Enter addresses, domains or hashes; effective when answered',
    params: idParams,
    body: newEntries,
    filled: ['expiresAt'],
    status: 201,
    answer: enteredEntriesSchema,
    problems: ['built-in', 'not-found'],
    example: { id: 9, values: ['cass@lanternpost.example', '.quillmail.example'], reason: 'asked in person' },
  }),
  stopped: contract({
    method: 'post',
    path: '/suppression/stopped',
    summary: 'How many contacts entries stop, or would if they were entered; changes nothing',
    body: stoppedRequest,
    answer: stoppedSchema,
    problems: ['took-too-long'],
    example: { values: ['.quillmail.example'] },
  }),
  lift: contract({
    method: 'post',
    path: '/suppression/lift',
    summary: 'Lift entries, with a reason; they stay on record',
    body: liftRequest,
    answer: Joi.object<LiftAnswer, true>({ runId: Joi.number().required(), lifted: Joi.number().required() }),
    problems: ['not-found', 'not-liftable'],
    example: { entryIds: [1], reason: 'a slip' },
  }),
};
