/**
 * The paces of a campaign and of its receiving domains. A row is held before any delivery is, and whoever holds a
 * delivery or a row of `mailed` waits for none of them.
 */
import type { Pace } from '../../core/sending/pace.ts';
import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** A pace as it is kept, of a domain or, as `''`, of the whole campaign. */
export interface PaceRow extends Pace {
  domain: string;
  connections: number | null;
  /** So many attempts were put off ever. */
  putOff: number;
  /** Somebody is parked under it. */
  parks: boolean;
  /** Nothing goes there, until a person says so, or as long as a storm of the domain is held. */
  isStopped: boolean;
  /** The clock of the database, by which all of these are. */
  now: number;
}

/** What says that a domain is stopped, over its row `p`. */
export const STOPPED = `(p.stopped_at IS NOT NULL OR EXISTS (SELECT FROM storm s WHERE s.domain = p.domain AND s.state = 'held'))`;

const inMs = (instant: string): string => `(extract(epoch FROM ${instant}) * 1000)::float8`;
const COLUMNS = `p.domain, p.per_hour AS "perHour", p.connections, p.rate, p.base, p.tokens, ${inMs('p.tokens_at')} AS "tokensAt", ${inMs('p.quiet_since')} AS "quietSince",
  p.recent, p.put_off AS "putOff", p.parks, ${STOPPED} AS "isStopped", ${inMs('clock_timestamp()')} AS now`;

/** Gives the domains of held storms a row in a campaign, or in all that are sending: without room. */
async function stopAtStorms(sql: Sql, campaignId: number | null): Promise<void> {
  await execute(
    sql,
    `INSERT INTO campaign_pace (campaign_id, domain)
     SELECT DISTINCT k.id, s.domain FROM storm s CROSS JOIN campaign k
     WHERE s.state = 'held' AND CASE WHEN $1::int IS NULL THEN k.state = 'sending' ELSE k.id = $1 END
       AND NOT EXISTS (SELECT FROM campaign_pace p WHERE p.campaign_id = k.id AND p.domain = s.domain) ORDER BY 1, 2 ON CONFLICT DO NOTHING`,
    [campaignId],
  );
}

/**
 * The paces of a campaign that limit something or under which somebody is parked, in order of domain, held until the
 * transaction ends. Domains that a storm stops are among them.
 */
export async function holdPaces(sql: Sql, campaignId: number): Promise<PaceRow[]> {
  await stopAtStorms(sql, campaignId);
  return rowsOf<PaceRow>(
    sql,
    `SELECT ${COLUMNS} FROM campaign_pace p
     WHERE p.campaign_id = $1 AND (p.per_hour IS NOT NULL OR p.connections IS NOT NULL OR p.rate IS NOT NULL OR p.parks OR ${STOPPED}) ORDER BY p.domain FOR UPDATE OF p`,
    [campaignId],
  );
}

/** The paces of these domains, held until the transaction ends; of domains that had none one is begun. */
export async function holdPacesOf(sql: Sql, campaignId: number, domains: string[]): Promise<PaceRow[]> {
  await execute(
    sql,
    'INSERT INTO campaign_pace (campaign_id, domain) SELECT $1, d FROM unnest($2::text[]) d ORDER BY d ON CONFLICT DO NOTHING',
    [campaignId, domains],
  );
  return rowsOf<PaceRow>(
    sql,
    `SELECT ${COLUMNS} FROM campaign_pace p WHERE p.campaign_id = $1 AND p.domain = ANY ($2::text[]) ORDER BY p.domain FOR UPDATE OF p`,
    [campaignId, domains],
  );
}

