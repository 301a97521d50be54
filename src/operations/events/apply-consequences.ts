import type { StorableEvent } from '../../core/activity/event.ts';
import { ACCEPTANCE_STANDS_MS } from '../../core/rules/bounce-count.ts';
import { ENGAGING_ACTS } from '../../core/rules/sunset-ladder.ts';
import { mayEnd, standingOfEntry } from '../../core/consent/consent-table.ts';
import type { Sql } from '../../store/sql.ts';
import type { Act } from '../../store/statements/journal.ts';
import { listMarkedContacts, lockContacts } from '../../store/statements/marks.ts';
import {
  changeSubscriptions,
  findSubscribedLists,
  type SubscriptionChange,
} from '../../store/statements/subscriptions.ts';
import {
  enterEntries,
  findBuiltInLists,
  findEntriesOfContacts,
  liftEntries,
  sayEntriesAgain,
  type NewEntry,
} from '../../store/statements/suppression.ts';
import { findSilentContacts } from '../../store/statements/sunset-stages.ts';
import type { Deps } from '../deps.ts';
import { holdStorms } from '../storms/storms.ts';
import { moveToStage } from '../rules/sunset-rule.ts';
import { markDeliverability } from '../marks/mark-deliverability.ts';
import { findBounceRule } from '../../store/statements/rules.ts';
import { findAddresses, findOptInTimes } from '../../store/statements/contacts.ts';

const BY_BOUNCE_RULE: Act = { actorKind: 'rule', actor: 'the bounce rule', runId: null };
const BY_CONTACT: Act = { actorKind: 'contact', actor: 'the contact', runId: null };

/**
 * Does what follows at once from new events: complaints and opt-outs become entries, subscriptions follow the contact's
 * latest act, bounces mark addresses, an engagement ends silence. Contacts of whom a past act was `repainted` are
 * worked out afresh: what cleared a bounce count may have been a machine. Returns the contacts that may have become
 * ineligible.
 */
export async function applyConsequences(
  deps: Deps,
  sql: Sql,
  events: StorableEvent[],
  repainted: number[],
): Promise<number[]> {
  const moved = events.filter((event) => moves(event, deps.now().getTime()));
  if (moved.length === 0 && repainted.length === 0) return [];
  const marked = new Set(await listMarkedContacts(sql, contactsOf(moved)));
  const concerned = moved.filter((event) => MOVING.has(event.kind) || marked.has(event.contactId));
  const leaving = concerned.filter(
    (event) => event.kind === 'complained' || event.kind === 'unsubscribed' || event.kind === 'bounced',
  );
  const calmed = await holdStorms(deps, sql, concerned);
  const weighed = [...new Set([...contactsOf(concerned.filter(bearsOnDeliverability)), ...repainted, ...calmed])].sort(
    (a, b) => a - b,
  );
  const touched = [...new Set([...contactsOf(concerned), ...repainted, ...calmed])];
  if (touched.length > 0) {
    await lockContacts(sql, touched);
    await followSubscriptions(sql, concerned);
    await enterComplaintsAndOptOuts(sql, concerned);
    await liftByOptIn(sql, concerned);
    await markDeliverability(sql, weighed, await findBounceRule(sql), deps.now(), BY_BOUNCE_RULE);
  }
  await endSilence(deps, sql, moved);
  return contactsOf(leaving);
}

/** Kinds of events that can move a contact's marks, subscriptions or entries whatever stands there. */
const MOVING: ReadonlySet<string> = new Set(['bounced', 'complained', 'unsubscribed', 'subscribed', 'confirmed']);
const ENGAGING: ReadonlySet<string> = new Set(ENGAGING_ACTS);

/** Whether an event can change a mark at all: an acceptance only once it has stood. */
function moves(event: StorableEvent, now: number): boolean {
  if (MOVING.has(event.kind) || event.kind === 'delivered') return true;
  if (event.kind === 'sent') return event.at <= now - ACCEPTANCE_STANDS_MS;
  return ENGAGING.has(event.kind) && event.actor === 'human';
}

function bearsOnDeliverability(event: StorableEvent): boolean {
  return (
    !['complained', 'unsubscribed', 'subscribed'].includes(event.kind) &&
    !(event.kind === 'bounced' && event.detail?.class === 'block')
  );
}

async function followSubscriptions(sql: Sql, events: StorableEvent[]): Promise<void> {
  const acts = events.filter((event) => ['unsubscribed', 'subscribed', 'confirmed'].includes(event.kind));
  const changes: SubscriptionChange[] = [];
  for (const [brandId, ofBrand] of groupBy(acts, (event) => event.brandId)) {
    const wide = ofBrand.filter((event) => event.kind === 'unsubscribed' && !event.detail?.lists);
    const lists = wide.length > 0 ? await findSubscribedLists(sql, brandId, contactsOf(wide)) : [];
    const times = await findOptInTimes(sql, brandId, contactsOf(ofBrand));
    for (const event of ofBrand) {
      const optedOutAt = times.get(event.contactId)?.optedOutAt ?? 0;
      const concerned =
        event.detail?.lists ?? lists.filter((row) => row.contactId === event.contactId).map((row) => row.listId);
      for (const listId of concerned) {
        const { subscribedAt, confirmedAt } = times.get(event.contactId) ?? NEVER;
        const stillSaid = event.at >= Math.max(subscribedAt, confirmedAt);
        changes.push({ ...changeOf(event, listId), stillSaid });
        // An older opt-in that arrives after a newer opt-out from the whole brand: the newer act holds.
        if (event.kind !== 'unsubscribed' && optedOutAt >= event.at)
          changes.push({ ...changeOf(event, listId), state: 'unsubscribed', at: optedOutAt, stillSaid: true });
      }
    }
  }
  await changeSubscriptions(sql, changes, BY_CONTACT);
}

