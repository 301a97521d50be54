import type { ContactQuery } from '../../shared/contract/contacts.ts';
import type { ContactOrder } from '../../shared/words.ts';
import {
  countContacts,
  findContact,
  findContactSubscriptions,
  fullFilter,
  listContacts,
  listTimeLine,
  type ContactFilter,
  type ContactListRow,
  type ContactRow,
  type ContactSubscription,
  type TimeLineRow,
} from '../../store/statements/contacts.ts';
import { listJournal, type JournalRow } from '../../store/statements/journal.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';
import { overFilter } from '../segments/within-time.ts';

/** After every event. */
const LATEST = new Date(8.64e15 / 1000);

/** A filter as it was asked for, with nothing left open. */
export function filterOf(query: ContactQuery): ContactFilter {
  return fullFilter(query);
}

/**
 * Contacts that a filter finds, after one in their order, and how many there are in all.
 * @throws Problem bad-condition, took-too-long
 */
export function findContacts(
  deps: Deps,
  query: ContactQuery,
  order: ContactOrder,
  after: number | string | null,
  limit: number,
): Promise<{ rows: ContactListRow[]; total: number }> {
  const filter = fullFilter(query);
  return overFilter(deps, filter, async (sql) => ({
    rows: await listContacts(sql, filter, order, after, limit),
    total: await countContacts(sql, filter),
  }));
}

/** A contact with the lists they are on. @throws Problem not-found */
export async function getContact(
  deps: Deps,
  id: number,
): Promise<ContactRow & { subscriptions: ContactSubscription[] }> {
  const contact = found(await findContact(deps.database, { id }), `contact ${id}`);
  return { ...contact, subscriptions: await findContactSubscriptions(deps.database, id) };
}

/** What happened to a contact and what they did, before an instant, latest first; of these kinds, or of all. */
export function lookAtTimeLine(
  deps: Deps,
  id: number,
  kinds: readonly string[] | null,
  before: Date | undefined,
  limit: number,
): Promise<TimeLineRow[]> {
  return listTimeLine(deps.database, id, kinds, before ?? LATEST, limit);
}

/** What was changed about a contact, latest first. */
export function listChangesOfContact(deps: Deps, id: number, before: number, limit: number): Promise<JournalRow[]> {
  return listJournal(deps.database, { contactId: id }, before, limit);
}
