import type { Exclusion, SetAside } from '../../shared/contract/exclusions.ts';
import type { WithDates } from '../with-dates.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type ExclusionRow = WithDates<Exclusion, 'begunAt' | 'endedAt'>;
export type SetAsideRow = WithDates<SetAside, 'setAt'>;

const COLUMNS = `e.id, e.brand_id AS "brandId", e.name, e.list_id AS "listId", e.segment_id AS "segmentId", e.condition, e.reason,
  e.begun_by AS "begunBy", e.begun_at AS "begunAt", e.ended_by AS "endedBy", e.ended_at AS "endedAt", e.ended_because AS "endedBecause"`;

/**
 * Standing exclusions that hold for a brand, its own first and then those of the whole organisation, or all there are;
 * with those that have ended or without.
 */
export async function listExclusions(sql: Sql, brandId: number | null, ended: boolean): Promise<ExclusionRow[]> {
  return rowsOf<ExclusionRow>(
    sql,
    `SELECT ${COLUMNS} FROM exclusion e WHERE ($1::int IS NULL OR brand_id IS NULL OR brand_id = $1) AND ($2 OR ended_at IS NULL) ORDER BY ended_at IS NOT NULL, brand_id NULLS LAST, id`,
    [brandId, ended],
  );
}

/** Standing exclusions in effect that a campaign of a brand has not set aside. */
export async function listExclusionsOf(
  sql: Sql,
  { id, brandId }: { id: number; brandId: number },
): Promise<ExclusionRow[]> {
  return rowsOf<ExclusionRow>(
    sql,
    `SELECT ${COLUMNS} FROM exclusion e WHERE (brand_id IS NULL OR brand_id = $1) AND ended_at IS NULL
       AND NOT EXISTS (SELECT FROM set_aside s WHERE s.campaign_id = $2 AND s.exclusion_id = e.id) ORDER BY brand_id NULLS LAST, id`,
    [brandId, id],
  );
}

/** One standing exclusion, in effect or ended. */
export async function findExclusion(sql: Sql, id: number): Promise<ExclusionRow | undefined> {
  const rows = await rowsOf<ExclusionRow>(sql, `SELECT ${COLUMNS} FROM exclusion e WHERE id = $1`, [id]);
  return rows[0];
}

/** A standing exclusion to be kept. */
export type NewRow = Pick<Exclusion, 'brandId' | 'name' | 'listId' | 'segmentId' | 'condition' | 'reason'> & {
  by: string;
};

/** Begins a standing exclusion. Within a transaction that has held claims off (holdClaims). */
export async function insertExclusion(sql: Sql, one: NewRow): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO exclusion (brand_id, name, list_id, segment_id, condition, reason, begun_by) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id`,
    [one.brandId, one.name, one.listId, one.segmentId, one.condition, one.reason, one.by],
  );
  return row!.id;
}

/** Ends a standing exclusion that is in effect; of two who end it at once, one does. */
export async function endExclusion(sql: Sql, id: number, because: string, by: string): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    'UPDATE exclusion SET ended_at = now(), ended_by = $2, ended_because = $3 WHERE id = $1 AND ended_at IS NULL RETURNING id',
    [id, by, because],
  );
  return rows.length > 0;
}

/** Gives a standing exclusion its condition in other words: something it names has another name. */
export async function rewordExclusion(sql: Sql, id: number, condition: string): Promise<void> {
  await execute(sql, 'UPDATE exclusion SET condition = $2 WHERE id = $1', [id, condition]);
}

/**
 * Of the table `mailable` of this transaction: how many there are, and how many a list leaves out, or if there is none
 * (0) the table `left_out`.
 */
export async function countLeftOut(sql: Sql, listId: number): Promise<{ mayBeWritten: number; leftOut: number }> {
  const [row] = await rowsOf<{ mayBeWritten: number; leftOut: number }>(
    sql,
    `SELECT (SELECT count(*)::int FROM mailable) AS "mayBeWritten", (SELECT count(*)::int FROM mailable WHERE id IN (
       ${listId > 0 ? `SELECT contact_id FROM subscription WHERE list_id = ${Number(listId)} AND state = 'subscribed'` : 'SELECT id FROM left_out'})) AS "leftOut"`,
  );
  return row!;
}

/** What a campaign has set aside. */
export async function listSetAside(sql: Sql, campaignId: number): Promise<SetAsideRow[]> {
  return rowsOf<SetAsideRow>(
    sql,
    `SELECT s.exclusion_id AS "exclusionId", e.name, s.reason, s.set_by AS "setBy", s.set_at AS "setAt"
     FROM set_aside s JOIN exclusion e ON e.id = s.exclusion_id WHERE s.campaign_id = $1 ORDER BY s.exclusion_id`,
    [campaignId],
  );
}

/** Sets a standing exclusion aside for a campaign; whoever did so before keeps their reason. */
export async function insertSetAside(
  sql: Sql,
  one: { campaignId: number; exclusionId: number; reason: string; by: string },
): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    'INSERT INTO set_aside (campaign_id, exclusion_id, reason, set_by) VALUES ($1, $2, $3, $4) ON CONFLICT DO NOTHING RETURNING campaign_id',
    [one.campaignId, one.exclusionId, one.reason, one.by],
  );
  return rows.length > 0;
}

/** Takes up again what a campaign has set aside. */
export async function deleteSetAside(sql: Sql, campaignId: number, exclusionId: number): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    'DELETE FROM set_aside WHERE campaign_id = $1 AND exclusion_id = $2 RETURNING campaign_id',
    [campaignId, exclusionId],
  );
  return rows.length > 0;
}

/** The advisory lock between whoever claims recipients and whoever changes what leaves people out. */
const CLAIMS_LOCK = 7_300_005;

/** Waits for claims that are being made, and keeps others off until the transaction ends. */
export async function holdClaims(sql: Sql): Promise<void> {
  await execute(sql, `SELECT pg_advisory_xact_lock(${CLAIMS_LOCK})`);
}

/**
 * Keeps what leaves people out as it is until the transaction ends, and says which that is, in a word that changes with
 * it.
 */
export async function keepExclusions(sql: Sql): Promise<string> {
  await execute(sql, `SELECT pg_advisory_xact_lock_shared(${CLAIMS_LOCK})`);
  return exclusionsStand(sql);
}

/** A word that changes with every change of what leaves people out. */
export async function exclusionsStand(sql: Sql): Promise<string> {
  const [row] = await rowsOf<{ stand: string }>(
    sql,
    `SELECT coalesce(max(id), 0) || ' ' || count(ended_at) AS stand FROM exclusion`,
  );
  return row!.stand;
}