function changeOf(event: StorableEvent, listId: number): Omit<SubscriptionChange, 'stillSaid'> {
  const state = event.kind === 'unsubscribed' ? 'unsubscribed' : 'subscribed';
  return {
    contactId: event.contactId,
    listId,
    state,
    at: event.at,
    source: event.detail?.way ?? event.kind,
    cause: causeOf(event),
  };
}

async function enterComplaintsAndOptOuts(sql: Sql, events: StorableEvent[]): Promise<void> {
  const lasting = events.filter(
    (event) => event.kind === 'complained' || (event.kind === 'unsubscribed' && !event.detail?.lists),
  );
  if (lasting.length === 0) return;
  const lists = await findBuiltInLists(sql);
  const addresses = await findAddresses(sql, contactsOf(lasting));
  const entryOf = (event: StorableEvent): NewEntry => {
    const kind = event.kind === 'complained' ? 'complaint' : 'opt-out';
    return {
      listId: lists.get(`${kind} ${event.brandId}`)!,
      kind: 'address',
      value: addresses.get(event.contactId)!,
      reason: event.kind === 'complained' ? 'complained about a message' : 'asked for no more from this brand',
      source: event.detail?.way ?? event.source,
      evidence: causeOf(event),
      expiresAt: null,
      endedBy: kind === 'opt-out' ? 'contact' : undefined,
      saidAt: new Date(event.at).toISOString(),
    };
  };
  await enterEntries(sql, lasting.map(entryOf), BY_CONTACT);
  await sayEntriesAgain(sql, (await standingOf(sql, lasting)).map(entryOf), BY_CONTACT);
}

/** Opt-outs and complaints that no later opt-in of the contact has taken back. */
async function standingOf(sql: Sql, events: StorableEvent[]): Promise<StorableEvent[]> {
  const standing: StorableEvent[] = [];
  for (const [brandId, ofBrand] of groupBy(events, (event) => event.brandId)) {
    const times = await findOptInTimes(sql, brandId, contactsOf(ofBrand));
    for (const event of ofBrand) {
      const { subscribedAt, confirmedAt } = times.get(event.contactId) ?? NEVER;
      const joinedAt = event.kind === 'complained' ? confirmedAt : Math.max(subscribedAt, confirmedAt);
      if (event.at >= joinedAt) standing.push(event);
    }
  }
  return standing;
}

/**
 * What a contact says afresh lifts what core/consent/consent-table lets it lift: a subscription an opt-out, a
 * confirmation a complaint too, if it was said later than the entry. What counts is when each was said, not when it was
 * heard.
 */
async function liftByOptIn(sql: Sql, events: StorableEvent[]): Promise<void> {
  const entered = events.filter((event) =>
    ['complained', 'unsubscribed', 'subscribed', 'confirmed'].includes(event.kind),
  );
  for (const [brandId, ofBrand] of groupBy(entered, (event) => event.brandId)) {
    const contactIds = contactsOf(ofBrand);
    const entries = await findEntriesOfContacts(sql, contactIds, ['complaint', 'opt-out'], brandId);
    if (entries.length === 0) continue;
    const of = await findOptInTimes(sql, brandId, contactIds);
    const over = entries.filter((entry) => {
      const { confirmedAt, subscribedAt } = of.get(entry.contactId) ?? NEVER;
      const standing = standingOfEntry(entry.builtIn, entry.endedBy);
      return (
        (mayEnd(standing, 'confirmation') === 'may' && confirmedAt > entry.saidAt) ||
        (mayEnd(standing, 'elsewhere') === 'may' && subscribedAt > entry.saidAt)
      );
    });
    await liftEntries(
      sql,
      over.map((entry) => entry.id),
      'the contact opted in afresh',
      'contact',
      BY_CONTACT,
    );
  }
}

const NEVER = { subscribedAt: 0, confirmedAt: 0 };

async function endSilence(deps: Deps, sql: Sql, events: StorableEvent[]): Promise<void> {
  const engaged = events.filter((event) => ENGAGING.has(event.kind) && event.actor === 'human');
  for (const [brandId, ofBrand] of groupBy(engaged, (event) => event.brandId)) {
    const silent = await findSilentContacts(sql, brandId, contactsOf(ofBrand));
    await moveToStage(deps, sql, brandId, silent, { actorKind: 'rule', actor: 'the sunset rule', runId: null });
  }
}

function causeOf(event: StorableEvent): Record<string, unknown> {
  return { event: event.id, kind: event.kind, at: event.at, campaignId: event.campaignId, way: event.detail?.way };
}

function contactsOf(events: { contactId: number }[]): number[] {
  return [...new Set(events.map((event) => event.contactId))].sort((a, b) => a - b);
}

function groupBy<T, K>(items: T[], key: (item: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const item of items) {
    const group = groups.get(key(item));
    if (group) group.push(item);
    else groups.set(key(item), [item]);
  }
  return groups;
}
