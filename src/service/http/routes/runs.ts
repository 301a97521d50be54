import { found } from '../../../operations/problem.ts';
import { beginUndo } from '../../../operations/runs/undo-run.ts';
import { stopRun, workFirst } from '../../../operations/runs/work-through.ts';
import { overFilter } from '../../../operations/segments/within-time.ts';
import * as schema from '../../../shared/schemas.ts';
import { undoRequest } from '../../../shared/schemas-rules.ts';
import { findRun, listJournal, listRuns, listSetContacts } from '../../../store/statements/journal.ts';
import { listLeftAlone } from '../../../store/statements/undo-run.ts';
import { NEWEST, NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

/** Runs: what changed many at once, how far it is, and its undo. */
export const runRoutes: Route[] = [
  route<never, PageQuery>({
    method: 'get', path: '/runs', summary: 'Runs, latest first', query: schema.pageQuery,
    async handle({ deps, query }) {
      return pageOf(await listRuns(deps.database, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<WithId>({
    method: 'get', path: '/runs/:id', summary: 'One run', params: schema.idParams,
    async handle({ deps, params }) {
      return found(await findRun(deps.database, params.id), `run ${params.id}`);
    },
  }),
  route<WithId, PageQuery & { where?: string; brandId?: number }>({
    method: 'get', path: '/runs/:id/journal', summary: 'What a run changed, of all or of those whom a condition matches now', params: schema.idParams, query: schema.runJournalQuery,
    handle: ({ deps, params, query: { where, brandId, cursor, limit } }) =>
      overFilter(deps, { where: where ?? null, brandId: brandId ?? 0 }, async (sql) =>
        pageOf(await listJournal(sql, { runId: params.id, matching: where !== undefined }, readCursor(cursor, NEWEST), limit + 1), limit, (row) => row.id)),
  }),
  route<WithId, PageQuery>({
    method: 'get', path: '/journal/:id/contacts', summary: 'The contacts that one journal row speaks of as a set', params: schema.contactParams, query: schema.pageQuery,
    async handle({ deps, params, query }) {
      return pageOf(await listSetContacts(deps.database, params.id, readCursor(query.cursor, 0), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<WithId, never, { reason: string }>({
    method: 'post', path: '/runs/:id/undo', summary: 'Put back what a run changed, except what was changed again since, as a run', params: schema.idParams, body: undoRequest, status: 202,
    handle: async ({ deps, params, body, who }) => workFirst(deps, await beginUndo(deps, params.id, body.reason, who.name)),
  }),
  route<WithId, PageQuery>({
    method: 'get', path: '/runs/:id/left-alone', summary: 'What an undo left as it is, because something had changed it again', params: schema.idParams, query: schema.pageQuery,
    async handle({ deps, params, query }) {
      return pageOf(await listLeftAlone(deps.database, params.id, readCursor(query.cursor, 0), query.limit + 1), query.limit, (row) => row.number);
    },
  }),
  route<WithId>({
    method: 'post', path: '/runs/:id/stop', summary: 'Stop a run that is under way; what it has changed stays, and can be undone', params: schema.idParams, status: 202,
    handle: ({ deps, params, who }) => stopRun(deps, params.id, who.name),
  }),
]; // prettier-ignore
