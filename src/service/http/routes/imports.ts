import { exportImportResults } from '../../../operations/contacts/export-import-results.ts';
import { listHeldRows, releaseHeldRows } from '../../../operations/contacts/held-rows.ts';
import { lookAtFile, type HeadRequest } from '../../../operations/contacts/read-file-head.ts';
import { receiveImport } from '../../../operations/contacts/receive-import.ts';
import { found, Problem } from '../../../operations/problem.ts';
import * as schema from '../../../shared/schemas.ts';
import { listAttributeTypes } from '../../../store/statements/contact-attributes.ts';
import { findImport, listImports, updateImport } from '../../../store/statements/imports.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { uploadOf } from '../upload.ts';
import { route, type Route } from '../route.ts';
import { streamText } from '../stream-text.ts';

type WithId = { id: number };
type FileFormat = Omit<HeadRequest, 'mapping'>;
type ImportQuery = FileFormat & { listId: number; dryRun: boolean; map?: string };

export const importRoutes: Route[] = [
  route<never, ImportQuery>({
    method: 'post', path: '/imports', summary: 'Import a CSV file into a list; answers once the file is kept', query: schema.importQuery, raw: 'text/csv', status: 202,
    async handle({ deps, query, who, c }) {
      const { map, ...request } = query;
      return receiveImport(deps, { ...request, mapping: readMapping(map), actor: who.name }, uploadOf(c));
    },
  }),
  route<never, FileFormat>({
    method: 'post', path: '/imports/head', summary: 'What is found of a CSV file from its first kilobytes: encoding, delimiter, what each column is; keeps nothing', query: schema.fileHeadQuery, raw: 'text/csv',
    handle: ({ deps, query, c }) => lookAtFile(deps, query, uploadOf(c)),
  }),
  route({
    method: 'get', path: '/attributes', summary: 'Attributes that have a type; the others are text',
    handle: ({ deps }) => listAttributeTypes(deps.database),
  }),
  route<never, PageQuery>({
    method: 'get', path: '/imports', summary: 'Imports, latest first', query: schema.pageQuery,
    async handle({ deps, query }) {
      return pageOf(await listImports(deps.database, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<WithId>({
    method: 'get', path: '/imports/:id', summary: 'How far an import is, and its outcome', params: schema.idParams,
    async handle({ deps, params }) {
      return found(await findImport(deps.database, params.id), `import ${params.id}`);
    },
  }),
  route<WithId>({
    method: 'post', path: '/imports/:id/cancel', summary: 'Stop an import; what was taken in stays and can be undone as a run', params: schema.idParams,
    async handle({ deps, params }) {
      const row = found(await findImport(deps.database, params.id), `import ${params.id}`);
      if (row.state === 'finished' || row.state === 'failed') throw new Problem('wrong-state', `Import ${row.id} is ${row.state}.`);
      await updateImport(deps.database, row.id, { state: 'cancelled' });
      return found(await findImport(deps.database, params.id), `import ${params.id}`);
    },
  }),
  route<WithId>({
    method: 'get', path: '/imports/:id/held', summary: 'Rows that wait for a decision, by why and by domain', params: schema.idParams,
    handle: ({ deps, params }) => listHeldRows(deps, params.id),
  }),
  route<WithId, never, { codes?: string[]; mend: boolean; dryRun: boolean }>({
    method: 'post', path: '/imports/:id/release', summary: 'Take held rows in after all, as they are or mended, as an import of its own', params: schema.idParams, body: schema.releaseRequest, status: 202,
    handle: ({ deps, params, body, who }) => releaseHeldRows(deps, params.id, { ...body, actor: who.name }),
  }),
  route<WithId, { only?: string }>({
    method: 'get', path: '/imports/:id/results.csv', summary: 'The result file: the original columns, then row, outcome, code and words', params: schema.idParams, query: schema.resultsQuery, answers: 'text/csv',
    handle: ({ deps, params, query, c }) => streamText(c, `import-${params.id}-results.csv`, exportImportResults(deps, params.id, query.only)),
  }),
]; // prettier-ignore

function readMapping(text: string | undefined): Record<string, string | null> | undefined {
  if (text === undefined) return undefined;
  try {
    return JSON.parse(text) as Record<string, string | null>;
  } catch {
    throw new Problem('invalid-input', 'The mapping is not JSON.', { field: 'map' });
  }
}
