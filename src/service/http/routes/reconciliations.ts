import { reconciliations } from '../../../shared/contract/reconciliations.ts';
import { handlers } from '../route.ts';
import {
  exportReconciled,
  forgetReconciliation,
  getReconciliation,
  listLatestReconciliations,
  listReconciledPage,
  reconcile,
} from '../../../operations/reconciliations/reconcile.ts';
import { beginSuppressingStrangers, takeStrangersIn } from '../../../operations/reconciliations/strangers.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import { NEWEST_INT, pageOf, readCursor } from '../paging.ts';
import { streamText } from '../stream-text.ts';
import { uploadOf } from '../upload.ts';

export const reconciliationsRoutes = handlers(reconciliations, {
  reconcile({ deps, query, who, c }) {
    return reconcile(deps, { name: query.name, actor: who.name }, uploadOf(c));
  },
  async reconciliations({ deps, query }) {
    const rows = await listLatestReconciliations(deps, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  reconciliation: ({ deps, params }) => getReconciliation(deps, params.id),
  forgetReconciliation: ({ deps, params }) => forgetReconciliation(deps, params.id),
  async reconciled({ deps, params, query }) {
    const rows = await listReconciledPage(
      deps,
      params.id,
      query.direction,
      query.found ?? null,
      readCursor(query.cursor, 0),
      query.limit + 1,
    );
    return pageOf(rows, query.limit, (row) => row.place);
  },
  exportReconciled: ({ deps, params, query, c }) =>
    streamText(
      c,
      `reconciled-${params.id}.csv`,
      exportReconciled(deps, params.id, query.direction, query.found ?? null),
    ),
  suppressStrangers: async ({ deps, params, body: { suppressionListId, expect, reason }, who }) =>
    workFirst(
      deps,
      await beginSuppressingStrangers(deps, {
        reconciliationId: params.id,
        suppressionListId,
        expected: expect,
        reason,
        actor: who.name,
      }),
    ),
  takeStrangersIn: ({ deps, params, body, who }) =>
    takeStrangersIn(deps, { reconciliationId: params.id, listId: body.listId, actor: who.name }),
});
