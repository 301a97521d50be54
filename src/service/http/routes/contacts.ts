import { checkAddress } from '../../../operations/contacts/explain-verdict.ts';
import { exportContacts } from '../../../operations/contacts/export-contacts.ts';
import { found } from '../../../operations/problem.ts';
import { overFilter } from '../../../operations/segments/within-time.ts';
import type { ContactOrder } from '../../../shared/words.ts';
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
import { listJournal } from '../../../store/statements/journal.ts';
import { NEWEST, pageOf, readCursor, readTextCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';
import { streamText } from '../stream-text.ts';

type WithId = { id: number };

export const contactRoutes: Route[] = [
  route<never, PageQuery & ContactFilter & { order: ContactOrder }>({
    method: 'get', path: '/contacts', summary: 'Find contacts', query: schema.contactsQuery,
    async handle({ deps, query }) {
      const filter = fullFilter(query);
      return overFilter(deps, filter, async (sql) => {
        const byAddress = query.order === 'a-to-z' || query.order === 'z-to-a';
        const after = byAddress || query.cursor === undefined ? readTextCursor(query.cursor) : readCursor(query.cursor, 0);
        const rows = await listContacts(sql, filter, query.order, after, query.limit + 1);
        return { ...pageOf(rows, query.limit, (row) => (byAddress ? row.address : row.id)), total: await countContacts(sql, filter) };
      });
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
  route<WithId, { before?: Date; kinds?: string; limit: number }>({
    method: 'get', path: '/contacts/:id/time-line', summary: 'What happened with one contact, newest first', params: schema.contactParams, query: schema.timeLineQuery,
    async handle({ deps, params, query }) {
      const items = await listTimeLine(deps.database, params.id, query.kinds?.split(',') ?? null, query.before ?? new Date(8.64e15 / 1000), query.limit + 1);
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
]; // prettier-ignore