/** Keeps paces that are held. */
export async function keepPaces(sql: Sql, campaignId: number, paces: PaceRow[]): Promise<void> {
  if (paces.length === 0) return;
  await execute(
    sql,
    `UPDATE campaign_pace p SET per_hour = n."perHour", connections = n.connections, rate = n.rate, base = n.base, tokens = n.tokens,
       tokens_at = to_timestamp(n."tokensAt" / 1000.0), quiet_since = to_timestamp(n."quietSince" / 1000.0), recent = n.recent, put_off = n."putOff", parks = n.parks
     FROM json_to_recordset($2::json) AS n (domain text, "perHour" float8, connections int, rate float8, base float8, tokens float8, "tokensAt" float8, "quietSince" float8, recent jsonb, "putOff" int, parks boolean)
     WHERE p.campaign_id = $1 AND p.domain = n.domain`,
    [campaignId, JSON.stringify(paces)],
  );
}

/** Of these domains those under which nobody is parked any more. */
export async function findEmptied(sql: Sql, campaignId: number, domains: string[]): Promise<string[]> {
  const rows = await rowsOf<{ domain: string }>(
    sql,
    'SELECT d AS domain FROM unnest($2::text[]) d WHERE NOT EXISTS (SELECT FROM delivery WHERE campaign_id = $1 AND parked = d)',
    [campaignId, domains],
  );
  return rows.map((row) => row.domain);
}

/** Domains of a campaign at which attempts are looked back on: something was put off or blocked there lately. */
export async function listWatched(sql: Sql, campaignId: number): Promise<string[]> {
  const rows = await rowsOf<{ domain: string }>(
    sql,
    `SELECT domain FROM campaign_pace WHERE campaign_id = $1 AND recent <> '[]'`,
    [campaignId],
  );
  return rows.map((row) => row.domain);
}

/** How many of a campaign are claimed, in all (`''`) and by domain. Uses delivery_claimed. */
export async function countClaimed(sql: Sql, campaignId: number): Promise<Map<string, number>> {
  const rows = await rowsOf<{ domain: string | null; n: number }>(
    sql,
    `SELECT split_part(address, '@', 2) AS domain, count(*)::int AS n FROM delivery WHERE campaign_id = $1 AND state = 'claimed' GROUP BY GROUPING SETS ((1), ())`,
    [campaignId],
  );
  return new Map(rows.map(({ domain, n }) => [domain ?? '', n]));
}

/**
 * Parks whoever of stopped domains is claimed and has not been handed over, in every campaign. The second gate then
 * finds them gone. Within a transaction. Uses delivery_claimed.
 */
export async function parkStopped(sql: Sql): Promise<void> {
  await stopAtStorms(sql, null);
  const stopped = await rowsOf<{ campaignId: number; domain: string }>(
    sql,
    `SELECT p.campaign_id AS "campaignId", p.domain FROM campaign_pace p JOIN campaign k ON k.id = p.campaign_id
     WHERE k.state = 'sending' AND ${STOPPED} AND EXISTS (
       SELECT FROM delivery d WHERE d.state = 'claimed' AND d.handed_at IS NULL AND d.campaign_id = p.campaign_id AND split_part(d.address, '@', 2) = p.domain)
     ORDER BY p.campaign_id, p.domain`,
  );
  for (const { campaignId, domain } of stopped) await parkClaimed(sql, campaignId, [domain]);
}

/** Parks whoever of these domains is claimed in a campaign and has not been handed over. Within a transaction. */
export async function parkClaimed(sql: Sql, campaignId: number, domains: string[]): Promise<void> {
  // Held before any delivery is.
  await execute(
    sql,
    'SELECT FROM campaign_pace WHERE campaign_id = $1 AND domain = ANY ($2::text[]) ORDER BY domain FOR UPDATE',
    [campaignId, domains],
  );
  await execute(
    sql,
    `WITH parked AS (
       UPDATE delivery d SET state = 'queued', claim_id = NULL, process_id = NULL, parked = split_part(d.address, '@', 2), not_before = now()
       WHERE d.state = 'claimed' AND d.handed_at IS NULL AND d.campaign_id = $1 AND split_part(d.address, '@', 2) = ANY ($2::text[])
       RETURNING d.parked)
     UPDATE campaign_pace p SET parks = true WHERE p.campaign_id = $1 AND p.domain IN (SELECT parked FROM parked)`,
    [campaignId, domains],
  );
}

