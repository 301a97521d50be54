import { eventId, type EventDetail, type StorableEvent } from '../../core/activity/event.ts';
import { judgeActor, TRAP_WINDOW_MS } from '../../core/activity/judge-actor.ts';
import { TRAP_LINK } from '../../core/message/compile-message.ts';
import type { EventKind } from '../../shared/words.ts';
import { inTransaction, type Sql } from '../../store/database.ts';
import {
  findActs,
  findMessageFacts,
  noteBounces,
  noteTraps,
  recordElsewhereDeliveries,
  repaintActs,
  type MessageFacts,
  type StoredAct,
} from '../../store/statements/acts.ts';
import { ensureEventPartitions, insertEvents, rebuildActivityOf } from '../../store/statements/events.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { applyConsequences } from './apply-consequences.ts';

/** One event as it comes in, its contact, brand and campaign already found. */
export interface IncomingEvent {
  kind: EventKind;
  /** Milliseconds since the epoch. */
  at: number;
  source: string;
  externalId: string;
  contactId: number;
  brandId: number;
  campaignId: number | null;
  detail?: EventDetail;
}

export interface RecordedEvents {
  recorded: number;
  repeated: number;
}

/** Source of events that Avendel observes itself. */
export const OWN_SOURCE = 'avendel';

/**
 * Records events, folds them into activity, and does what follows from them (marks, suppressions, subscriptions,
 * stages), all in one transaction. Whatever the order and however often they come, the end is the same.
 */
export async function recordEvents(deps: Deps, incoming: IncomingEvent[]): Promise<RecordedEvents> {
  if (incoming.length === 0) return { recorded: 0, repeated: 0 };
  await ensureMonths(deps, incoming);
  const { recorded, affected } = await inTransaction(deps.database, (sql) => recordEventsWithin(deps, sql, incoming));
  await callBackFromSends(deps, affected);
  return { recorded, repeated: incoming.length - recorded };
}

/** The same inside a transaction of the caller's, who then calls back `affected` contacts from sends under way. */
export async function recordEventsWithin(
  deps: Deps,
  sql: Sql,
  incoming: IncomingEvent[],
): Promise<{ recorded: number; affected: number[] }> {
  const events = await judge(sql, incoming);
  const fresh = await insertEvents(sql, events);
  const added = distinct(events.filter((event) => fresh.has(event.id)));
  await keepLedger(sql, added);
  const repainted = await decideAgain(sql, added);
  const affected = await applyConsequences(deps, sql, added, repainted);
  return { recorded: fresh.size, affected };
}

/** Creates the partitions that these instants need, before any transaction that writes into them. */
export async function ensureMonths(deps: Deps, events: { at: number }[]): Promise<void> {
  const months = new Set(events.map(({ at }) => new Date(at).toISOString().slice(0, 7)));
  const missing = [...months].filter((month) => !deps.eventMonths.has(month));
  if (missing.length === 0) return;
  await inTransaction(deps.database, (sql) => ensureEventPartitions(sql, missing));
  for (const month of missing) deps.eventMonths.add(month);
}

async function judge(sql: Sql, incoming: IncomingEvent[]): Promise<StorableEvent[]> {
  const acts = incoming.filter(isAct);
  const facts = byMessage(await findMessageFacts(sql, distinctPairs(acts)));
  const trapsNow = acts.filter(isTrap);
  return incoming.map((event) => {
    const base = { ...event, id: eventId(event.source, event.externalId), detail: event.detail ?? null };
    if (!isAct(event))
      return { ...base, actor: PEOPLE.has(event.kind) ? ('human' as const) : ('machine' as const), actorReason: null };
    const message = facts.get(messageKey(event));
    const alsoNow = trapsNow.filter((trap) => messageKey(trap) === messageKey(event)).map((trap) => trap.at);
    const { actor, reason } = judgeOne(
      {
        ...event,
        link: event.detail?.link ?? null,
        userAgent: event.detail?.userAgent ?? null,
        method: event.detail?.method ?? null,
      },
      message,
      alsoNow,
    );
    return { ...base, actor, actorReason: reason };
  });
}

