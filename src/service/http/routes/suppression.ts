import { suppression } from '../../../shared/contract/suppression.ts';
import { handlers } from '../route.ts';
import { countWhoIsStopped } from '../../../operations/suppression/count-stopped.ts';
import { exportEntries } from '../../../operations/suppression/export-entries.ts';
import {
  addEntries,
  createSuppressionList,
  liftByPerson,
  listAllSuppressionLists,
  listEntriesOfList,
} from '../../../operations/suppression/keep-entries.ts';
import { pageOf, readCursor } from '../paging.ts';
import { streamText } from '../stream-text.ts';

export const suppressionRoutes = handlers(suppression, {
  suppressionLists: ({ deps }) => listAllSuppressionLists(deps),
  createSuppressionList: ({ deps, body }) => createSuppressionList(deps, body),
  async entries({ deps, params, query }) {
    const after = query.cursor === undefined ? null : readCursor(query.cursor, 0);
    const rows = await listEntriesOfList(deps, params.id, query, after, query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  exportEntries: ({ deps, params, query, c }) =>
    streamText(c, `suppression-${params.id}.csv`, exportEntries(deps, params.id, query.standing, query.part)),
  addEntries: ({ deps, params, body, who }) => addEntries(deps, { listId: params.id, ...body, actor: who.name }),
  stopped: ({ deps, body }) => countWhoIsStopped(deps, body.values),
  lift: ({ deps, body, who }) => liftByPerson(deps, body.entryIds, body.reason, who.name),
});
