import type { Today } from '../../shared/contract/organisation.ts';
import { rowsOf, type Sql } from '../sql.ts';
import { changedCte, type Change } from './among.ts';

/** What changed for a brand since an instant, counted in contacts; entries that a person lifted, in entries. */
export type SinceCounts = Today['changed'];

const FIGURES: Record<Exclude<keyof SinceCounts, 'lifted'>, Change> = {
  subscribed: 'came-in',
  unsubscribed: 'unsubscribed',
  undeliverable: 'became-undeliverable',
  complained: 'complained',
  toSunset: 'to-sunset',
  fromSunset: 'from-sunset',
  bounceCount: 'reached-bounce-count',
};

/** Counts what changed for a brand since an instant; a list of contacts narrowed by the same word has as many. */
export async function countSince(sql: Sql, brandId: number, since: Date): Promise<SinceCounts> {
  const figures = Object.entries(FIGURES).map(
    ([figure, change]) => `(count(*) FILTER (WHERE change = '${change}'))::int AS "${figure}"`,
  );
  const [row] = await rowsOf<SinceCounts>(
    sql,
    `WITH ${changedCte(Object.values(FIGURES))} SELECT ${figures.join(', ')},
       (SELECT count(DISTINCT j.subject_id)::int FROM told j WHERE j.subject = 'entry' AND j.actor_kind = 'person' AND NOT (j.after->>'inEffect')::boolean) AS lifted
     FROM changed`,
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

/**
 * Contacts of a brand that reached the bounce count since an instant, the latest first, with the bounces that made it
 * up.
 */
export async function listBounceCountCases(
  sql: Sql,
  brandId: number,
  since: Date,
  limit: number,
): Promise<BounceCountCase[]> {
  return rowsOf<BounceCountCase>(
    sql,
    `WITH ${changedCte(['reached-bounce-count'])}
     SELECT c.id::float8 AS "contactId", c.address, c.name, c.deliverability_since AS since,
       (SELECT coalesce(json_agg(json_build_object('at', e.occurred_at, 'reply', e.detail->>'reply', 'campaignName', k.name) ORDER BY e.occurred_at), '[]')
        FROM event e LEFT JOIN campaign k ON k.id = e.campaign_id
        WHERE e.contact_id = c.id AND e.kind = 'bounced' AND c.deliverability_cause->'events' ? e.id::text) AS bounces
     FROM changed JOIN contact c ON c.id = changed.contact_id ORDER BY c.deliverability_since DESC, c.id LIMIT $3`,
    [brandId, since, limit],
  );
}

export interface DayRates {
  day: string;
  accepted: number;
  bounced: number;
  complained: number;
}

/** Messages a brand tried, their bounces and complaints by day of sending in its zone, oldest first, from a day on. */
export async function countByDay(sql: Sql, brandId: number, since: Date, zone: string): Promise<DayRates[]> {
  return rowsOf<DayRates>(
    sql,
    `SELECT to_char(day, 'YYYY-MM-DD') AS day, accepted, bounced, complained FROM (
       SELECT day, coalesce(sum(n) FILTER (WHERE figure IN ('accepted', 'refused')), 0)::int AS accepted,
         coalesce(sum(n) FILTER (WHERE figure IN ('bounced any', 'refused any')), 0)::int AS bounced, coalesce(sum(n) FILTER (WHERE figure = 'complained'), 0)::int AS complained
       FROM day_figure WHERE brand_id = $1 AND counted_by = 'all' AND day >= ($2::timestamptz AT TIME ZONE $3)::date GROUP BY day) d
     WHERE accepted > 0 ORDER BY day`,
    [brandId, since, zone],
  );
}
