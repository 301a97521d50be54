import Joi from 'joi';
import {
  id,
  reason,
  anyText,
  instant,
  page,
  pageQuery,
  pageOf,
  idParams,
  contactParams,
  matchingContactSchema,
  where,
  type PageQuery,
} from './parts.ts';
import { contract } from './contract.ts';

/** One act on many, with what it changed by kind. Undone as a whole by another run. */
export interface Run {
  id: number;
  kind: string;
  brandId: number | null;
  actor: string;
  /** Null where nobody in particular began it. */
  accountId: number | null;
  reason: string;
  counts: Record<string, number>;
  startedAt: string;
  finishedAt: string | null;
  undoesRunId: number | null;
  undoneByRunId: number | null;
  /**
   * How many have been dealt with, of how many; both 0 where all was done at once. Under way while finishedAt is null.
   */
  done: number;
  whole: number;
  /** Why it ended, or is about to end, before everybody was dealt with. */
  stopped: string | null;
  /** It changed the ladder of its brand, too; an undo can put that back as well. */
  changedRule: boolean;
}
export const runSchema = Joi.object<Run, true>({
  id: Joi.number().required(),
  kind: anyText.required(),
  brandId: Joi.number().allow(null).required(),
  actor: anyText.required(),
  accountId: Joi.number().allow(null).required(),
  reason: anyText.required(),
  counts: Joi.object().pattern(Joi.string(), Joi.number()).required(),
  startedAt: instant.required(),
  finishedAt: instant.allow(null).required(),
  undoesRunId: Joi.number().allow(null).required(),
  undoneByRunId: Joi.number().allow(null).required(),
  done: Joi.number().required(),
  whole: Joi.number().required(),
  stopped: anyText.allow(null).required(),
  changedRule: Joi.boolean().required(),
});

/** What an undo left as it is, because something had changed it again. */
export interface LeftAlone {
  number: number;
  contactId: number | null;
  address: string | null;
  name: string | null;
  archived: boolean;
  subject: string;
}
const leftAloneSchema = Joi.object<LeftAlone, true>({
  number: Joi.number().required(),
  contactId: Joi.number().allow(null).required(),
  address: anyText.allow(null).required(),
  name: anyText.allow(null).required(),
  archived: Joi.boolean().required(),
  subject: anyText.required(),
});

/** One change of a mark, subscription, suppression, tag or detail, with what was before and after. */
export interface JournalItem {
  id: number;
  at: string;
  runId: number | null;
  contactId: number | null;
  /** How many contacts one item speaks of, where all went from nothing to the same; null when it speaks of one. */
  contacts: number | null;
  address: string | null;
  name: string | null;
  archived: boolean;
  subject:
    | 'stage'
    | 'deliverability'
    | 'subscription'
    | 'entry'
    | 'archive'
    | 'address'
    | 'tag'
    | 'verdict'
    | 'details'
    | 'machine'
    | 'asking';
  subjectId: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
  actorKind: 'person' | 'rule' | 'contact';
  actor: string;
  /** Null for a rule, a contact, or what nobody in particular does. */
  accountId: number | null;
  cause: Record<string, unknown>;
}
export const journalItemSchema = Joi.object<JournalItem, true>({
  id: Joi.number().required(),
  at: instant.required(),
  runId: Joi.number().allow(null).required(),
  contactId: Joi.number().allow(null).required(),
  contacts: Joi.number().allow(null).required(),
  address: anyText.allow(null).required(),
  name: anyText.allow(null).required(),
  archived: Joi.boolean().required(),
  subject: Joi.string()
    .valid(
      'stage',
      'deliverability',
      'subscription',
      'entry',
      'archive',
      'address',
      'tag',
      'verdict',
      'details',
      'machine',
      'asking',
    )
    .required(),
  subjectId: Joi.number().required(),
  before: Joi.object().pattern(Joi.string(), Joi.any()).allow(null).required(),
  after: Joi.object().pattern(Joi.string(), Joi.any()).allow(null).required(),
  actorKind: Joi.string().valid('person', 'rule', 'contact').required(),
  actor: anyText.required(),
  accountId: Joi.number().allow(null).required(),
  cause: Joi.object().pattern(Joi.string(), Joi.any()).required(),
});

/** Query of `GET /runs/:id/journal`. */
export interface RunJournalQuery extends PageQuery {
  where?: string;
  brandId?: number;
}
const runJournalQuery = Joi.object<RunJournalQuery, true>({ ...page, where: where, brandId: id }).with(
  'where',
  'brandId',
);

/** Body of `POST /runs/:id/undo`. */
export interface UndoRequest {
  reason: string;
  ruleToo?: boolean;
}
const undoRequest = Joi.object<UndoRequest, true>({
  reason,
  ruleToo: Joi.boolean().default(false).description('Of a run that changed the ladder: put that back as well'),
});

/** Runs. */
export const runs = {
  runs: contract({
    method: 'get',
    path: '/runs',
    summary: 'Runs, latest first',
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(runSchema),
    example: { limit: 20 },
  }),
  run: contract({
    method: 'get',
    path: '/runs/:id',
    summary: 'One run',
    params: idParams,
    answer: runSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  runJournal: contract({
    method: 'get',
    path: '/runs/:id/journal',
    summary: 'What a run changed, of all or of those whom a condition matches now',
    params: idParams,
    query: runJournalQuery,
    filled: ['limit'],
    answer: pageOf(journalItemSchema),
    problems: ['bad-condition', 'took-too-long'],
    example: { id: 1, where: 'newcomer', brandId: 1, limit: 20 },
  }),
  journalContacts: contract({
    method: 'get',
    path: '/journal/:id/contacts',
    summary: 'The contacts that one journal row speaks of as a set',
    params: contactParams,
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(matchingContactSchema),
    example: { id: 1, limit: 20 },
  }),
  undoRun: contract({
    method: 'post',
    path: '/runs/:id/undo',
    summary: 'Put back what a run changed, except what was changed again since, as a run',
    params: idParams,
    body: undoRequest,
    filled: ['ruleToo'],
    status: 202,
    answer: runSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, reason: 'the wrong file' },
  }),
  leftAlone: contract({
    method: 'get',
    path: '/runs/:id/left-alone',
    summary: 'What an undo left as it is, because something had changed it again',
    params: idParams,
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(leftAloneSchema),
    example: { id: 1, limit: 20 },
  }),
  stopRun: contract({
    method: 'post',
    path: '/runs/:id/stop',
    summary: 'Stop a run that is under way; what it has changed stays, and can be undone',
    params: idParams,
    status: 202,
    answer: runSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
};