/** Stops a domain within a campaign; false where it is stopped already. */
export async function stopDomain(
  sql: Sql,
  campaignId: number,
  domain: string,
  { by, because }: { by: string; because: string },
): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `INSERT INTO campaign_pace AS p (campaign_id, domain, stopped_at, stopped_by, stopped_because) VALUES ($1, $2, now(), $3, $4)
     ON CONFLICT (campaign_id, domain) DO UPDATE SET stopped_at = excluded.stopped_at, stopped_by = excluded.stopped_by, stopped_because = excluded.stopped_because, called_off = false
     WHERE p.stopped_at IS NULL RETURNING domain`,
    [campaignId, domain, by, because],
  );
  return rows.length > 0;
}

/** Goes on with a domain that was stopped, and looks back on nothing that was before; false where it was not. */
export async function releaseDomain(sql: Sql, campaignId: number, domain: string): Promise<boolean> {
  const changed = await changedBy(
    sql,
    `UPDATE campaign_pace SET stopped_at = NULL, stopped_by = NULL, stopped_because = NULL, called_off = false, recent = '[]' WHERE campaign_id = $1 AND domain = $2 AND stopped_at IS NOT NULL`,
    [campaignId, domain],
  );
  return changed > 0;
}

/** Calls off whoever waits at a stopped domain: they stay in the ledger as waiting, and get nothing. */
export async function callOffDomain(sql: Sql, campaignId: number, domain: string): Promise<boolean> {
  const changed = await changedBy(
    sql,
    'UPDATE campaign_pace SET called_off = true WHERE campaign_id = $1 AND domain = $2 AND stopped_at IS NOT NULL AND NOT called_off',
    [campaignId, domain],
  );
  return changed > 0;
}

/** A domain as it is shown while a campaign runs. */
export interface ShownPace extends PaceRow {
  stoppedAt: Date | null;
  stoppedBy: string | null;
  stoppedBecause: string | null;
  calledOff: boolean;
  /** The storm that stops it while it is held. */
  stormId: number | null;
  /** Parked under it. */
  waits: number;
}

/** All paces of a campaign, with how many are parked under each; under `''` of rows that wait for their time. */
export async function listPaces(sql: Sql, campaignId: number): Promise<ShownPace[]> {
  return rowsOf<ShownPace>(
    sql,
    `WITH parked AS (SELECT parked AS domain, count(*)::int AS n FROM delivery WHERE campaign_id = $1 AND parked IS NOT NULL GROUP BY 1)
     SELECT ${COLUMNS}, p.stopped_at AS "stoppedAt", p.stopped_by AS "stoppedBy", p.stopped_because AS "stoppedBecause", p.called_off AS "calledOff",
       (SELECT max(s.id) FROM storm s WHERE s.domain = p.domain AND s.state = 'held') AS "stormId", coalesce(w.n, 0) AS waits
     FROM (SELECT * FROM campaign_pace WHERE campaign_id = $1) p LEFT JOIN parked w USING (domain) ORDER BY p.domain`,
    [campaignId],
  );
}

/**
 * Who of a campaign waits in waves that have begun, by receiving domain, the largest first; those that are not counted
 * by their names as `other`. Uses delivery_waiting, delivery_parked.
 */
