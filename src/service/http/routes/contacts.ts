import { checkAddress } from '../../../operations/contacts/explain-verdict.ts';
import { exportContacts } from '../../../operations/contacts/export-contacts.ts';
import { exportImportResults } from '../../../operations/contacts/export-import-results.ts';
import { listHeldRows, releaseHeldRows } from '../../../operations/contacts/held-rows.ts';
import { receiveImport } from '../../../operations/contacts/receive-import.ts';
import { found, Problem } from '../../../operations/problem.ts';
import * as schema from '../../../shared/schemas.ts';
import {
  countContacts,
  findContact,
  findContactSubscriptions,
  fullFilter,
  listContacts,
  listTimeLine,
  type ContactFilter,
} from '../../../store/statements/contacts.ts';
import { findImport, listImports, updateImport } from '../../../store/statements/imports.ts';
import { listJournal } from '../../../store/statements/journal.ts';
import { NEWEST, NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';
import { streamText } from '../stream-text.ts';

type WithId = { id: number };

interface ImportQuery {
  listId: number;
  fileName: string;
  dryRun: boolean;
  delimiter?: string;
  map?: string;
}

export const contactRoutes: Route[] = [
  route<never, PageQuery & ContactFilter>({
    method: 'get', path: '/contacts', summary: 'Find contacts', query: schema.contactsQuery,
    async handle({ deps, query }) {
      const filter = fullFilter(query);
      const rows = await listContacts(deps.database, filter, readCursor(query.cursor, 0), query.limit + 1);
      return { ...pageOf(rows, query.limit, (row) => row.id), total: await countContacts(deps.database, filter) };
    },
  }),
  route<never, ContactFilter & { format: 'csv' | 'jsonl'; columns: string }>({
    method: 'get', path: '/contacts/export', summary: 'Contacts of a filter as CSV or JSON Lines, with chosen columns', query: schema.contactsExport, answers: 'text/csv',
    handle({ deps, query, c }) {
      const filter = fullFilter(query);
      const columns = query.columns.split(',').map((name) => name.trim()).filter((name) => name !== '');
      return streamText(c, `contacts.${query.format}`, exportContacts(deps, { filter, format: query.format, columns }), query.format === 'csv' ? 'text/csv' : 'application/x-ndjson');
    },
  }),
  route<WithId>({
    method: 'get', path: '/contacts/:id', summary: 'One contact with their subscriptions', params: schema.contactParams,
    async handle({ deps, params }) {
      const contact = found(await findContact(deps.database, { id: params.id }), `contact ${params.id}`);
      return { ...contact, subscriptions: await findContactSubscriptions(deps.database, contact.id) };
    },
  }),
  route<WithId, { before?: Date; limit: number }>({
    method: 'get', path: '/contacts/:id/time-line', summary: 'What happened with one contact, newest first', params: schema.contactParams, query: schema.timeLineQuery,
    async handle({ deps, params, query }) {
      const items = await listTimeLine(deps.database, params.id, query.before ?? new Date(8.64e15 / 1000), query.limit + 1);
      return { items: items.slice(0, query.limit), more: items.length > query.limit };
    },
  }),
  route<WithId, PageQuery>({
    method: 'get', path: '/contacts/:id/journal', summary: 'Every change of mark, subscription and suppression of one contact', params: schema.contactParams, query: schema.pageQuery,
    async handle({ deps, params, query }) {
      const rows = await listJournal(deps.database, { contactId: params.id }, readCursor(query.cursor, NEWEST), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.id);
    },
  }),
  route<never, { address: string }>({
    method: 'get', path: '/check', summary: 'Who is this address, may we write to it, and why', query: schema.checkQuery,
    handle: ({ deps, query }) => checkAddress(deps, query.address),
  }),
  route<never, ImportQuery>({
    method: 'post', path: '/imports', summary: 'Import a CSV file into a list; answers once the file is kept', query: schema.importQuery, raw: 'text/csv', status: 202,
    async handle({ deps, query, who, c }) {
      const { body } = c.req.raw;
      if (!body) throw new Problem('bad-file', 'There is no file in the request.');
      const request = { listId: query.listId, fileName: query.fileName, dryRun: query.dryRun, delimiter: query.delimiter, mapping: readMapping(query.map), actor: who.name };
      return receiveImport(deps, request, body);
    },
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
