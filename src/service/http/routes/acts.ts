import type { PriceLadder } from '../../../core/cost/price-ladder.ts';
import { beginAct, previewAct, type ActRequest } from '../../../operations/contacts/act-on-contacts.ts';
import { countCost, savePriceLadder } from '../../../operations/contacts/count-cost.ts';
import {
  exportReconciled,
  getReconciliation,
  listLatestReconciliations,
  listReconciledPage,
  reconcile,
} from '../../../operations/contacts/reconcile.ts';
import { Problem } from '../../../operations/problem.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import { deleteReconciliation } from '../../../store/statements/reconciliations.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { streamText } from '../stream-text.ts';
import * as schema from '../../../shared/schemas.ts';
import { uploadOf } from '../upload.ts';
import { route, type Route } from '../route.ts';

interface Direction {
  direction: 'given' | 'ours';
  found?: boolean;
}

export const actRoutes: Route[] = [
  route<never, never, ActRequest>({
    method: 'post', path: '/contacts/acts/preview', summary: 'Whom an act on many contacts would change, how many, and a sample', body: schema.actPreview,
    handle: ({ deps, body }) => previewAct(deps, body),
  }),
  route<never, never, ActRequest & { expect: number; expectMailable: number; reason: string }>({
    method: 'post', path: '/contacts/acts', summary: 'Archive, restore, tag, untag, suppress, unsubscribe, subscribe or erase contacts, as a run; erasing cannot be undone', body: schema.actRequest, status: 202,
    handle: async ({ deps, body, who }) => workFirst(deps, await beginAct(deps, { ...body, actor: who.name })),
  }),
  route<never, { name: string }>({
    method: 'post', path: '/reconciliations', summary: 'Hold a list of addresses or SHA-256 against the base', query: schema.reconcileQuery, raw: 'text/csv', status: 201,
    handle({ deps, query, who, c }) {
      return reconcile(deps, { name: query.name, actor: who.name }, uploadOf(c));
    },
  }),
  route<never, PageQuery>({
    method: 'get', path: '/reconciliations', summary: 'Reconciled lists, latest first', query: schema.pageQuery,
    async handle({ deps, query }) {
      const rows = await listLatestReconciliations(deps, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.id);
    },
  }),
  route<{ id: number }>({
    method: 'get', path: '/reconciliations/:id', summary: 'One reconciled list with its counts', params: schema.idParams,
    handle: ({ deps, params }) => getReconciliation(deps, params.id),
  }),
  route<{ id: number }>({
    method: 'delete', path: '/reconciliations/:id', summary: 'Forget a reconciled list', params: schema.idParams, status: 204,
    async handle({ deps, params }) {
      if (!(await deleteReconciliation(deps.database, params.id))) throw new Problem('not-found', `There is no reconciliation ${params.id}.`);
    },
  }),
  route<{ id: number }, PageQuery & Direction>({
    method: 'get', path: '/reconciliations/:id/rows', summary: 'Which of these are in the base, or which of ours are on the list', params: schema.idParams, query: schema.reconciledQuery,
    async handle({ deps, params, query }) {
      const rows = await listReconciledPage(deps, params.id, query.direction, query.found ?? null, readCursor(query.cursor, 0), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.place);
    },
  }),
  route<{ id: number }, Direction>({
    method: 'get', path: '/reconciliations/:id/rows.csv', summary: 'The same as a CSV file, all of them', params: schema.idParams, query: schema.reconciledQuery, answers: 'text/csv',
    handle: ({ deps, params, query, c }) => streamText(c, `reconciled-${params.id}.csv`, exportReconciled(deps, params.id, query.direction, query.found ?? null)),
  }),
  route({
    method: 'get', path: '/cost', summary: 'What contacts cost now, and once those are archived whom no campaign can reach',
    handle: ({ deps }) => countCost(deps),
  }),
  route<never, never, PriceLadder>({
    method: 'post', path: '/cost/ladder', summary: 'Set the price of a month by number of contacts', body: schema.priceLadder,
    handle: ({ deps, body, who }) => savePriceLadder(deps, body, who.name),
  }),
]; // prettier-ignore
