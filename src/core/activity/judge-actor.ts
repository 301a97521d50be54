import type { Actor } from '../../shared/words.ts';

/** Why an open or click was given its actor. */
export type ActorReason = 'trap-link' | 'too-soon' | 'declared-robot' | 'head-request' | 'prefetch' | 'person';

export interface Judgement {
  actor: Actor;
  reason: ActorReason;
}

/** What is known of one open or click. Instants are milliseconds since the epoch. */
export interface ActFacts {
  kind: 'opened' | 'clicked';
  at: number;
  /** When the relay accepted the message, if known. */
  acceptedAt: number | undefined;
  /** When a trap link of the same message was followed, if ever. */
  trappedAt: readonly number[];
  isTrap: boolean;
  userAgent: string;
  method: string;
}

/** Clicks of a message this close to its trap link are the same machine's (page on human or machine). */
export const TRAP_WINDOW_MS = 60_000;
const CLICK_TOO_SOON_MS = 2_000;
const OPEN_TOO_SOON_MS = 1_000;

/** Words with which automatic clients name themselves in User-Agent (RFC 9110 section 10.1.5 is free text). */
const DECLARED_ROBOT =
  /bot\b|crawler|spider|scanner|link-?check|monitor|preview|headless|\bcurl\/|\bwget\/|python-|java\/|go-http/i;
/** Image proxies fetch on behalf of a mailbox, read or unread: their opens say nothing either way. */
const IMAGE_PROXY = /image-?proxy|mail-?privacy|prefetch/i;

/** Decides whether an open or click was a person's, a machine's, or cannot be told, and says why. Pure: re-decidable. */
export function judgeActor(facts: ActFacts): Judgement {
  if (facts.isTrap) return { actor: 'machine', reason: 'trap-link' };
  if (facts.kind === 'clicked' && facts.trappedAt.some((trap) => Math.abs(trap - facts.at) <= TRAP_WINDOW_MS)) {
    return { actor: 'machine', reason: 'trap-link' };
  }
  if (facts.method === 'HEAD') return { actor: 'machine', reason: 'head-request' };
  if (DECLARED_ROBOT.test(facts.userAgent)) return { actor: 'machine', reason: 'declared-robot' };
  if (isTooSoon(facts)) return { actor: 'machine', reason: 'too-soon' };
  if (facts.kind === 'opened' && IMAGE_PROXY.test(facts.userAgent)) return { actor: 'unknown', reason: 'prefetch' };
  return { actor: 'human', reason: 'person' };
}

function isTooSoon({ kind, at, acceptedAt }: ActFacts): boolean {
  if (acceptedAt === undefined) return false;
  const wait = at - acceptedAt;
  return wait < (kind === 'clicked' ? CLICK_TOO_SOON_MS : OPEN_TOO_SOON_MS);
}
