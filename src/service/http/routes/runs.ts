import { runs } from '../../../shared/contract/runs.ts';
import { handlers } from '../route.ts';
import {
  getRun,
  listChangesOfRun,
  listContactsOfLine,
  listLatestRuns,
  listLeftByUndo,
} from '../../../operations/runs/look-at-runs.ts';
import { beginUndo } from '../../../operations/runs/undo-run.ts';
import { stopRun, workFirst } from '../../../operations/runs/work-through.ts';
import { NEWEST, NEWEST_INT, pageOf, readCursor } from '../paging.ts';

/** Runs: what changed many at once, how far it is, and its undo. */
export const runsRoutes = handlers(runs, {
  async runs({ deps, query }) {
    const rows = await listLatestRuns(deps, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  run: ({ deps, params }) => getRun(deps, params.id),
  async runJournal({ deps, params, query }) {
    const rows = await listChangesOfRun(deps, params.id, query, readCursor(query.cursor, NEWEST), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  async journalContacts({ deps, params, query }) {
    const rows = await listContactsOfLine(deps, params.id, readCursor(query.cursor, 0), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  undoRun: async ({ deps, params, body, who }) =>
    workFirst(deps, await beginUndo(deps, params.id, body.reason, who.name, body.ruleToo)),
  async leftAlone({ deps, params, query }) {
    const rows = await listLeftByUndo(deps, params.id, readCursor(query.cursor, 0), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.number);
  },
  stopRun: ({ deps, params, who }) => stopRun(deps, params.id, who.name),
});
