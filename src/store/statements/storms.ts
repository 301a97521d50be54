import { STORM_MESSAGES_MS, type DomainHour } from '../../core/rules/storm.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

export type StormState = 'held' | 'released' | 'dismissed';

/** Hard bounces of one receiving domain that wait, or waited, for a person. */
export interface StormRow {
  id: number;
  domain: string;
  begins: Date;
  ends: Date;
  state: StormState;
  /** Messages handed over for the domain in the hours before, when it was seen. */
  messages: number;
  bounces: number;
  contacts: number;
  /** What its servers said most. */
  said: string | null;
  decidedAt: Date | null;
  decidedBy: string | null;
  reason: string | null;
  runId: number | null;
}

export interface HardBounce {
  eventId: string;
  contactId: number;
  campaignId: number | null;
  /** Milliseconds since the epoch. */
  at: number;
}

/** One domain of the bounces just noted: how many of its hour stand outside any storm, these among them. */
export interface DomainCount {
  domain: string;
  hard: number;
  /** The latest of these bounces, in milliseconds since the epoch. */
  at: number;
}

/**
 * Notes hard bounces under their domain. Those within an hour of a storm join it, and while it is held it grows to
 * them; the others are counted. Uses hard_bounce_by_domain.
 */
export async function noteHardBounces(sql: Sql, bounces: HardBounce[], hourMs: number): Promise<DomainCount[]> {
  return rowsOf<DomainCount>(
    sql,
    `WITH given AS (
       SELECT g.event_id, g.contact_id, g.campaign_id, to_timestamp(g.at / 1000.0) AS at, split_part(coalesce(d.address, c.address), '@', 2) AS domain
       FROM unnest($1::uuid[], $2::bigint[], $3::int[], $4::float8[]) AS g (event_id, contact_id, campaign_id, at)
       JOIN contact c ON c.id = g.contact_id LEFT JOIN delivery d ON d.campaign_id = g.campaign_id AND d.contact_id = g.contact_id),
     placed AS (
       SELECT g.*, (SELECT s.id FROM storm s WHERE s.domain = g.domain AND s.state <> 'released'
         AND g.at BETWEEN s.begins - $5::float8 * interval '1 millisecond' AND s.ends + $5::float8 * interval '1 millisecond' ORDER BY s.id LIMIT 1) AS storm_id
       FROM given g),
     noted AS (
       INSERT INTO hard_bounce (event_id, contact_id, campaign_id, domain, at, storm_id) SELECT event_id, contact_id, campaign_id, domain, at, storm_id FROM placed
       ON CONFLICT (event_id) DO NOTHING RETURNING domain, at, storm_id),
     grown AS (
       UPDATE storm s SET begins = least(s.begins, n.first), ends = greatest(s.ends, n.last)
       FROM (SELECT storm_id, min(at) AS first, max(at) AS last FROM noted WHERE storm_id IS NOT NULL GROUP BY 1) n WHERE s.id = n.storm_id AND s.state = 'held'),
     fresh AS (SELECT domain, max(at) AS at, count(*)::int AS n FROM noted WHERE storm_id IS NULL GROUP BY 1)
     SELECT f.domain, (extract(epoch FROM f.at) * 1000)::float8 AS at, b.n + f.n AS hard
     FROM fresh f CROSS JOIN LATERAL (
       SELECT count(*)::int AS n FROM hard_bounce h
       WHERE h.domain = f.domain AND h.storm_id IS NULL AND h.at > f.at - $5::float8 * interval '1 millisecond' AND h.at <= f.at) b
     ORDER BY 1`,
    [
      bounces.map((one) => one.eventId),
      bounces.map((one) => one.contactId),
      bounces.map((one) => one.campaignId),
      bounces.map((one) => one.at),
      hourMs,
    ],
  );
}

/** Lets one transaction at a time look at a domain, until its end. Taken before any contact is locked. */
export async function lockDomain(sql: Sql, domain: string): Promise<void> {
  await execute(sql, `SELECT pg_advisory_xact_lock(hashtext('storm'), hashtext($1))`, [domain]);
}

/**
 * What a domain's hour up to `at` was like. Only the campaigns that bounced are counted through, those of the days
 * before until the first message that stood.
 */
export async function findDomainHour(
  sql: Sql,
  domain: string,
  at: number,
  spans: { hourMs: number; messagesMs: number; beforeMs: number },
): Promise<DomainHour> {
  const [row] = await rowsOf<DomainHour>(
    sql,
    `WITH hour AS (
       SELECT campaign_id FROM hard_bounce
       WHERE domain = $1 AND storm_id IS NULL AND at > to_timestamp(($2::float8 - $3::float8) / 1000.0) AND at <= to_timestamp($2::float8 / 1000.0))
     SELECT (SELECT count(*)::int FROM hour) AS hard,
       (SELECT count(*)::int FROM delivery d WHERE d.campaign_id IN (SELECT campaign_id FROM hour) AND split_part(d.address, '@', 2) = $1
         AND coalesce(d.accepted_at, d.handed_at) BETWEEN to_timestamp(($2::float8 - $4::float8) / 1000.0) AND to_timestamp($2::float8 / 1000.0)) AS messages,
       EXISTS (SELECT FROM campaign k JOIN delivery d ON d.campaign_id = k.id
         WHERE k.started_at >= to_timestamp(($2::float8 - $3::float8 - $5::float8) / 1000.0) - interval '7 days' AND split_part(d.address, '@', 2) = $1 AND d.bounced IS NULL
           AND d.accepted_at BETWEEN to_timestamp(($2::float8 - $3::float8 - $5::float8) / 1000.0) AND to_timestamp(($2::float8 - $3::float8) / 1000.0)) AS "acceptedBefore"`,
    [domain, at, spans.hourMs, spans.messagesMs, spans.beforeMs],
  );
  return row!;
}

