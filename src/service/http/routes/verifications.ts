import {
  beginVerdicts,
  findVerdictActs,
  forgetVerification,
  getVerification,
  mapWords,
  receiveVerification,
  saveVerdictActs,
  type VerdictActs,
} from '../../../operations/contacts/verify.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import * as schema from '../../../shared/schemas.ts';
import type { OutsideVerdict } from '../../../shared/words.ts';
import { listVerifications } from '../../../store/statements/verifications.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { uploadOf } from '../upload.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

export const verificationRoutes: Route[] = [
  route<never, { name: string; source: string; checkedAt?: Date; column?: string }>({
    method: 'post', path: '/verifications', summary: 'Take in what an outside verifier says of addresses; marks nobody yet', query: schema.verificationQuery, raw: 'text/csv', status: 201,
    handle({ deps, query, who, c }) {
      return receiveVerification(deps, { ...query, checkedAt: query.checkedAt ?? deps.now(), actor: who.name }, uploadOf(c));
    },
  }),
  route<never, PageQuery>({
    method: 'get', path: '/verifications', summary: 'Files of verifiers, latest first', query: schema.pageQuery,
    async handle({ deps, query }) {
      return pageOf(await listVerifications(deps.database, null, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route({
    method: 'get', path: '/verdict-acts', summary: 'What each verdict does to a contact',
    handle: ({ deps }) => findVerdictActs(deps),
  }),
  route<never, never, Partial<VerdictActs>>({
    method: 'post', path: '/verdict-acts', summary: 'Set what verdicts do to contacts', body: schema.verdictActs,
    handle: ({ deps, body, who }) => saveVerdictActs(deps, body, who.name),
  }),
  route<WithId>({
    method: 'get', path: '/verifications/:id', summary: 'One file: its words, what they mean, what its verdicts would do', params: schema.idParams,
    handle: ({ deps, params }) => getVerification(deps, params.id),
  }),
  route<WithId, never, { words: Record<string, OutsideVerdict> }>({
    method: 'post', path: '/verifications/:id/words', summary: 'Say what words of this verifier mean, now and in later files', params: schema.idParams, body: schema.verifierWords,
    handle: ({ deps, params, body }) => mapWords(deps, params.id, body.words),
  }),
  route<WithId, never, { expect: number; reason: string }>({
    method: 'post', path: '/verifications/:id/apply', summary: 'Give contacts their verdicts and do what these ask, as a run', params: schema.idParams, body: schema.verificationApply, status: 202,
    handle: async ({ deps, params, body, who }) => workFirst(deps, await beginVerdicts(deps, params.id, { ...body, actor: who.name })),
  }),
  route<WithId>({
    method: 'delete', path: '/verifications/:id', summary: 'Forget a file; what it did stays', params: schema.idParams, status: 204,
    handle: ({ deps, params }) => forgetVerification(deps, params.id),
  }),
]; // prettier-ignore
