import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import { mayEnd, standingOfEntry, standingOfState, type Standing, type Way } from '../../core/consent/consent-table.ts';
import type { SubscriptionState } from '../../shared/words.ts';
import type { List } from '../../store/entities/organisation.ts';
import { findContact, findContactSubscriptions, type ContactRow } from '../../store/statements/contacts.ts';
import { findMatchingEntries, type EntryRow } from '../../store/statements/suppression.ts';
import { isInEffect } from '../../core/eligibility/in-effect.ts';
import type { Deps } from '../deps.ts';

/** What stands between an address and a list. */
export interface Standings {
  contact: ContactRow | null;
  /** The contact's state on the list; null where they never were on it. */
  state: SubscriptionState | null;
  standings: { standing: Standing; since: Date | null }[];
}

/**
 * Everything that stands between an address and a list: entries in effect of the organisation, of the list's brand and
 * of the list itself, whatever they reach; the contact's mark and archive; and how they stand on the list.
 */
export async function findStandings(
  deps: Deps,
  address: string,
  list: Pick<List, 'id' | 'brandId'>,
): Promise<Standings> {
  const contact = (await findContact(deps.database, { address })) ?? null;
  const subscriptions = contact ? await findContactSubscriptions(deps.database, contact.id) : [];
  const onList = subscriptions.find(({ listId }) => listId === list.id);
  const entries = await findMatchingEntries(deps.database, suppressionKeys(address));
  const standings: Standings['standings'] = entries
    .filter((entry) => isInEffect(entry, deps.now()) && concerns(entry, list))
    .map(({ builtIn, endedBy, saidAt }) => ({ standing: standingOfEntry(builtIn, endedBy), since: saidAt }));
  if (contact?.deliverability === 'undeliverable')
    standings.push({ standing: 'undeliverable', since: contact.deliverabilitySince });
  if (contact?.archivedAt) standings.push({ standing: 'archived', since: contact.archivedAt });
  const ofState = standingOfState(onList?.state ?? null, onList?.endedBy ?? null);
  if (ofState) standings.push({ standing: ofState, since: onList?.since ?? null });
  return { contact, state: onList?.state ?? null, standings };
}

function concerns({ scope, scopeId }: EntryRow, list: Pick<List, 'id' | 'brandId'>): boolean {
  if (scope === 'organisation') return true;
  return scopeId === (scope === 'brand' ? list.brandId : list.id);
}

/**
 * The first of these that stays, whoever asks by this way; nothing when all of it ends, at least once it is confirmed.
 */
export function findWhatStays({ standings }: Standings, way: Way): Standing | undefined {
  return standings.find(({ standing }) => mayEnd(standing, way) === 'not')?.standing;
}