/** Begins a storm with the domain's bounces of that hour. Returns the contacts they are of. */
export async function holdStorm(
  sql: Sql,
  storm: { domain: string; at: number; messages: number },
  hourMs: number,
): Promise<number[]> {
  const rows = await rowsOf<{ contactId: number }>(
    sql,
    `WITH held AS (
       SELECT event_id, contact_id, at FROM hard_bounce
       WHERE domain = $1 AND storm_id IS NULL AND at > to_timestamp(($2::float8 - $3::float8) / 1000.0) AND at <= to_timestamp(($2::float8 + $3::float8) / 1000.0)),
     begun AS (
       INSERT INTO storm (domain, begins, ends, messages) SELECT $1, min(at), max(at), $4 FROM held RETURNING id),
     joined AS (UPDATE hard_bounce h SET storm_id = b.id FROM begun b, held WHERE h.event_id = held.event_id RETURNING h.contact_id)
     SELECT DISTINCT contact_id::float8 AS "contactId" FROM joined ORDER BY 1`,
    [storm.domain, storm.at, hourMs, storm.messages],
  );
  return rows.map((row) => row.contactId);
}

const COLUMNS = `s.id, s.domain, s.begins, s.ends, s.state, s.messages, b.bounces, b.contacts, b.said, s.decided_at AS "decidedAt", s.decided_by AS "decidedBy", s.reason, s.run_id AS "runId"`;
const COUNTED = `CROSS JOIN LATERAL (
  SELECT count(*)::int AS bounces, count(DISTINCT h.contact_id)::int AS contacts,
    (SELECT e.detail->>'reply' FROM hard_bounce o JOIN event e ON e.id = o.event_id AND e.contact_id = o.contact_id AND e.occurred_at = o.at
     WHERE o.storm_id = s.id ORDER BY o.at LIMIT 1) AS said
  FROM hard_bounce h WHERE h.storm_id = s.id) b`;

/** Storms in a state or in any, latest first. */
export async function listStorms(sql: Sql, state: StormState | null, limit: number): Promise<StormRow[]> {
  return rowsOf<StormRow>(
    sql,
    `SELECT ${COLUMNS} FROM storm s ${COUNTED} WHERE ($1::text IS NULL OR s.state = $1) ORDER BY s.id DESC LIMIT $2`,
    [state, limit],
  );
}

/** One storm, its messages counted as they are now. */
export async function findStorm(sql: Sql, id: number): Promise<StormRow | undefined> {
  const rows = await rowsOf<StormRow>(
    sql,
    `SELECT ${COLUMNS.replace('s.messages', 'm.messages')} FROM storm s ${COUNTED} CROSS JOIN LATERAL (
       SELECT count(*)::int AS messages FROM delivery d
       WHERE d.campaign_id IN (SELECT campaign_id FROM hard_bounce h WHERE h.storm_id = s.id) AND split_part(d.address, '@', 2) = s.domain
         AND coalesce(d.accepted_at, d.handed_at) BETWEEN s.begins - $2::float8 * interval '1 millisecond' AND s.ends) m WHERE s.id = $1`,
    [id, STORM_MESSAGES_MS],
  );
  return rows[0];
}

/** Decides a storm that is held. False when somebody else did meanwhile. */
export async function closeStorm(
  sql: Sql,
  id: number,
  decision: { state: StormState; by: string; reason: string; runId: number | null },
): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE storm SET state = $2, decided_at = now(), decided_by = $3, reason = $4, run_id = $5 WHERE id = $1 AND state = 'held'`,
    [id, decision.state, decision.by, decision.reason, decision.runId],
  );
  return affected > 0;
}

/**
 * A storm whose release was undone is held again. Its entries are lifted because the bounces are held, not because a
 * person knows better: when it is released again, they count.
 */
export async function holdAgain(sql: Sql, runId: number): Promise<void> {
  await execute(
    sql,
    `WITH held AS (
       UPDATE storm SET state = 'held', decided_at = NULL, decided_by = NULL, reason = NULL, run_id = NULL WHERE run_id = $1 RETURNING id)
     UPDATE suppression_entry e SET lift_kind = 'rule' FROM journal j
     WHERE EXISTS (SELECT FROM held) AND j.run_id = $1 AND j.subject = 'entry' AND e.id = j.subject_id AND e.lift_kind = 'undo'`,
    [runId],
  );
}

/** Contacts of a storm's bounces by number, after `after`. */
export async function listStormContacts(
  sql: Sql,
  id: number,
  after: number,
  limit: number,
): Promise<{ id: number; address: string; name: string | null; reply: string | null }[]> {
  return rowsOf<{ id: number; address: string; name: string | null; reply: string | null }>(
    sql,
    `SELECT DISTINCT ON (c.id) c.id::float8 AS id, c.address, c.name, e.detail->>'reply' AS reply
     FROM hard_bounce h JOIN contact c ON c.id = h.contact_id
     LEFT JOIN event e ON e.id = h.event_id AND e.contact_id = h.contact_id AND e.occurred_at = h.at
     WHERE h.storm_id = $1 AND c.id > $2 ORDER BY c.id LIMIT $3`,
    [id, after, limit],
  );
}
