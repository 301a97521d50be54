import { contacts } from '../../../shared/contract/contacts.ts';
import { handlers } from '../route.ts';
import { checkAddress } from '../../../operations/contacts/explain-verdict.ts';
import { exportContacts } from '../../../operations/contacts/export-contacts.ts';
import {
  filterOf,
  findContacts,
  getContact,
  listChangesOfContact,
  lookAtTimeLine,
} from '../../../operations/contacts/find-contacts.ts';
import { NEWEST, pageOf, readCursor, readTextCursor } from '../paging.ts';
import { streamText } from '../stream-text.ts';

export const contactsRoutes = handlers(contacts, {
  async contacts({ deps, query }) {
    const byAddress = query.order === 'a-to-z' || query.order === 'z-to-a';
    const after = byAddress || query.cursor === undefined ? readTextCursor(query.cursor) : readCursor(query.cursor, 0);
    const { rows, total } = await findContacts(deps, query, query.order, after, query.limit + 1);
    return { ...pageOf(rows, query.limit, (row) => (byAddress ? row.address : row.id)), total };
  },
  exportContacts({ deps, query, c }) {
    const columns = query.columns
      .split(',')
      .map((name) => name.trim())
      .filter((name) => name !== '');
    return streamText(
      c,
      `contacts.${query.format}`,
      exportContacts(deps, { filter: filterOf(query), format: query.format, columns }),
      query.format === 'csv' ? 'text/csv' : 'application/x-ndjson',
    );
  },
  contact: ({ deps, params }) => getContact(deps, params.id),
  async timeLine({ deps, params, query }) {
    const before = query.before === undefined ? undefined : new Date(query.before);
    const kinds = query.kinds?.split(',') ?? null;
    const items = await lookAtTimeLine(deps, params.id, kinds, before, query.limit + 1);
    return { items: items.slice(0, query.limit), more: items.length > query.limit };
  },
  async contactJournal({ deps, params, query }) {
    const rows = await listChangesOfContact(deps, params.id, readCursor(query.cursor, NEWEST), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  check: ({ deps, query }) => checkAddress(deps, query.address),
});
