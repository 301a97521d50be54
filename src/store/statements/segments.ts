import type { WithDates } from '../with-dates.ts';
import type { Segment } from '../../shared/contract/segments.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type SegmentRow = WithDates<Segment, 'changedAt'>;

const COLUMNS = `id, brand_id AS "brandId", name, description, tags, condition, version, changed_at AS "changedAt", changed_by AS "changedBy"`;

/** Segments of a brand, or of all, by name. */
export async function listSegments(sql: Sql, brandId: number | null): Promise<SegmentRow[]> {
  return rowsOf<SegmentRow>(
    sql,
    `SELECT ${COLUMNS} FROM segment WHERE $1::int IS NULL OR brand_id = $1 ORDER BY brand_id, name`,
    [brandId],
  );
}

/** Campaigns that are not at their end and take a segment in or leave it out. */
export async function listCampaignsWithSegment(sql: Sql, id: number): Promise<{ id: number; name: string }[]> {
  return rowsOf<{ id: number; name: string }>(
    sql,
    `SELECT id, name FROM campaign WHERE state IN ('draft', 'scheduled', 'sending', 'resting', 'paused') AND (segment_ids @> ARRAY[$1::int] OR left_out_segment_ids @> ARRAY[$1::int]) ORDER BY id`,
    [id],
  );
}

/** One segment as it is now. */
export async function findSegment(sql: Sql, id: number): Promise<SegmentRow | undefined> {
  const rows = await rowsOf<SegmentRow>(sql, `SELECT ${COLUMNS} FROM segment WHERE id = $1`, [id]);
  return rows[0];
}

/** One segment, which nobody else changes until the transaction ends. */
export async function lockSegment(sql: Sql, id: number): Promise<SegmentRow | undefined> {
  const rows = await rowsOf<SegmentRow>(sql, `SELECT ${COLUMNS} FROM segment WHERE id = $1 FOR UPDATE`, [id]);
  return rows[0];
}

/** Keeps a new segment with its first version. */
export async function insertSegment(
  sql: Sql,
  one: {
    brandId: number;
    name: string;
    description: string;
    tags: string[];
    condition: string;
    by: string;
    reason: string;
  },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `WITH kept AS (INSERT INTO segment (brand_id, name, description, condition, changed_by, tags) VALUES ($1, $2, $3, $4, $5, $7) RETURNING id, version, name, condition, changed_by)
     INSERT INTO segment_version (segment_id, version, name, condition, changed_by, reason) SELECT id, version, name, condition, changed_by, $6 FROM kept RETURNING segment_id AS id`,
    [one.brandId, one.name, one.description, one.condition, one.by, one.reason, one.tags],
  );
  return row!.id;
}

/** Keeps another version. */
export async function updateSegment(
  sql: Sql,
  id: number,
  change: { name: string; description: string; tags: string[]; condition: string; by: string; reason: string },
): Promise<void> {
  await execute(
    sql,
    `WITH kept AS (
       UPDATE segment SET name = $2, description = $3, condition = $4, tags = $7, changed_by = $5, changed_at = now(), version = version + 1
       WHERE id = $1 RETURNING id, version, name, condition, changed_by)
     INSERT INTO segment_version (segment_id, version, name, condition, changed_by, reason) SELECT id, version, name, condition, changed_by, $6 FROM kept`,
    [id, change.name, change.description, change.condition, change.by, change.reason, change.tags],
  );
}

/** Deletes a segment with its versions and counts; its snapshots stay. */
export async function deleteSegment(sql: Sql, id: number): Promise<void> {
  await execute(sql, `DELETE FROM segment WHERE id = $1`, [id]);
}

export interface SegmentVersion {
  version: number;
  name: string;
  condition: string;
  changedAt: Date;
  changedBy: string;
  reason: string;
}

/** Latest first. */
export async function listSegmentVersions(sql: Sql, id: number): Promise<SegmentVersion[]> {
  return rowsOf<SegmentVersion>(
    sql,
    `SELECT version, name, condition, changed_at AS "changedAt", changed_by AS "changedBy", reason FROM segment_version WHERE segment_id = $1 ORDER BY version DESC`,
    [id],
  );
}
