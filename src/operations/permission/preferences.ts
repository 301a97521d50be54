import { randomUUID } from 'node:crypto';
import { inTransaction } from '../../store/database.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import { findContact, findContactSubscriptions } from '../../store/statements/contacts.ts';
import { insertChosenSignUps } from '../../store/statements/sign-ups.ts';
import type { Deps } from '../deps.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin, type IncomingEvent } from '../events/record-events.ts';

/** The lists of a brand, and whether this contact gets each. */
export interface Preferences {
  contactId: number;
  brandId: number;
  lists: { id: number; name: string; on: boolean }[];
}

/** The lists of a brand with where the contact stands on each, as the preference page shows them. */
export async function findPreferences(deps: Deps, contactId: number, brandId: number): Promise<Preferences> {
  const lists = await deps.database.getRepository(ListEntity).find({ where: { brandId }, order: { id: 'ASC' } });
  const states = new Map((await findContactSubscriptions(deps.database, contactId)).map((row) => [row.listId, row.state])); // prettier-ignore
  return {
    contactId,
    brandId,
    lists: lists.map((list) => ({ id: list.id, name: list.name, on: states.get(list.id) === 'subscribed' })),
  };
}

/**
 * Sets which lists of the brand a contact gets, as they chose on the page behind their own message: what they took off
 * is an unsubscription, what they put on a subscription by themselves, kept with its proof. Erased contacts stay out.
 */
export async function choosePreferences(
  deps: Deps,
  before: Preferences,
  wanted: number[],
  from: { campaignId: number; network: string | null; userAgent: string | null },
): Promise<void> {
  const at = deps.now();
  const off = before.lists.filter((list) => list.on && !wanted.includes(list.id)).map((list) => list.id);
  const on = before.lists.filter((list) => !list.on && wanted.includes(list.id)).map((list) => list.id);
  const event = (kind: 'subscribed' | 'unsubscribed', lists: number[]): IncomingEvent => ({
    kind, at: at.getTime(), source: OWN_SOURCE, externalId: `preferences:${randomUUID()}`, contactId: before.contactId, brandId: before.brandId,
    campaignId: kind === 'unsubscribed' ? from.campaignId : null, detail: { way: 'preferences', lists },
  }); // prettier-ignore
  const contact = await findContact(deps.database, { id: before.contactId });
  const allowed = contact && contact.erasedAt === null ? on : [];
  const events = [
    ...(off.length > 0 ? [event('unsubscribed', off)] : []),
    ...(allowed.length > 0 ? [event('subscribed', allowed)] : []),
  ];
  await ensureMonths(deps, events);
  const { affected } = await inTransaction(deps.database, async (sql) => {
    if (allowed.length > 0) await insertChosenSignUps(sql, before.contactId, allowed, { ...from, at });
    return recordEventsWithin(deps, sql, events);
  });
  await callBackFromSends(deps, affected);
}
