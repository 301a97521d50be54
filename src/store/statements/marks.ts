import type { DeliverabilityFact } from '../../core/rules/bounce-count.ts';
import type { Deliverability } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';

/** Locks these contacts in order, so that two batches that mark the same person follow each other. */
export async function lockContacts(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(sql, `SELECT id FROM contact WHERE id = ANY($1::bigint[]) ORDER BY id FOR NO KEY UPDATE`, [contactIds]);
}

export interface ContactDeliverability {
  contactId: number;
  address: string;
  deliverability: Deliverability;
  facts: DeliverabilityFact[];
}

/**
 * All that bears on whether these contacts' addresses can receive: what came back, what was accepted, what people did
 * or lifted. Bounces that a storm holds, or that turned out to be an outage, are left out. Messages to an address that
 * has been mended since say nothing of the one that stands there now. Entries are looked up by
 * suppression_entry_by_value alone (OFFSET 0): left to the planner, all of a list were read for each.
 */
export async function findDeliverabilityFacts(sql: Sql, contactIds: number[]): Promise<ContactDeliverability[]> {
  const rows = await rowsOf<
    Omit<ContactDeliverability, 'facts'> & {
      facts: (DeliverabilityFact & { campaignId?: number | null })[];
    }
  >(
    sql,
    `SELECT c.id::float8 AS "contactId", c.address, c.deliverability, f.facts FROM contact c
     LEFT JOIN LATERAL (SELECT coalesce(json_agg(x), '[]') AS facts FROM (
       SELECT CASE WHEN e.kind = 'bounced' THEN 'bounced' WHEN e.kind = 'sent' THEN 'accepted' WHEN e.kind = 'delivered' THEN 'delivered' ELSE 'engaged' END AS kind,
         (extract(epoch FROM e.occurred_at) * 1000)::float8 AS at, e.campaign_id AS "campaignId", e.detail->>'class' AS "bounceClass", e.id AS "eventId"
       FROM event e WHERE e.contact_id = c.id AND (e.kind IN ('bounced', 'sent', 'delivered', 'replied', 'purchased', 'confirmed')
         OR (e.kind IN ('opened', 'clicked', 'visited') AND e.actor = 'human'))
         AND (e.kind <> 'bounced' OR NOT EXISTS (
           SELECT FROM hard_bounce h JOIN storm w ON w.id = h.storm_id WHERE h.event_id = e.id AND w.state <> 'released'))
         AND (c.mended_at IS NULL OR NOT EXISTS (
           SELECT FROM delivery d WHERE d.campaign_id = e.campaign_id AND d.contact_id = e.contact_id AND d.address <> c.address))
       UNION ALL
       SELECT 'lifted', (extract(epoch FROM s.lifted_at) * 1000)::float8, NULL, NULL, NULL
       FROM (SELECT * FROM suppression_entry WHERE value = c.address OFFSET 0) s JOIN suppression_list l ON l.id = s.list_id
       WHERE l.built_in IN ('hard-bounce', 'bounce-count') AND s.lift_kind IN ('person', 'undo')
     ) x) f ON true
     WHERE c.id = ANY($1::bigint[]) ORDER BY c.id`,
    [contactIds],
  );
  return rows.map((row) => ({
    ...row,
    facts: row.facts.map((fact) =>
      'campaignId' in fact ? { ...fact, campaignId: fact.campaignId ?? undefined } : fact,
    ),
  }));
}

/**
 * Contacts whose deliverability may have to change by the bounce count alone: doubtful ones, and all with a soft bounce
 * since `since`.
 */
export async function listBounceCandidates(sql: Sql, since: Date, after: number, limit: number): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT c.id::float8 AS id FROM contact c
     WHERE c.id > $2 AND (c.deliverability <> 'deliverable'
       OR EXISTS (SELECT FROM activity a WHERE a.contact_id = c.id AND a.bounced_soft > 0 AND a.last_bounced_at >= $1))
     ORDER BY c.id LIMIT $3`,
    [since, after, limit],
  );
  return rows.map((row) => row.id);
}

export interface DeliverabilityChange {
  contactId: number;
  deliverability: Deliverability;
  /** Milliseconds since the epoch. */
  since: number;
  cause: Record<string, unknown>;
}

/**
 * Sets deliverability and journals what was before; contacts that stand there already are left as they are. The caller
 * has locked the contacts: a lock in this statement would pass over rows that the statement itself has changed. What
 * was comes along with the change: joined afterwards, each of 10,000 was compared with each, for 8 s.
 */
export async function setDeliverability(sql: Sql, changes: DeliverabilityChange[], act: Act): Promise<number> {
  if (changes.length === 0) return 0;
  const rows = await rowsOf(
    sql,
    `WITH change AS (
       SELECT r."contactId" AS id, r.deliverability, to_timestamp(r.since / 1000.0) AS since, r.cause
       FROM json_to_recordset($1::json) AS r("contactId" bigint, deliverability text, since float8, cause jsonb)),
     changed AS (
       UPDATE contact c SET deliverability = n.deliverability, deliverability_since = n.since, deliverability_cause = CASE WHEN n.deliverability <> 'deliverable' THEN n.cause END
       FROM (SELECT n.*, o.deliverability AS was, o.deliverability_since AS was_since, o.deliverability_cause AS was_cause FROM change n JOIN contact o USING (id)) n
       WHERE c.id = n.id AND (n.was <> n.deliverability OR coalesce(n.was_cause->>'cause', n.was) IS DISTINCT FROM n.cause->>'cause')
       RETURNING c.id, n.was, n.was_since, n.was_cause, n.deliverability, n.since, n.cause),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, before, after, actor_kind, actor, cause)
       SELECT $2::int, id, 'deliverability',
         jsonb_build_object('deliverability', was, 'since', was_since, 'cause', was_cause),
         jsonb_build_object('deliverability', deliverability, 'since', since, 'cause', cause), $3, $4, cause
       FROM changed)
     SELECT id FROM changed`,
    [JSON.stringify(changes), act.runId, act.actorKind, act.actor],
  );
  return rows.length;
}

/** Contacts of these whose mark an act could end: all that are not plainly deliverable. */
export async function listMarkedContacts(sql: Sql, contactIds: number[]): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT id::float8 AS id FROM contact WHERE id = ANY($1::bigint[]) AND deliverability <> 'deliverable'`,
    [contactIds],
  );
  return rows.map((row) => row.id);
}
