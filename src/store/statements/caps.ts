import type { Cap } from '../../shared/contract/caps.ts';
import type { WithDates } from '../with-dates.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type CapRow = WithDates<Cap, 'begunAt' | 'endedAt'>;

const COLUMNS = `id, brand_id AS "brandId", messages, days, begun_by AS "begunBy", begun_at AS "begunAt", ended_by AS "endedBy", ended_at AS "endedAt"`;

/**
 * Caps that hold for a brand, its own and those of the whole organisation, or all there are; with those that have ended
 * or without.
 */
export async function listCaps(sql: Sql, brandId: number | null, ended: boolean): Promise<CapRow[]> {
  return rowsOf<CapRow>(
    sql,
    `SELECT ${COLUMNS} FROM cap WHERE ($1::int IS NULL OR brand_id IS NULL OR brand_id = $1) AND ($2 OR ended_at IS NULL) ORDER BY ended_at IS NOT NULL, brand_id NULLS FIRST, days, id DESC`,
    [brandId, ended],
  );
}

/** One cap, in effect or ended. */
export async function findCap(sql: Sql, id: number): Promise<CapRow | undefined> {
  const rows = await rowsOf<CapRow>(sql, `SELECT ${COLUMNS} FROM cap WHERE id = $1`, [id]);
  return rows[0];
}

/** Begins a cap. Within a transaction that has held the places (holdPlaces). */
export async function insertCap(
  sql: Sql,
  cap: { brandId: number | null; messages: number; days: number; by: string },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    'INSERT INTO cap (brand_id, messages, days, begun_by) VALUES ($1, $2, $3, $4) RETURNING id',
    [cap.brandId, cap.messages, cap.days, cap.by],
  );
  return row!.id;
}

/** Ends a cap that is in effect; of two who end it at once, one does. */
export async function endCap(sql: Sql, id: number, by: string): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    'UPDATE cap SET ended_at = now(), ended_by = $2 WHERE id = $1 AND ended_at IS NULL RETURNING id',
    [id, by],
  );
  return rows.length > 0;
}

/** Whether some cap counts the messages of all brands: whoever hands over then has to hold contacts across brands. */
export async function hasCapOfAllBrands(sql: Sql): Promise<boolean> {
  const [row] = await rowsOf<{ any: boolean }>(
    sql,
    'SELECT EXISTS (SELECT FROM cap WHERE ended_at IS NULL AND brand_id IS NULL) AS any',
  );
  return row!.any;
}

/**
 * Waits for everybody who is handing over at this instant, and keeps others from it until the transaction ends: whoever
 * hands over afterwards does so by what is committed here.
 */
export async function holdPlaces(sql: Sql): Promise<void> {
  await execute(sql, 'LOCK TABLE mailed IN SHARE ROW EXCLUSIVE MODE');
}
