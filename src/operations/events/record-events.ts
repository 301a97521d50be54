import { eventId, type EventDetail, type StorableEvent } from '../../core/activity/event.ts';
import { isTrap, judgeActs, REACH_MS, type ActFacts, type Judgement } from '../../core/activity/judge-actor.ts';
import type { EventKind } from '../../shared/words.ts';
import { inTransaction, type Sql } from '../../store/database.ts';
import {
  findActs,
  findMessageFacts,
  noteBounces,
  noteTraps,
  recordElsewhereDeliveries,
  repaintActs,
  type StoredAct,
} from '../../store/statements/acts.ts';
import { ensureEventPartitions, insertEvents, rebuildActivityOf } from '../../store/statements/events.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { applyConsequences } from './apply-consequences.ts';
import { findIsProxy } from './proxy-list.ts';

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
  const events = await judge(deps, sql, incoming);
  const fresh = await insertEvents(sql, events);
  const added = distinct(events.filter((event) => fresh.has(event.id)));
  await keepLedger(sql, added);
  const repainted = await decideAgain(deps, sql, added);
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

async function judge(deps: Deps, sql: Sql, incoming: IncomingEvent[]): Promise<StorableEvent[]> {
  const acts = incoming.filter(isAct);
  const judged = acts.length === 0 ? NONE_JUDGED : await judgeByMessage(deps, sql, acts, (event) => actOf(event.kind, event.at, event.detail)); // prettier-ignore
  return incoming.map((event) => {
    const base = { ...event, id: eventId(event.source, event.externalId), detail: event.detail ?? null };
    const judgement = judged.get(event);
    if (!judgement) return { ...base, actor: PEOPLE.has(event.kind) ? 'human' : 'machine', actorReason: null };
    return { ...base, actor: judgement.actor, actorReason: judgement.reason };
  });
}

const NONE_JUDGED: ReadonlyMap<unknown, Judgement> = new Map();

/** Judges acts, those of one message together. */
async function judgeByMessage<T extends { campaignId: number; contactId: number }>(
  deps: Deps,
  sql: Sql,
  acts: T[],
  factsOf: (act: T) => ActFacts,
): Promise<Map<unknown, Judgement>> {
  const messages = new Map((await findMessageFacts(sql, distinctPairs(acts))).map((facts) => [messageKey(facts), facts])); // prettier-ignore
  const isProxy = await findIsProxy(deps, sql);
  const groups = new Map<string, T[]>();
  for (const act of acts) {
    const group = groups.get(messageKey(act));
    if (group) group.push(act);
    else groups.set(messageKey(act), [act]);
  }
  const judged = new Map<unknown, Judgement>();
  for (const [key, group] of groups) {
    const judgements = judgeActs(group.map(factsOf), messages.get(key) ?? NOTHING_KNOWN, isProxy);
    group.forEach((act, index) => judged.set(act, judgements[index]!));
  }
  return judged;
}

const NOTHING_KNOWN = { acceptedAt: null, trappedAt: [], links: 0 };

function actOf(kind: EventKind, at: number, detail: EventDetail | null | undefined): ActFacts {
  return {
    kind: kind === 'opened' ? 'opened' : 'clicked',
    at,
    link: detail?.link ?? null,
    userAgent: detail?.userAgent ?? '',
    network: detail?.network ?? '',
    method: detail?.method ?? 'GET',
  };
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
  const traps = withCampaign.filter((event) => isTrap({ kind: event.kind, link: event.detail?.link ?? null }));
  if (traps.length > 0) await noteTraps(sql, traps);
}

/**
 * A click can complete a burst or follow a trap link, and an acceptance can come late: each can change who made the opens
 * and clicks that came before. Returns the contacts of whom an act was given another actor.
 */
async function decideAgain(deps: Deps, sql: Sql, added: StorableEvent[]): Promise<number[]> {
  const causes = added
    .filter(hasCampaign)
    .filter((event) => event.kind === 'clicked' || (event.kind === 'sent' && event.source !== OWN_SOURCE));
  if (causes.length === 0) return [];
  const since = causes.reduce((least, event) => Math.min(least, event.at), Infinity) - REACH_MS;
  // Those before are judged along, for what they mean for the others, and stay as they are.
  const acts = await findActs(sql, distinctPairs(causes), since - REACH_MS);
  return repaint(deps, sql, acts, since);
}

/** Judges stored acts anew and gives those from `since` on the actor they should have. Returns the contacts concerned. */
async function repaint(deps: Deps, sql: Sql, acts: StoredAct[], since: number): Promise<number[]> {
  if (acts.length === 0) return [];
  const judged = await judgeByMessage(deps, sql, acts, (act) => actOf(act.kind, act.at, act.detail));
  const changed = acts.flatMap((act) => {
    const { actor, reason } = judged.get(act)!;
    const stays = act.at < since || (actor === act.actor && reason === act.actorReason);
    return stays ? [] : [{ id: act.id, contactId: act.contactId, at: act.at, actor, actorReason: reason }];
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

function messageKey(pair: { campaignId: number; contactId: number }): string {
  return `${pair.campaignId} ${pair.contactId}`;
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
