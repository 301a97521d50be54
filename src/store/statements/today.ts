import type { Sql } from '../database.ts';

export interface SinceCounts {
  subscribed: number;
  unsubscribed: number;
  undeliverable: number;
  complained: number;
  toSunset: number;
  fromSunset: number;
  lifted: number;
}

/**
 * What changed for a brand since an instant, counted in contacts, from the journal: recorded since then, and by an act
 * since then, so that a history taken in today is not today's news. Uses journal_by_time.
 */
export async function countSince(sql: Sql, brandId: number, since: Date): Promise<SinceCounts> {
  const [row]: SinceCounts[] = await sql.query(
    `SELECT
       ((count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'subscription' AND l.brand_id = $1 AND j.after->>'state' = 'subscribed' AND j.before->>'state' IS DISTINCT FROM 'subscribed'))
         + coalesce(sum((SELECT sum(upper(r) - lower(r)) FROM unnest(j.contacts) r)) FILTER (WHERE l.brand_id = $1 AND j.after->>'state' = 'subscribed'), 0))::int AS subscribed,
       (count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'subscription' AND l.brand_id = $1 AND j.after->>'state' = 'unsubscribed' AND j.before->>'state' IS DISTINCT FROM 'unsubscribed'))::int AS unsubscribed,
       (count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'deliverability' AND j.after->>'deliverability' = 'undeliverable'
         AND EXISTS (SELECT FROM contact c WHERE c.id = j.contact_id AND c.deliverability = 'undeliverable')))::int AS undeliverable,
       (count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'entry' AND s.built_in = 'complaint' AND s.scope_id = $1 AND (j.after->>'inEffect')::boolean))::int AS complained,
       (count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'stage' AND j.subject_id = $1 AND j.after->>'stage' = 'sunset'))::int AS "toSunset",
       (count(DISTINCT j.contact_id) FILTER (WHERE j.subject = 'stage' AND j.subject_id = $1 AND j.before->>'stage' = 'sunset'))::int AS "fromSunset",
       (count(DISTINCT j.subject_id) FILTER (WHERE j.subject = 'entry' AND j.actor_kind = 'person' AND NOT (j.after->>'inEffect')::boolean))::int AS lifted
     FROM journal j
     LEFT JOIN list l ON j.subject = 'subscription' AND l.id = j.subject_id
     LEFT JOIN suppression_list s ON j.subject = 'entry' AND s.id = (j.after->>'listId')::int
     WHERE j.at >= $2 AND coalesce(to_timestamp((j.cause->>'at')::float8 / 1000.0), (j.after->>'since')::timestamptz, j.at) >= $2`,
    [brandId, since],
  );
  return row!;
}

export interface BounceCountCase {
  contactId: number;
  address: string;
  name: string | null;
  since: Date;
  bounces: { at: Date; reply: string | null; campaignName: string | null }[];
}

/** Contacts that reached the bounce count since an instant, with the bounces that made it up. */
export async function listBounceCountCases(sql: Sql, since: Date, limit: number): Promise<BounceCountCase[]> {
  return sql.query(
    `SELECT c.id::float8 AS "contactId", c.address, c.name, j.at AS since,
       (SELECT coalesce(json_agg(json_build_object('at', e.occurred_at, 'reply', e.detail->>'reply', 'campaignName', k.name) ORDER BY e.occurred_at), '[]')
        FROM event e LEFT JOIN campaign k ON k.id = e.campaign_id
        WHERE e.contact_id = c.id AND e.kind = 'bounced' AND c.deliverability_cause->'events' ? e.id::text) AS bounces
     FROM journal j JOIN contact c ON c.id = j.contact_id
     WHERE j.at >= $1 AND c.deliverability_since >= $1 AND j.subject = 'deliverability' AND j.after->'cause'->>'cause' = 'bounce-count' AND c.deliverability = 'undeliverable'
     ORDER BY j.id DESC LIMIT $2`,
    [since, limit],
  );
}

export interface DayRates {
  day: string;
  accepted: number;
  bounced: number;
  complained: number;
}

/** Acceptances, bounces and complaints of a brand by day of the campaign's start, oldest first, over so many days. */
export async function countByDay(sql: Sql, brandId: number, since: Date, zone: string): Promise<DayRates[]> {
  return sql.query(
    `SELECT to_char(k.started_at AT TIME ZONE $3, 'YYYY-MM-DD') AS day, sum(d.accepted)::int AS accepted, sum(d.bounced)::int AS bounced, sum(coalesce(e.complained, 0))::int AS complained
     FROM campaign k
     JOIN LATERAL (SELECT count(*) FILTER (WHERE state IN ('accepted', 'refused')) AS accepted, count(bounced) AS bounced FROM delivery WHERE campaign_id = k.id) d ON true
     LEFT JOIN LATERAL (SELECT count(DISTINCT contact_id) AS complained FROM event WHERE campaign_id = k.id AND kind = 'complained') e ON true
     WHERE k.brand_id = $1 AND k.started_at >= $2 GROUP BY 1 ORDER BY 1`,
    [brandId, since, zone],
  );
}
