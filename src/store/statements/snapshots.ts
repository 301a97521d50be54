import type { WithDates } from '../with-dates.ts';
import type { Snapshot } from '../../shared/contract/segments.ts';
import type { MatchingContact } from './conditions.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type SnapshotRow = WithDates<Snapshot, 'takenAt'>;

const COLUMNS = `id, brand_id AS "brandId", segment_id AS "segmentId", name, condition, contacts, taken_at AS "takenAt", taken_by AS "takenBy"`;

/** Latest first; of a brand, or of one segment. */
export async function listSnapshots(sql: Sql, of: { brandId?: number; segmentId?: number }): Promise<SnapshotRow[]> {
  return rowsOf<SnapshotRow>(
    sql,
    `SELECT ${COLUMNS} FROM snapshot WHERE ($1::int IS NULL OR brand_id = $1) AND ($2::int IS NULL OR segment_id = $2) ORDER BY id DESC`,
    [of.brandId ?? null, of.segmentId ?? null],
  );
}

/** One snapshot. */
export async function findSnapshot(sql: Sql, id: number): Promise<SnapshotRow | undefined> {
  const rows = await rowsOf<SnapshotRow>(sql, `SELECT ${COLUMNS} FROM snapshot WHERE id = $1`, [id]);
  return rows[0];
}

/** Freezes the table `matching` of this transaction. */
export async function insertSnapshot(
  sql: Sql,
  one: Pick<SnapshotRow, 'brandId' | 'segmentId' | 'name' | 'condition' | 'takenBy'> & { takenAt: Date },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO snapshot (brand_id, segment_id, name, condition, taken_by, taken_at, contacts) VALUES ($1, $2, $3, $4, $5, $6, (SELECT count(*) FROM matching)) RETURNING id`,
    [one.brandId, one.segmentId, one.name, one.condition, one.takenBy, one.takenAt],
  );
  await execute(sql, `INSERT INTO snapshot_member (snapshot_id, contact_id) SELECT $1, id FROM matching ORDER BY id`, [
    row!.id,
  ]);
  return row!.id;
}

/** Deletes a snapshot with its members. */
export async function deleteSnapshot(sql: Sql, id: number): Promise<void> {
  await execute(
    sql,
    `WITH members AS (DELETE FROM snapshot_member WHERE snapshot_id = $1) DELETE FROM snapshot WHERE id = $1`,
    [id],
  );
}

/** Who stands in one set and not in the other. `to` null is the table `matching` of this transaction. */
export interface Compared {
  from: number;
  to: number | null;
}

const CHANGE = `was AS (SELECT contact_id AS id FROM snapshot_member WHERE snapshot_id = $1)`;
const isNow = (to: number | null): string =>
  `is_now AS (${to === null ? 'SELECT id FROM matching WHERE $2::int IS NULL' : 'SELECT contact_id AS id FROM snapshot_member WHERE snapshot_id = $2::int'})`;

/** How many came into a snapshot’s set, left it and stayed, until another snapshot or now. */
export async function countChange(
  sql: Sql,
  { from, to }: Compared,
): Promise<{ came: number; left: number; stayed: number }> {
  const [row] = await rowsOf<{ came: number; left: number; stayed: number }>(
    sql,
    `WITH ${CHANGE}, ${isNow(to)}
     SELECT (count(*) FILTER (WHERE w.id IS NULL))::int AS came, (count(*) FILTER (WHERE n.id IS NULL))::int AS left, (count(*) FILTER (WHERE w.id = n.id))::int AS stayed
     FROM was w FULL JOIN is_now n USING (id)`,
    [from, to],
  );
  return row!;
}

/** Those who came in, or left, by number after `after`. Who was erased meanwhile has left, and is not named. */
export async function listChange(
  sql: Sql,
  { from, to }: Compared,
  direction: 'came' | 'left',
  after: number,
  limit: number,
): Promise<MatchingContact[]> {
  const [these, those] = direction === 'came' ? ['is_now', 'was'] : ['was', 'is_now'];
  return rowsOf<MatchingContact>(
    sql,
    `WITH ${CHANGE}, ${isNow(to)}
     SELECT c.id::float8 AS id, c.address, c.name, c.archived_at IS NOT NULL AS archived FROM ${these} t JOIN contact c ON c.id = t.id
     WHERE c.erased_at IS NULL AND t.id > $3 AND NOT EXISTS (SELECT FROM ${those} o WHERE o.id = t.id) ORDER BY t.id LIMIT $4`,
    [from, to, after, limit],
  );
}

/** How many stand in the table `matching` of this transaction. */
export async function countMatchingKept(sql: Sql): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(sql, `SELECT count(*)::int AS n FROM matching`);
  return row!.n;
}

/** All segments with their brand's zone and the last day that they were counted on. */
export async function listSegmentsToCount(
  sql: Sql,
): Promise<{ id: number; brandId: number; name: string; condition: string; zone: string; countedOn: string | null }[]> {
  return rowsOf<{
    id: number;
    brandId: number;
    name: string;
    condition: string;
    zone: string;
    countedOn: string | null;
  }>(
    sql,
    `SELECT s.id, s.brand_id AS "brandId", s.name, s.condition, b.zone, (SELECT max(n.day)::text FROM segment_count n WHERE n.segment_id = s.id) AS "countedOn"
     FROM segment s JOIN brand b ON b.id = s.brand_id ORDER BY s.id`,
  );
}

/** Keeps how many a segment matched on a day of the brand's zone; the day's latest count stays. */
export async function keepCount(
  sql: Sql,
  one: { segmentId: number; day: string; matching: number; mailable: number },
): Promise<void> {
  await execute(
    sql,
    `INSERT INTO segment_count (segment_id, day, matching, mailable) VALUES ($1, $2, $3, $4)
     ON CONFLICT (segment_id, day) DO UPDATE SET matching = excluded.matching, mailable = excluded.mailable`,
    [one.segmentId, one.day, one.matching, one.mailable],
  );
}

export interface DayCount {
  /** As 2026-11-27, in the brand's zone. */
  day: string;
  matching: number;
  mailable: number;
}

/** The latest days, in their order. */
export async function listCounts(sql: Sql, segmentId: number, days: number): Promise<DayCount[]> {
  const rows = await rowsOf<DayCount>(
    sql,
    `SELECT day::text AS day, matching, mailable FROM segment_count WHERE segment_id = $1 ORDER BY segment_count.day DESC LIMIT $2`,
    [segmentId, days],
  );
  return rows.reverse();
}
