import type { SubscriptionState } from '../../shared/words.ts';
import { ListEntity, type List } from '../../store/entities/organisation.ts';
import { findContact } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { recordEvents } from '../events/record-events.ts';
import { comeBack } from './come-back.ts';
import { leavingEvent } from './leave.ts';
import { findStandings } from './standings.ts';

/** The public lists of a brand, and how this contact stands on each. */
export interface Preferences {
  contactId: number;
  brandId: number;
  lists: { list: List; state: SubscriptionState | null; /** They get it: nothing stands in the way. */ on: boolean }[];
}

/** The public lists of a brand with whether the contact gets each, as the preference page shows them. */
export async function findPreferences(deps: Deps, contactId: number, brandId: number): Promise<Preferences> {
  const lists = await deps.database
    .getRepository(ListEntity)
    .find({ where: { brandId, isPublic: true }, order: { id: 'ASC' } });
  const contact = await findContact(deps.database, { id: contactId });
  const shown: Preferences['lists'] = [];
  for (const list of contact && contact.erasedAt === null ? lists : []) {
    const { state, standings } = await findStandings(deps, contact!.address, list);
    shown.push({ list, state, on: state === 'subscribed' && standings.length === 0 });
  }
  return { contactId, brandId, lists: shown };
}

/**
 * What somebody chose on the page behind a message. What they took off, or left off though they stand on it, is left at
 * once: the way out needs no proof. What they put on is asked for by mail first, since the message may have been
 * forwarded, and nothing of it changes until the button of that mail is pressed. Returns the names of the lists that
 * are asked for.
 */
export async function choosePreferences(
  deps: Deps,
  before: Preferences,
  wanted: number[],
  from: { campaignId: number; network: string | null; userAgent: string | null },
): Promise<string[]> {
  const { contactId, brandId, lists } = before;
  const off = lists.filter(({ list, state }) => state === 'subscribed' && !wanted.includes(list.id));
  const leaving = {
    contactId,
    brandId,
    campaignId: from.campaignId,
    lists: off.map(({ list }) => list.id),
    way: 'preferences',
  };
  if (off.length > 0) await recordEvents(deps, [leavingEvent(deps, leaving)]);
  const asked = lists.filter(({ list, on }) => !on && wanted.includes(list.id)).map(({ list }) => list);
  const contact = asked.length > 0 ? await findContact(deps.database, { id: contactId }) : undefined;
  if (!contact || contact.erasedAt !== null) return [];
  const { address, name } = contact;
  const { network, userAgent } = from;
  for (const list of asked)
    await comeBack(deps, list, { address, name, way: 'preferences', network, userAgent, agreed: list.agreement });
  return asked.map((list) => list.name);
}
