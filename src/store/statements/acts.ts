import type { EventDetail } from '../../core/activity/event.ts';
import type { ActKind, ActorReason, MessageFacts } from '../../core/activity/judge-actor.ts';
import type { Actor } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Message } from './mailed.ts';
import { queryPrepared } from '../prepared.ts';

/**
 * Facts of the messages that a batch of opens and clicks belongs to; messages without a delivery are left out. Where
 * the relay's answer is still being written down, the message is taken as accepted now: whoever acts on it is that
 * fast.
 */
export async function findMessageFacts(sql: Sql, pairs: Message[]): Promise<(MessageFacts & Message)[]> {
  if (pairs.length === 0) return [];
  return queryPrepared<MessageFacts & Message>(
    sql,
    'findMessageFacts',
    `SELECT d.campaign_id AS "campaignId", d.contact_id::float8 AS "contactId",
       (extract(epoch FROM coalesce(d.accepted_at, CASE WHEN d.state = 'claimed' AND d.handed_at > now() - interval '30 seconds' THEN now() END)) * 1000)::float8 AS "acceptedAt",
       ARRAY(SELECT (extract(epoch FROM t) * 1000)::float8 FROM unnest(d.trapped_at) t) AS "trappedAt",
       (SELECT count(*)::int FROM campaign_link l WHERE l.campaign_id = d.campaign_id AND l.number <> 0) AS links
     FROM unnest($1::int[], $2::bigint[]) AS p(campaign_id, contact_id)
     JOIN delivery d USING (campaign_id, contact_id)`,
    [pairs.map((pair) => pair.campaignId), pairs.map((pair) => pair.contactId)],
  );
}

export interface StoredAct {
  /** Null where another system did not say. */
  campaignId: number | null;
  contactId: number;
  id: string;
  kind: ActKind;
  at: number;
  actor: Actor;
  actorReason: ActorReason | null;
  detail: EventDetail | null;
}

/** Opens, clicks and visits already stored for these messages, none earlier than `since`. Uses event_by_contact. */
export async function findActs(sql: Sql, pairs: Message[], since: number): Promise<StoredAct[]> {
  return rowsOf<StoredAct>(
    sql,
    `SELECT e.id, e.campaign_id AS "campaignId", e.contact_id::float8 AS "contactId", e.kind, (extract(epoch FROM e.occurred_at) * 1000)::float8 AS at,
       e.actor, e.actor_reason AS "actorReason", e.detail
     FROM (SELECT DISTINCT campaign_id, contact_id FROM unnest($1::int[], $2::bigint[]) AS x(campaign_id, contact_id)) p
     JOIN event e ON e.contact_id = p.contact_id AND e.campaign_id = p.campaign_id
     WHERE e.kind IN ('opened', 'clicked', 'visited') AND e.occurred_at >= to_timestamp($3::float8 / 1000.0)`,
    [pairs.map((pair) => pair.campaignId), pairs.map((pair) => pair.contactId), since],
  );
}

/**
 * Opens and clicks, and visits that began at one, of the contacts from number `from` to `to` but not with it, in any
 * campaign. Uses event_by_contact.
 */
export async function findActsOfContacts(sql: Sql, from: number, to: number): Promise<StoredAct[]> {
  return rowsOf<StoredAct>(
    sql,
    `SELECT e.id, e.campaign_id AS "campaignId", e.contact_id::float8 AS "contactId", e.kind, (extract(epoch FROM e.occurred_at) * 1000)::float8 AS at,
       e.actor, e.actor_reason AS "actorReason", e.detail
     FROM event e WHERE e.contact_id >= $1 AND e.contact_id < $2 AND (e.kind IN ('opened', 'clicked') OR (e.kind = 'visited' AND e.campaign_id IS NOT NULL))`,
    [from, to],
  );
}

/** The last of the next contacts with activity after number `after`, or nothing when there are none. */
export async function findNextContacts(sql: Sql, after: number, count: number): Promise<number | undefined> {
  const [row] = await rowsOf<{ last: number | null }>(
    sql,
    `SELECT max(contact_id)::float8 AS last FROM (SELECT contact_id FROM activity WHERE contact_id > $1 ORDER BY contact_id LIMIT $2) n`,
    [after, count],
  );
  return row?.last ?? undefined;
}

/** Contacts with activity after number `after`, up to `last`. */
export async function listContactsWithActivity(sql: Sql, after: number, last: number): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    'SELECT DISTINCT contact_id::float8 AS id FROM activity WHERE contact_id > $1 AND contact_id <= $2 ORDER BY 1',
    [after, last],
  );
  return rows.map((row) => row.id);
}

/** Contacts of whom a run judged acts anew. */
export async function listJudgedContacts(sql: Sql, runId: number): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    'SELECT DISTINCT contact_id::float8 AS id FROM act_judgement WHERE run_id = $1 ORDER BY 1',
    [runId],
  );
  return rows.map((row) => row.id);
}

/** Notes what a run judged anew, so that it can be undone. */
export async function noteJudgements(
  sql: Sql,
  runId: number,
  acts: {
    id: string;
    contactId: number;
    at: number;
    actor: string;
    actorReason: string;
    was: { actor: string; actorReason: string | null };
  }[],
): Promise<void> {
  await execute(
    sql,
    `INSERT INTO act_judgement (run_id, event_id, contact_id, occurred_at, was_actor, was_reason, actor, reason)
     SELECT $2::int, r.id, r."contactId", to_timestamp(r.at / 1000.0), (r.was->>'actor')::event_actor, r.was->>'actorReason', r.actor::event_actor, r."actorReason"
     FROM json_to_recordset($1::json) AS r(id uuid, "contactId" bigint, at float8, actor text, "actorReason" text, was json)`,
    [JSON.stringify(acts), runId],
  );
}

/**
 * Gives the acts that a run judged anew the actor they had before, those that were not judged again since, and says of
 * which contacts they are.
 */
export async function takeJudgementsBack(sql: Sql, runId: number): Promise<{ acts: number; contactIds: number[] }> {
  const [row] = await rowsOf<{ acts: number; contactIds: number[] }>(
    sql,
    `WITH back AS (
       UPDATE event e SET actor = j.was_actor, actor_reason = j.was_reason FROM act_judgement j
       WHERE j.run_id = $1 AND e.contact_id = j.contact_id AND e.id = j.event_id AND e.actor = j.actor AND e.actor_reason = j.reason
         AND e.occurred_at BETWEEN j.occurred_at - interval '1 millisecond' AND j.occurred_at + interval '1 millisecond' RETURNING e.contact_id)
     SELECT count(*)::int AS acts, coalesce(array_agg(DISTINCT contact_id::float8), '{}') AS "contactIds" FROM back`,
    [runId],
  );
  return row!;
}

/** Gives stored opens and clicks another actor. The instant is there to find the one partition. */
export async function repaintActs(
  sql: Sql,
  acts: { id: string; contactId: number; at: number; actor: string; actorReason: string }[],
): Promise<void> {
  await execute(
    sql,
    `UPDATE event e SET actor = r.actor::event_actor, actor_reason = r."actorReason"
     FROM json_to_recordset($1::json) AS r(id uuid, "contactId" bigint, at float8, actor text, "actorReason" text)
     WHERE e.contact_id = r."contactId" AND e.id = r.id
       AND e.occurred_at BETWEEN to_timestamp(r.at / 1000.0 - 0.001) AND to_timestamp(r.at / 1000.0 + 0.001)`,
    [JSON.stringify(acts)],
  );
}
