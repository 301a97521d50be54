/**
 * Counts of what is sent and what comes of it, kept when it is recorded: triggers on `delivery` write what each
 * statement changes into `tally_change`, one process folds that into the tallies, and pages read both.
 */
import type { Compared } from '../../shared/contract/tallies.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** The advisory lock of whoever folds. */
const FOLD_LOCK = 7_300_003;

const FOLDS = [
  `INSERT INTO campaign_tally AS t (campaign_id, wave, figure, hours, n)
   SELECT campaign_id, wave, figure, hours, sum(n) FROM tally_change GROUP BY 1, 2, 3, 4 HAVING sum(n) <> 0
   ON CONFLICT (campaign_id, wave, figure, hours) DO UPDATE SET n = t.n + excluded.n`,
  `INSERT INTO campaign_domain_tally AS t (campaign_id, domain, figure, n)
   SELECT campaign_id, domain, figure, sum(n) FROM tally_change WHERE domain IS NOT NULL GROUP BY 1, 2, 3 HAVING sum(n) <> 0
   ON CONFLICT (campaign_id, domain, figure) DO UPDATE SET n = t.n + excluded.n`,
  `INSERT INTO day_tally AS t (brand_id, day, counted_by, one, two, figure, n)
   SELECT brand_id, day, counted_by, one, two, figure, sum(n) FROM tally_change_by_day GROUP BY 1, 2, 3, 4, 5, 6 HAVING sum(n) <> 0
   ON CONFLICT (brand_id, counted_by, day, one, two, figure) DO UPDATE SET n = t.n + excluded.n`,
];

/**
 * Folds what has changed into the tallies and says how many changes that were; 0 also where another process is at it.
 * Within a transaction that sees one instant: what is folded is what is deleted.
 */
export async function foldTallies(sql: Sql): Promise<number> {
  const [turn] = await rowsOf<{ mine: boolean }>(
    sql,
    `SELECT any_left AND pg_try_advisory_xact_lock(${FOLD_LOCK}) AS mine FROM (SELECT EXISTS (SELECT FROM tally_change) AS any_left OFFSET 0) c`,
  );
  if (!turn!.mine) return 0;
  for (const fold of FOLDS) await execute(sql, fold);
  return changedBy(sql, 'DELETE FROM tally_change');
}

/** Takes the room of folded changes back. Outside of any transaction. */
export async function vacuumTallyChanges(sql: Sql): Promise<void> {
  await execute(sql, 'VACUUM (TRUNCATE off) tally_change');
}

/** Names the receiving domains that are to be counted by their names: of the whole base, or of a campaign's ledger. */
export async function nameDomains(sql: Sql, campaignId: number | null): Promise<void> {
  await execute(
    sql,
    `WITH counted AS (
       SELECT split_part(address, '@', 2) AS domain, count(*) AS contacts
       FROM ${campaignId === null ? 'contact WHERE erased_at IS NULL' : `delivery WHERE campaign_id = ${Number(campaignId)} AND state = 'queued'`} GROUP BY 1)
     INSERT INTO receiving_domain SELECT domain FROM (SELECT domain, contacts, row_number() OVER (ORDER BY contacts DESC, domain) AS place FROM counted) d
     WHERE domain <> '' AND (contacts >= ${NAMED_FROM} OR place <= ${NAMED_ANYHOW}) ORDER BY 1 ON CONFLICT DO NOTHING`,
  );
}

/** A domain is counted by its name from so many contacts on, and so many of the largest are anyhow. */
const NAMED_FROM = 200;
const NAMED_ANYHOW = 50;

/** The name under which the domain of an address is counted, as SQL over an expression. */
export const countedDomainSql = (address: string): string =>
  `coalesce((SELECT n.domain FROM receiving_domain n WHERE n.domain = split_part(${address}, '@', 2)), 'other')`;

/**
 * What a message is counted under, as columns `domain, source, list_id, stage` of a lateral join on a contact, the
 * lists by which they get it, and the brand: the source and list of the latest permission, the stage of the brand's
 * ladder.
 */
export const countedUnderSql = (of: { contact: string; address: string; lists: string; brand: string }): string =>
  `LATERAL (SELECT ${countedDomainSql(of.address)} AS domain, p.source, p.list_id, coalesce((SELECT g.stage FROM contact_stage g WHERE g.contact_id = ${of.contact} AND g.brand_id = ${of.brand}), 'new') AS stage
     FROM (SELECT 1) one LEFT JOIN LATERAL (
       SELECT s.source, s.list_id FROM subscription s WHERE s.contact_id = ${of.contact} AND s.list_id = ANY (${of.lists}) ORDER BY s.since DESC, s.list_id LIMIT 1) p ON true OFFSET 0)`;

/** The day of an instant in the zone of a brand, as SQL over expressions. */
export const dayOf = (at: string, brandId: string): string =>
  `(${at} AT TIME ZONE (SELECT zone FROM brand WHERE id = ${brandId}))::date`;

