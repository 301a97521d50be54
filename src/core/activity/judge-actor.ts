import type { Actor } from '../../shared/words.ts';
import { TRAP_LINK } from '../message/compile-message.ts';

/** Why an open or click was given its actor. */
export type ActorReason =
  'trap-link' | 'burst' | 'too-soon' | 'declared-robot' | 'head-request' | 'prefetch' | 'person';

export interface Judgement {
  actor: Actor;
  reason: ActorReason;
}

/** Kinds of acts whose actor is judged: a visit, when it began at a link of a message. */
export const ACT_KINDS = ['opened', 'clicked', 'visited'] as const;
export type ActKind = (typeof ACT_KINDS)[number];
/** The same to look kinds up in, whatever they are of. */
export const JUDGED: ReadonlySet<string> = new Set(ACT_KINDS);

/** One open, click or visit. Instants are milliseconds since the epoch. */
export interface ActFacts {
  kind: ActKind;
  at: number;
  /** Number of the link that was followed; null for an open, or where another system did not say. */
  link: number | null;
  userAgent: string;
  /** Address that it came from; empty if unknown. */
  network: string;
  method: string;
  /** As it was judged, where what it was judged by is not kept any more. */
  kept?: Judgement;
}

/** What is known of the message that was opened or clicked. */
export interface MessageFacts {
  /** When the relay accepted it, if known. */
  acceptedAt: number | null;
  /** When its trap link was followed, if ever; acts that are judged along need not be repeated here. */
  trappedAt: readonly number[];
  /** How many links a person can see in it; 0 if unknown. */
  links: number;
}

/** Whether an act came through an image proxy that the operator knows. */
export type IsProxy = (act: Pick<ActFacts, 'userAgent' | 'network'>) => boolean;

/** Clicks of a message this close to its trap link are the same machine's. */
export const TRAP_WINDOW_MS = 60_000;
/** So many different links within so long are no person's reading. */
const BURST_LINKS = 3;
const BURST_MS = 2_000;
/** All links of a message, three or more, within so long: no slower than the window of a trap. */
const ALL_LINKS_MS = TRAP_WINDOW_MS;
/** Opens and clicks further apart than this have no bearing on each other. */
export const REACH_MS = TRAP_WINDOW_MS;
/** A visit that begins within so long of a click of its message is by whoever clicked. */
export const VISIT_REACH_MS = 30 * 60_000;
const CLICK_TOO_SOON_MS = 2_000;
const OPEN_TOO_SOON_MS = 1_000;

/** Words with which automatic clients name themselves in User-Agent (RFC 9110 section 10.1.5 is free text). */
const DECLARED_ROBOT =
  /bot\b|crawler|spider|scanner|link-?check|monitor|preview|headless|\bcurl\/|\bwget\/|python-|java\/|go-http/i;
/** Image proxies fetch on behalf of a mailbox, read or unread: their opens say nothing either way. */
const IMAGE_PROXY = /image-?proxy|mail-?privacy|prefetch/i;

/**
 * Decides for each of these acts on one message whether it was a person's, a machine's, or cannot be told, and
 * says why. Pure: the answer depends on the set of acts and not on their order, so it can be decided anew at any time.
 */
export function judgeActs(acts: readonly ActFacts[], message: MessageFacts, isProxy: IsProxy): Judgement[] {
  const traps = Float64Array.from([...message.trappedAt, ...acts.filter(isTrap).map(({ at }) => at)]).sort();
  const bursts = findBursts(acts, message.links);
  const judged = acts.map((act) => judge(act, message.acceptedAt, traps, bursts, isProxy));
  if (!acts.some(({ kind }) => kind === 'visited')) return judged;
  const clicks = judgedClicks(acts, judged);
  return acts.map((act, index) => (act.kind === 'visited' ? judgeVisit(act, clicks) : judged[index]!));
}

interface JudgedClick extends Judgement {
  at: number;
}

/** In the order of time; of two in one instant a person's comes last, and otherwise either says the same. */
function judgedClicks(acts: readonly ActFacts[], judged: readonly Judgement[]): JudgedClick[] {
  return acts
    .flatMap(({ kind, at }, index) => (kind === 'clicked' ? [{ at, ...judged[index]! }] : []))
    .sort((a, b) => a.at - b.at || b.actor.localeCompare(a.actor) || b.reason.localeCompare(a.reason));
}

