import { exportEntries } from '../../../operations/suppression/export-entries.ts';
import {
  addEntries,
  createSuppressionList,
  getSuppressionList,
  liftByPerson,
  withLifting,
  type NewSuppressionList,
} from '../../../operations/suppression/keep-entries.ts';
import * as schema from '../../../shared/schemas.ts';
import { listEntries, listSuppressionLists, type EntryStanding } from '../../../store/statements/suppression.ts';
import { pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';
import { streamText } from '../stream-text.ts';

type WithId = { id: number };

export const suppressionRoutes: Route[] = [
  route({
    method: 'get', path: '/suppression-lists', summary: 'Suppression lists with how many entries are in effect',
    handle: ({ deps }) => listSuppressionLists(deps.database),
  }),
  route<never, never, NewSuppressionList>({
    method: 'post', path: '/suppression-lists', summary: 'Create a suppression list of your own', body: schema.newSuppressionList, status: 201,
    handle: ({ deps, body }) => createSuppressionList(deps, body),
  }),
  route<WithId, PageQuery & { standing: EntryStanding; part: string; order: 'oldest' | 'newest' }>({
    method: 'get', path: '/suppression-lists/:id/entries', summary: 'Entries of one list', params: schema.idParams, query: schema.entriesQuery,
    async handle({ deps, params, query }) {
      await getSuppressionList(deps, params.id);
      const entries = await listEntries(deps.database, params.id, query.standing, query.part, query.order, query.cursor === undefined ? null : readCursor(query.cursor, 0), query.limit + 1);
      return pageOf(entries.map(withLifting), query.limit, (row) => row.id);
    },
  }),
  route<WithId, { standing: EntryStanding; part: string }>({
    method: 'get', path: '/suppression-lists/:id/entries.csv', summary: 'The same entries as a CSV file, all of them', params: schema.idParams, query: schema.entriesFileQuery, answers: 'text/csv',
    handle: ({ deps, params, query, c }) => streamText(c, `suppression-${params.id}.csv`, exportEntries(deps, params.id, query.standing, query.part)),
  }),
  route<WithId, never, { values: string[]; reason: string; expiresAt: string | null }>({
    method: 'post', path: '/suppression-lists/:id/entries', summary: 'Enter addresses, domains or hashes; effective when answered', params: schema.idParams, body: schema.newEntries, status: 201,
    handle: ({ deps, params, body, who }) => addEntries(deps, { listId: params.id, ...body, actor: who.name }),
  }),
  route<never, never, { entryIds: number[]; reason: string }>({
    method: 'post', path: '/suppression/lift', summary: 'Lift entries, with a reason; they stay on record', body: schema.liftRequest,
    handle: ({ deps, body, who }) => liftByPerson(deps, body.entryIds, body.reason, who.name),
  }),
]; // prettier-ignore