/** A campaign's contacts by figure: what the ledger's states and reasons are, and what came of its messages. */
export async function countFigures(sql: Sql, campaignIds: number[]): Promise<Map<number, Map<string, number>>> {
  const rows = await rowsOf<{ id: number; figure: string; n: number }>(
    sql,
    `SELECT campaign_id AS id, figure, sum(n)::int AS n FROM campaign_figure WHERE campaign_id = ANY ($1::int[]) GROUP BY 1, 2`,
    [campaignIds],
  );
  const all = new Map<number, Map<string, number>>(campaignIds.map((id) => [id, new Map()]));
  for (const { id, figure, n } of rows) all.get(id)!.set(figure, n);
  return all;
}

/** What became of the messages to one receiving domain, largest first. */
export async function countFiguresByDomain(
  sql: Sql,
  campaignId: number,
  most: number,
): Promise<{ domain: string; figures: Record<string, number> }[]> {
  return rowsOf(
    sql,
    `SELECT domain, jsonb_object_agg(figure, n) AS figures
     FROM (SELECT domain, figure, sum(n)::int AS n FROM campaign_domain_figure WHERE campaign_id = $1 GROUP BY 1, 2) f
     GROUP BY 1 ORDER BY coalesce(sum(n) FILTER (WHERE figure = 'accepted'), 0) DESC, 1 LIMIT $2`,
    [campaignId, most],
  );
}

/** Deliveries of all campaigns by state. */
export async function countDeliveryStates(sql: Sql): Promise<Record<string, number>> {
  const rows = await rowsOf<{ state: string; n: number }>(
    sql,
    `SELECT CASE WHEN figure LIKE 'held-back %' THEN 'held-back' ELSE figure END AS state, sum(n)::float8 AS n FROM campaign_figure
     WHERE figure = ANY ('{queued,claimed,accepted,refused,uncertain}') OR figure LIKE 'held-back %' GROUP BY 1`,
  );
  return Object.fromEntries(rows.map((row) => [row.state, row.n]));
}

/** So many of those that differ are named. */
const SAMPLE = 20;
/** Columns of `Compared` over the column `rows` and the array `differing` of all that differ. */
export const COMPARED = `rows, cardinality(differing) AS differing, differing[1:${SAMPLE}] AS sample`;

/**
 * Counts all tallies anew from the ledger and holds them beside those that are kept. Reads one snapshot, and changes
 * nothing. To be run within overWholeSet. The planner expects a third of the rows to be groups of their own, and would
 * sort millions to find a few thousand.
 */
export async function compareTallies(sql: Sql): Promise<Compared<string>> {
  await execute(sql, 'SET LOCAL enable_sort = off');
  const [row] = await rowsOf<Compared<string>>(
    sql,
    `WITH derived AS MATERIALIZED (
       SELECT campaign_id, wave, day, domain, source, list_id, stage, figure, hours, count(*)::int AS n FROM delivery_figure GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9),
     compared AS (
       SELECT concat_ws(' ', 'campaign', campaign_id, 'wave', wave, figure, hours || 'h') AS name, sum(kept) AS kept, sum(counted) AS counted FROM (
         SELECT campaign_id, wave, figure, hours, n AS kept, 0 AS counted FROM campaign_figure
         UNION ALL SELECT campaign_id, wave, figure, hours, 0, n FROM derived) t GROUP BY campaign_id, wave, figure, hours
       UNION ALL
       SELECT concat_ws(' ', 'campaign', campaign_id, domain, figure), sum(kept), sum(counted) FROM (
         SELECT campaign_id, domain, figure, n AS kept, 0 AS counted FROM campaign_domain_figure
         UNION ALL SELECT campaign_id, domain, figure, 0, n FROM derived WHERE domain IS NOT NULL) t GROUP BY campaign_id, domain, figure
       UNION ALL
       SELECT concat_ws(' ', 'brand', brand_id, day, 'by', counted_by, one, two, figure), sum(kept), sum(counted) FROM (
         SELECT brand_id, day, counted_by, one, two, figure, n AS kept, 0 AS counted FROM day_figure
         UNION ALL
         SELECT k.brand_id, d.day, b.counted_by, b.one, b.two, d.figure, 0, d.n FROM derived d JOIN campaign k ON k.id = d.campaign_id CROSS JOIN LATERAL counted_under(d.domain, d.source, d.list_id, d.stage) b
         WHERE d.day IS NOT NULL) t GROUP BY brand_id, day, counted_by, one, two, figure)
     SELECT ${COMPARED} FROM (
       SELECT count(*)::int AS rows, coalesce(array_agg(name || ': ' || kept || ' instead of ' || counted) FILTER (WHERE kept <> counted), '{}') AS differing FROM compared) c`,
  );
  return row!;
}
