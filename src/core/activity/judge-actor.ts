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
  const traps = [...message.trappedAt, ...acts.filter(isTrap).map(({ at }) => at)];
  const bursts = findBursts(acts, message.links);
  const judged = acts.map((act) => judge(act, message.acceptedAt, traps, bursts, isProxy));
  return acts.map((act, index) => (act.kind === 'visited' ? judgeVisit(act, acts, judged) : judged[index]!));
}

/** Somebody who follows a link and what comes of it are one: a scanner that runs a page's script visits nothing. */
function judgeVisit(visit: ActFacts, acts: readonly ActFacts[], judged: readonly Judgement[]): Judgement {
  if (DECLARED_ROBOT.test(visit.userAgent)) return { actor: 'machine', reason: 'declared-robot' };
  const clicks = acts.flatMap(({ kind, at }, index) =>
    kind === 'clicked' && at <= visit.at && visit.at - at <= VISIT_REACH_MS ? [{ at, ...judged[index]! }] : [],
  );
  // Of two in one instant a person's is meant, and otherwise either says the same.
  clicks.sort((a, b) => b.at - a.at || a.actor.localeCompare(b.actor) || a.reason.localeCompare(b.reason));
  const [latest] = clicks;
  return latest ? { actor: latest.actor, reason: latest.reason } : { actor: 'human', reason: 'person' };
}

function judge(
  act: ActFacts,
  acceptedAt: number | null,
  traps: readonly number[],
  bursts: ReadonlySet<ActFacts>,
  isProxy: IsProxy,
): Judgement {
  const near = act.kind === 'clicked' && traps.some((trap) => Math.abs(trap - act.at) <= TRAP_WINDOW_MS);
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

/** Clicks that belong to a burst: three different links within two seconds, or all there are within a minute. */
function findBursts(acts: readonly ActFacts[], links: number): ReadonlySet<ActFacts> {
  const clicks = acts.filter((act) => act.kind === 'clicked' && act.link !== null && !isTrap(act));
  const found = new Set<ActFacts>();
  if (clicks.length < BURST_LINKS) return found;
  clicks.sort((a, b) => a.at - b.at);
  for (const [within, wanted] of [[BURST_MS, BURST_LINKS], [ALL_LINKS_MS, Math.max(links, BURST_LINKS)]] as const) {
    if (within === ALL_LINKS_MS && links < BURST_LINKS) continue;
    clicks.forEach((first, index) => {
      const window = clicks.slice(index).filter(({ at }) => at <= first.at + within);
      if (new Set(window.map(({ link }) => link)).size >= wanted) window.forEach((act) => found.add(act));
    });
  } // prettier-ignore
  return found;
}
