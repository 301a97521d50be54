import { ListEntity, type List } from '../../store/entities/organisation.ts';
import { findContact, findContactSubscriptions } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { recordEvents } from '../events/record-events.ts';
import { comeBack } from './come-back.ts';
import { leavingEvent } from './leave.ts';

/** The public lists of a brand, and whether this contact gets each. */
export interface Preferences {
  contactId: number;
  brandId: number;
  lists: { list: List; on: boolean }[];
}

/** The public lists of a brand with where the contact stands on each, as the preference page shows them. */
export async function findPreferences(deps: Deps, contactId: number, brandId: number): Promise<Preferences> {
  const lists = await deps.database.getRepository(ListEntity).find({ where: { brandId, isPublic: true }, order: { id: 'ASC' } }); // prettier-ignore
  const states = new Map((await findContactSubscriptions(deps.database, contactId)).map((row) => [row.listId, row.state])); // prettier-ignore
  return { contactId, brandId, lists: lists.map((list) => ({ list, on: states.get(list.id) === 'subscribed' })) };
}

/**
 * What somebody chose on the page behind a message. What they took off is left at once: the way out needs no proof. What they
 * put on is asked for by mail first, since the message may have been forwarded, and nothing of it changes until the button of
 * that mail is pressed. Returns the names of the lists that are asked for.
 */
export async function choosePreferences(
  deps: Deps,
  before: Preferences,
  wanted: number[],
  from: { campaignId: number; network: string | null; userAgent: string | null },
): Promise<string[]> {
  const { contactId, brandId } = before;
  const off = before.lists.filter(({ list, on }) => on && !wanted.includes(list.id)).map(({ list }) => list.id);
  if (off.length > 0)
    await recordEvents(deps, [leavingEvent(deps, { contactId, brandId, campaignId: from.campaignId, lists: off, way: 'preferences' })]); // prettier-ignore
  const asked = before.lists.filter(({ list, on }) => !on && wanted.includes(list.id)).map(({ list }) => list);
  const contact = asked.length > 0 ? await findContact(deps.database, { id: contactId }) : undefined;
  if (!contact || contact.erasedAt !== null) return [];
  const { address, name } = contact;
  for (const list of asked) {
    const { network, userAgent } = from;
    await comeBack(deps, list, { address, name, way: 'preferences', network, userAgent, agreed: list.agreement });
  }
  return asked.map((list) => list.name);
}