export async function countWaitingByDomain(
  sql: Sql,
  campaignId: number,
): Promise<{ domain: string; waiting: number }[]> {
  return rowsOf(
    sql,
    `WITH waits AS (
       SELECT split_part(address, '@', 2) AS domain, count(*)::int AS n FROM delivery
       WHERE campaign_id = $1 AND state = 'queued' AND parked IS NULL AND wave <= (SELECT wave FROM campaign WHERE id = $1) GROUP BY 1
       UNION ALL
       SELECT split_part(address, '@', 2), count(*)::int FROM delivery WHERE campaign_id = $1 AND parked IS NOT NULL GROUP BY 1),
     named AS (SELECT domain FROM receiving_domain UNION SELECT domain FROM campaign_pace WHERE campaign_id = $1)
     SELECT coalesce(n.domain, 'other') AS domain, sum(w.n)::int AS waiting FROM waits w LEFT JOIN named n USING (domain) GROUP BY 1 ORDER BY 2 DESC, 1`,
    [campaignId],
  );
}

/** How many of a campaign wait in later waves, and apart, for their time alone. Uses delivery_parked. */
export async function countWaitingApart(sql: Sql, campaignId: number): Promise<{ later: number; time: number }> {
  const [row] = await rowsOf<{ later: number; time: number }>(
    sql,
    `SELECT (SELECT coalesce(sum(n), 0)::int FROM campaign_figure WHERE campaign_id = $1 AND figure = 'queued' AND wave > (SELECT wave FROM campaign WHERE id = $1)) AS later,
            (SELECT count(*)::int FROM delivery WHERE campaign_id = $1 AND parked = '') AS time`,
    [campaignId],
  );
  return row!;
}

/** A receiving domain that is stopped in a campaign under way, and waits for somebody. */
export interface StoppedRow {
  campaignId: number;
  campaignName: string;
  domain: string;
  because: string;
  at: Date;
}

/** Domains that are stopped in campaigns of a brand that are under way, the latest first; those of storms not. */
export async function listStopped(sql: Sql, brandId: number, limit: number): Promise<StoppedRow[]> {
  return rowsOf<StoppedRow>(
    sql,
    `SELECT k.id AS "campaignId", k.name AS "campaignName", p.domain, p.stopped_because AS because, p.stopped_at AS at
     FROM campaign k JOIN campaign_pace p ON p.campaign_id = k.id
     WHERE k.brand_id = $1 AND k.state IN ('sending', 'resting', 'paused') AND p.stopped_at IS NOT NULL AND NOT p.called_off ORDER BY p.stopped_at DESC LIMIT $2`,
    [brandId, limit],
  );
}

/** Keeps the pace that was set for a campaign. */
export async function saveCampaignPace(sql: Sql, id: number, pace: CampaignPace | null): Promise<void> {
  await execute(sql, 'UPDATE campaign SET pace = $2::jsonb WHERE id = $1', [
    id,
    pace === null ? null : JSON.stringify(pace),
  ]);
}

/** The domains of a campaign for which something was set, its own `''` too. */
export async function listSetDomains(sql: Sql, campaignId: number): Promise<string[]> {
  const rows = await rowsOf<{ domain: string }>(
    sql,
    'SELECT domain FROM campaign_pace WHERE campaign_id = $1 AND (per_hour IS NOT NULL OR connections IS NOT NULL)',
    [campaignId],
  );
  return rows.map((row) => row.domain);
}

/** A put-off or blocked message of which its server, or the relay, told later: within an hour of its acceptance. */
export async function findLately(
  sql: Sql,
  messages: { campaignId: number; contactId: number }[],
): Promise<{ campaignId: number; contactId: number; domain: string }[]> {
  return rowsOf(
    sql,
    `SELECT d.campaign_id AS "campaignId", d.contact_id::float8 AS "contactId", split_part(d.address, '@', 2) AS domain
     FROM unnest($1::int[], $2::bigint[]) AS m(campaign_id, contact_id) JOIN delivery d USING (campaign_id, contact_id) JOIN campaign k ON k.id = d.campaign_id
     WHERE d.accepted_at > now() - interval '1 hour' AND NOT k.sent_elsewhere AND k.state IN ('sending', 'resting', 'paused')`,
    [messages.map((one) => one.campaignId), messages.map((one) => one.contactId)],
  );
}
