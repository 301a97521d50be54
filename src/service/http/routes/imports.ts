import { imports } from '../../../shared/contract/imports.ts';
import { handlers } from '../route.ts';
import { exportImportResults } from '../../../operations/imports/export-import-results.ts';
import { leaveHeldRowsOut, listHeldRows, releaseHeldRows } from '../../../operations/imports/held-rows.ts';
import { importDryRun } from '../../../operations/imports/import-dry-run.ts';
import { listRenames } from '../../../operations/imports/list-renames.ts';
import { lookAtFile } from '../../../operations/imports/read-file-head.ts';
import { receiveImport } from '../../../operations/imports/receive-import.ts';
import {
  getImport,
  listAttributes,
  listLatestImports,
  stopImport,
} from '../../../operations/imports/look-at-imports.ts';
import { Problem } from '../../../operations/problem.ts';
import { NEWEST_INT, pageOf, readCursor } from '../paging.ts';
import { uploadOf } from '../upload.ts';
import { streamText } from '../stream-text.ts';

export const importsRoutes = handlers(imports, {
  async importFile({ deps, query, who, c }) {
    const { map, ...request } = query;
    return receiveImport(deps, { ...request, mapping: readMapping(map), actor: who.name }, uploadOf(c));
  },
  fileHead: ({ deps, query, c }) => lookAtFile(deps, query, uploadOf(c)),
  attributes: ({ deps }) => listAttributes(deps),
  async imports({ deps, query }) {
    const rows = await listLatestImports(deps, query.brandId, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  import: ({ deps, params }) => getImport(deps, params.id),
  cancelImport: ({ deps, params }) => stopImport(deps, params.id),
  heldRows: ({ deps, params }) => listHeldRows(deps, params.id),
  releaseHeldRows: ({ deps, params, body, who }) => releaseHeldRows(deps, params.id, { ...body, actor: who.name }),
  leaveHeldRowsOut: ({ deps, params, body, who }) => leaveHeldRowsOut(deps, params.id, { ...body, actor: who.name }),
  importDryRun: ({ deps, params, who }) => importDryRun(deps, params.id, who.name),
  renames: ({ deps, params }) => listRenames(deps, params.id),
  importResults: ({ deps, params, query, c }) =>
    streamText(c, `import-${params.id}-results.csv`, exportImportResults(deps, params.id, query.only)),
});

function readMapping(text: string | undefined): Record<string, string | null> | undefined {
  if (text === undefined) return undefined;
  try {
    return JSON.parse(text) as Record<string, string | null>;
  } catch {
    throw new Problem('invalid-input', 'The mapping is not JSON.', { field: 'map' });
  }
}
