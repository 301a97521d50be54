import type { EventDetail } from '../../core/activity/event.ts';
import {
  judgeActs,
  type ActFacts,
  type ActKind,
  type ActorReason,
  type Judgement,
} from '../../core/activity/judge-actor.ts';
import type { Actor } from '../../shared/words.ts';
import type { Sql } from '../../store/sql.ts';
import { findMessageFacts, type StoredAct } from '../../store/statements/acts.ts';
import type { Deps } from '../deps.ts';
import { findIsProxy } from './proxy-list.ts';

/** An open, click or visit, as it comes in or as it is stored. */
export interface MessageAct {
  kind: ActKind;
  /** Milliseconds since the epoch. */
  at: number;
  contactId: number;
  /** Null where another system did not say of which message it is. */
  campaignId: number | null;
  detail?: EventDetail | null;
  /** Of a stored one, as it was judged. */
  actor?: Actor;
  actorReason?: ActorReason | null;
}

const NOTHING_KNOWN = { acceptedAt: null, trappedAt: [], links: 0 };

/** Judges acts, those of one message together; one whose message is not known is judged by itself. */
export async function judgeActsOfMessages<T extends MessageAct>(
  deps: Deps,
  sql: Sql,
  acts: readonly T[],
): Promise<Map<unknown, Judgement>> {
  const judged = new Map<unknown, Judgement>();
  if (acts.length === 0) return judged;
  const messages = new Map(
    (await findMessageFacts(sql, distinctMessages(acts))).map((facts) => [messageKey(facts), facts]),
  );
  const isProxy = await findIsProxy(deps, sql);
  const groups = new Map<string, T[]>();
  acts.forEach((act, index) => {
    const key = act.campaignId === null ? `alone ${index}` : messageKey(act);
    const group = groups.get(key);
    if (group) group.push(act);
    else groups.set(key, [act]);
  });
  for (const [key, group] of groups) {
    const judgements = judgeActs(group.map(factsOf), messages.get(key) ?? NOTHING_KNOWN, isProxy);
    group.forEach((act, index) => judged.set(act, judgements[index]!));
  }
  return judged;
}

/** A stored act that would be judged otherwise now. */
export interface ChangedAct extends StoredAct {
  was: { actor: string; actorReason: string | null };
  actor: Actor;
  actorReason: ActorReason;
}

/** Those of stored acts that are judged otherwise now than they were. All acts of a message have to be given. */
export async function judgeAnew(deps: Deps, sql: Sql, acts: StoredAct[]): Promise<ChangedAct[]> {
  const judged = await judgeActsOfMessages(deps, sql, acts);
  return acts.flatMap((act) => {
    const { actor, reason } = judged.get(act)!;
    if (actor === act.actor && reason === act.actorReason) return [];
    return [{ ...act, was: { actor: act.actor, actorReason: act.actorReason }, actor, actorReason: reason }];
  });
}

/** The messages that these are about, each once. */
export function distinctMessages(events: readonly Pick<MessageAct, 'campaignId' | 'contactId'>[]): Message[] {
  const messages = events.flatMap(({ campaignId, contactId }) =>
    campaignId === null ? [] : [{ campaignId, contactId }],
  );
  return [...new Map(messages.map((message) => [messageKey(message), message])).values()];
}

interface Message {
  campaignId: number;
  contactId: number;
}

function messageKey({ campaignId, contactId }: Pick<MessageAct, 'campaignId' | 'contactId'>): string {
  return `${campaignId} ${contactId}`;
}

function factsOf({ kind, at, detail, actor, actorReason }: MessageAct): ActFacts {
  const kept = detail?.swept && actor && actorReason ? { actor, reason: actorReason } : undefined;
  return {
    kept,
    kind,
    at,
    link: detail?.link ?? null,
    userAgent: detail?.userAgent ?? '',
    network: detail?.network ?? '',
    method: detail?.method ?? 'GET',
  };
}