/** Kinds that only a person brings about. */
const PEOPLE: ReadonlySet<EventKind> = new Set<EventKind>([
  'complained',
  'unsubscribed',
  'subscribed',
  'confirmed',
  'visited',
  'purchased',
  'replied',
]);

type Act = Pick<StoredAct, 'at' | 'link' | 'userAgent' | 'method'> & { kind: EventKind };

function judgeOne(act: Act, message: MessageFacts | undefined, alsoTrapped: number[]): ReturnType<typeof judgeActor> {
  return judgeActor({
    kind: act.kind === 'opened' ? 'opened' : 'clicked',
    at: act.at,
    acceptedAt: message?.acceptedAt ?? undefined,
    trappedAt: [...(message?.trappedAt ?? []), ...alsoTrapped],
    isTrap: act.kind === 'clicked' && act.link === TRAP_LINK,
    userAgent: act.userAgent ?? '',
    method: act.method ?? 'GET',
  });
}

async function keepLedger(sql: Sql, added: StorableEvent[]): Promise<void> {
  const withCampaign = added.filter(hasCampaign);
  const elsewhere = withCampaign.filter((event) => event.kind === 'sent' && event.source !== OWN_SOURCE);
  if (elsewhere.length > 0) await recordElsewhereDeliveries(sql, elsewhere);
  const bounced = withCampaign.filter((event) => event.kind === 'bounced');
  if (bounced.length > 0)
    await noteBounces(
      sql,
      bounced.map((event) => ({ ...event, class: event.detail?.class ?? 'soft' })),
    );
  const traps = withCampaign.filter(isTrap);
  if (traps.length > 0) await noteTraps(sql, traps);
}

/**
 * A trap link followed, or an acceptance that comes late, can change who made the opens and clicks that came before.
 * Returns the contacts of whom an act was given another actor.
 */
async function decideAgain(sql: Sql, added: StorableEvent[]): Promise<number[]> {
  const causes = added
    .filter(hasCampaign)
    .filter((event) => isTrap(event) || (event.kind === 'sent' && event.source !== OWN_SOURCE));
  if (causes.length === 0) return [];
  const since = causes.reduce((least, event) => Math.min(least, event.at), Infinity) - TRAP_WINDOW_MS;
  const pairs = distinctPairs(causes);
  const acts = await findActs(sql, pairs, since);
  if (acts.length === 0) return [];
  const facts = byMessage(await findMessageFacts(sql, pairs));
  const changed = acts.flatMap((act) => {
    const { actor, reason } = judgeOne(act, facts.get(messageKey(act)), []);
    return actor === act.actor && reason === act.actorReason
      ? []
      : [{ id: act.id, contactId: act.contactId, at: act.at, actor, actorReason: reason }];
  });
  if (changed.length === 0) return [];
  await repaintActs(sql, changed);
  const contactIds = [...new Set(changed.map((act) => act.contactId))];
  await rebuildActivityOf(sql, contactIds);
  return contactIds;
}

type WithCampaign<T> = T & { campaignId: number };

function hasCampaign<T extends { campaignId: number | null }>(event: T): event is WithCampaign<T> {
  return event.campaignId !== null;
}

function isAct<T extends { kind: EventKind; campaignId: number | null }>(event: T): event is WithCampaign<T> {
  return (event.kind === 'opened' || event.kind === 'clicked') && event.campaignId !== null;
}

function isTrap(event: { kind: EventKind; detail?: EventDetail | null }): boolean {
  return event.kind === 'clicked' && event.detail?.link === TRAP_LINK;
}

function messageKey(pair: { campaignId: number; contactId: number }): string {
  return `${pair.campaignId} ${pair.contactId}`;
}

function byMessage(facts: MessageFacts[]): Map<string, MessageFacts> {
  return new Map(facts.map((fact) => [messageKey(fact), fact]));
}

function distinctPairs(
  events: { campaignId: number; contactId: number }[],
): { campaignId: number; contactId: number }[] {
  return [
    ...new Map(
      events.map((event) => [messageKey(event), { campaignId: event.campaignId, contactId: event.contactId }]),
    ).values(),
  ];
}

function distinct(events: StorableEvent[]): StorableEvent[] {
  return [...new Map(events.map((event) => [event.id, event])).values()];
}