/** Somebody who follows a link and what comes of it are one: a scanner that runs a page's script visits nothing. */
function judgeVisit(visit: ActFacts, clicks: readonly JudgedClick[]): Judgement {
  if (visit.kept) return visit.kept;
  if (DECLARED_ROBOT.test(visit.userAgent)) return { actor: 'machine', reason: 'declared-robot' };
  const latest = clicks[countUntil(clicks.length, (index) => clicks[index]!.at <= visit.at) - 1];
  if (!latest || visit.at - latest.at > VISIT_REACH_MS) return { actor: 'human', reason: 'person' };
  return { actor: latest.actor, reason: latest.reason };
}

/** How many of so many in order are from the first on as asked; each half is looked at once. */
function countUntil(length: number, isSo: (index: number) => boolean): number {
  let [from, to] = [0, length];
  while (from < to) {
    const middle = (from + to) >> 1;
    if (isSo(middle)) from = middle + 1;
    else to = middle;
  }
  return from;
}

function judge(
  act: ActFacts,
  acceptedAt: number | null,
  traps: Float64Array,
  bursts: ReadonlySet<ActFacts>,
  isProxy: IsProxy,
): Judgement {
  if (act.kept) return act.kept;
  const near = act.kind === 'clicked' && isNear(act.at, traps);
  if (isTrap(act) || near) return { actor: 'machine', reason: 'trap-link' };
  if (bursts.has(act)) return { actor: 'machine', reason: 'burst' };
  if (act.method === 'HEAD') return { actor: 'machine', reason: 'head-request' };
  if (DECLARED_ROBOT.test(act.userAgent)) return { actor: 'machine', reason: 'declared-robot' };
  if (isTooSoon(act, acceptedAt)) return { actor: 'machine', reason: 'too-soon' };
  const fetched = act.kind === 'opened' && (IMAGE_PROXY.test(act.userAgent) || isProxy(act));
  return fetched ? { actor: 'unknown', reason: 'prefetch' } : { actor: 'human', reason: 'person' };
}

/** Whether an act followed the link that no person sees. */
export function isTrap(act: Pick<ActFacts, 'link'> & { kind: string }): boolean {
  return act.kind === 'clicked' && act.link === TRAP_LINK;
}

function isTooSoon({ kind, at }: ActFacts, acceptedAt: number | null): boolean {
  if (acceptedAt === null || kind === 'visited') return false;
  return at - acceptedAt < (kind === 'clicked' ? CLICK_TOO_SOON_MS : OPEN_TOO_SOON_MS);
}

/** Whether a trap was followed so close to an instant. */
function isNear(at: number, traps: Float64Array): boolean {
  const first = countUntil(traps.length, (index) => traps[index]! < at - TRAP_WINDOW_MS);
  return first < traps.length && traps[first]! <= at + TRAP_WINDOW_MS;
}

/** Clicks that belong to a burst: three different links within two seconds, or all there are within a minute. */
function findBursts(acts: readonly ActFacts[], links: number): ReadonlySet<ActFacts> {
  const clicks = acts.filter((act) => act.kind === 'clicked' && act.link !== null && !isTrap(act));
  const found = new Set<ActFacts>();
  if (clicks.length < BURST_LINKS) return found;
  clicks.sort((a, b) => a.at - b.at);
  markBursts(clicks, BURST_MS, BURST_LINKS, found);
  if (links >= BURST_LINKS) markBursts(clicks, ALL_LINKS_MS, links, found);
  return found;
}

/**
 * Marks clicks, in the order of time, within so long of the first of which so many different links were followed. One
 * pass.
 */
function markBursts(clicks: readonly ActFacts[], within: number, wanted: number, found: Set<ActFacts>): void {
  const times = new Map<number | null, number>();
  let end = 0;
  let marked = 0;
  clicks.forEach((first, index) => {
    for (; end < clicks.length && clicks[end]!.at <= first.at + within; end++)
      times.set(clicks[end]!.link, (times.get(clicks[end]!.link) ?? 0) + 1);
    if (times.size >= wanted) for (marked = Math.max(marked, index); marked < end; marked++) found.add(clicks[marked]!);
    const left = times.get(first.link)! - 1;
    if (left > 0) times.set(first.link, left);
    else times.delete(first.link);
  });
}
