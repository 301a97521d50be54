import { eventId, eventName, type EventDetail, type StorableEvent } from '../../core/activity/event.ts';
import { isTrap, REACH_MS, VISIT_REACH_MS, type ActKind } from '../../core/activity/judge-actor.ts';
import type { EventKind } from '../../shared/words.ts';
import { inTransaction, isRepeatedKey } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { findActs, repaintActs } from '../../store/statements/acts.ts';
import {
  isNoted,
  noteActs,
  noteBounces,
  noteTraps,
  recordElsewhereDeliveries,
  recountActs,
} from '../../store/statements/noted.ts';
import { addMailed, holdMailed, recountMailed } from '../../store/statements/mailed.ts';
import { ensureEventPartitions, insertEvents, rebuildActivityOf } from '../../store/statements/events.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { observeReports } from '../paces/observe-attempts.ts';
import type { Deps } from '../deps.ts';
import { applyConsequences } from './apply-consequences.ts';
import { distinctMessages, judgeActsOfMessages, judgeAnew } from './judge-acts.ts';

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
  const { recorded, affected, added } = await recordWhole(deps, incoming);
  await callBackFromSends(deps, affected);
  await observeReports(deps, added);
  return { recorded, repeated: incoming.length - recorded };
}

/** What was recorded of a batch, and the contacts that sends under way have to give back. */
interface Recorded {
  recorded: number;
  affected: number[];
  added: StorableEvent[];
}

/** So many events at once are taken for new until one of them turns out to be a repeat. */
const MANY = 500;

async function recordWhole(deps: Deps, incoming: IncomingEvent[]): Promise<Recorded> {
  const record = (allNew: boolean) =>
    inTransaction(deps.database, (sql) => recordEventsWithin(deps, sql, incoming, allNew));
  if (incoming.length < MANY) return record(false);
  try {
    return await record(true);
  } catch (error) {
    if (!isRepeatedKey(error)) throw error;
    return record(false);
  }
}

/** The same inside a transaction of the caller's, who then calls back `affected` contacts from sends under way. */
export async function recordEventsWithin(
  deps: Deps,
  sql: Sql,
  told: IncomingEvent[],
  allNew = false,
): Promise<Recorded> {
  const incoming = firstOfEach(told);
  await holdMailed(
    sql,
    incoming.filter(hasCampaign).filter((event) => isBounce(event) || isFromElsewhere(event)),
  );
  const events = await judge(deps, sql, incoming);
  const fresh = await insertEvents(sql, events, allNew);
  const added = fresh.size === events.length ? events : events.filter((event) => fresh.has(event.id));
  await keepLedger(sql, added);
  const repainted = await decideAgain(deps, sql, added);
  const affected = await applyConsequences(deps, sql, added, repainted);
  return { recorded: fresh.size, affected, added };
}

/** Creates the partitions that these instants need, before any transaction that writes into them. */
export async function ensureMonths(deps: Deps, events: { at: number }[]): Promise<void> {
  const missing = monthsOf(events).filter((month) => !deps.eventMonths.has(month));
  if (missing.length === 0) return;
  await inTransaction(deps.database, (sql) => ensureEventPartitions(sql, missing));
  for (const month of missing) deps.eventMonths.add(month);
}

/** As `2026-11`, each once. Most events lie in the month of the one before them. */
function monthsOf(events: { at: number }[]): string[] {
  const months = new Set<string>();
  let [from, to] = [0, 0];
  for (const { at } of events) {
    if (at >= from && at < to) continue;
    const date = new Date(at);
    from = Date.UTC(date.getUTCFullYear(), date.getUTCMonth(), 1);
    to = Date.UTC(date.getUTCFullYear(), date.getUTCMonth() + 1, 1);
    months.add(date.toISOString().slice(0, 7));
  }
  return [...months];
}

async function judge(deps: Deps, sql: Sql, incoming: IncomingEvent[]): Promise<StorableEvent[]> {
  const acts = incoming.filter(isAct);
  const judged = await judgeActsOfMessages(deps, sql, acts);
  // Field by field: spreading each of ten thousand took as long as all else that is done with them here.
  return incoming.map((event): StorableEvent => {
    const { kind, at, source, externalId, contactId, brandId, campaignId, detail = null } = event;
    const { actor, reason } = judged.get(event) ?? { actor: PEOPLE.has(kind) ? 'human' : 'machine', reason: null };
    const id = eventId(source, externalId);
    return { id, kind, at, source, externalId, contactId, brandId, campaignId, detail, actor, actorReason: reason };
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

async function keepLedger(sql: Sql, added: StorableEvent[]): Promise<void> {
  const withCampaign = added.filter(hasCampaign);
  const elsewhere = withCampaign.filter(isFromElsewhere);
  const { known, mended } = elsewhere.length > 0 ? await recordElsewhereDeliveries(sql, elsewhere) : NOTHING_KNOWN;
  if (known.length > 0) await addMailed(sql, known);
  const bounced = withCampaign.filter(isBounce);
  if (bounced.length > 0)
    await noteBounces(
      sql,
      bounced.map((event) => ({ ...event, class: event.detail?.class ?? 'soft' })),
    );
  await recountMailed(sql, [...mended, ...bounced]);
  const acts = withCampaign.filter(({ kind }) => isNoted(kind));
  if (acts.length > 0) await noteActs(sql, acts);
  const traps = withCampaign.filter((event) => isTrap({ kind: event.kind, link: event.detail?.link ?? null }));
  if (traps.length > 0) await noteTraps(sql, traps);
}

const NOTHING_KNOWN: Awaited<ReturnType<typeof recordElsewhereDeliveries>> = { known: [], mended: [] };

/** A message that another system sent. */
const isFromElsewhere = ({ kind, source }: { kind: EventKind; source: string }): boolean =>
  kind === 'sent' && source !== OWN_SOURCE;
const isBounce = ({ kind }: { kind: EventKind }): boolean => kind === 'bounced';

/**
 * A click can complete a burst or follow a trap link, and an acceptance can come late: each can change who made the
 * acts that came before; a visit is whose the click before it was. Returns the contacts of whom an act was given
 * another actor.
 */
async function decideAgain(deps: Deps, sql: Sql, added: StorableEvent[]): Promise<number[]> {
  const causes = added
    .filter(hasCampaign)
    .filter((event) => event.kind === 'clicked' || event.kind === 'visited' || isFromElsewhere(event));
  if (causes.length === 0) return [];
  const since = causes.reduce((least, event) => Math.min(least, event.at), Infinity) - REACH_MS;
  // Those before are judged along, for what they mean for the others, and stay as they are.
  const acts = await findActs(sql, distinctMessages(causes), since - REACH_MS - VISIT_REACH_MS);
  const changed = (await judgeAnew(deps, sql, acts)).filter(({ at }) => at >= since);
  if (changed.length === 0) return [];
  await repaintActs(sql, changed);
  await recountActs(sql, [...new Set(changed.map((act) => act.contactId))]);
  // Only at the brand of each message: into that row this batch has folded something, and holds it.
  const brandOf = new Map(causes.map(({ campaignId, brandId }) => [campaignId, brandId]));
  for (const brandId of new Set(causes.map((event) => event.brandId))) {
    const ofBrand = changed.filter(({ campaignId }) => campaignId !== null && brandOf.get(campaignId) === brandId);
    await rebuildActivityOf(sql, [...new Set(ofBrand.map((act) => act.contactId))], brandId);
  }
  return [...new Set(changed.map((act) => act.contactId))];
}

type WithCampaign<T> = T & { campaignId: number };

function hasCampaign<T extends { campaignId: number | null }>(event: T): event is WithCampaign<T> {
  return event.campaignId !== null;
}

/**
 * Acts whose actor is judged. A visit that another system tells of is a person's; one that began at a link is whose the
 * click was.
 */
function isAct(event: IncomingEvent): event is IncomingEvent & { kind: ActKind } {
  if (event.kind === 'visited') return event.campaignId !== null;
  return event.kind === 'opened' || event.kind === 'clicked';
}

/** Of events that bear the same name the first, as if they had come one after the other. */
function firstOfEach(events: IncomingEvent[]): IncomingEvent[] {
  const seen = new Set<string>();
  return events.filter(({ source, externalId }) => {
    const before = seen.size;
    return seen.add(eventName(source, externalId)).size > before;
  });
}
