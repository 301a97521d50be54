import { execute, rowsOf, type Sql } from '../sql.ts';

/** Something that goes on by itself, and failed when it was last its turn. */
export interface Trouble {
  /** What failed, as a sentence begins: “The sunset rule”. */
  what: string;
  /** Null where it concerns the whole organisation. */
  brandId: number | null;
  detail: string;
  since: Date;
  lastAt: Date;
}

/** Notes that something failed; since when stays as it was. */
export async function noteTrouble(sql: Sql, what: string, brandId: number | null, detail: string): Promise<void> {
  await execute(
    sql,
    `INSERT INTO trouble (what, brand_id, detail) VALUES ($1, $2, $3)
     ON CONFLICT (what, brand_id) DO UPDATE SET detail = excluded.detail, last_at = now()`,
    [what, brandId ?? 0, detail],
  );
}

/** It went well again. */
export async function endTrouble(sql: Sql, what: string, brandId: number | null): Promise<void> {
  await execute(sql, 'DELETE FROM trouble WHERE what = $1 AND brand_id = $2', [what, brandId ?? 0]);
}

/** What is in trouble at a brand, and in the organisation, the longest first. */
export async function listTroubles(sql: Sql, brandId: number): Promise<Trouble[]> {
  return rowsOf<Trouble>(
    sql,
    `SELECT what, nullif(brand_id, 0) AS "brandId", detail, since, last_at AS "lastAt" FROM trouble WHERE brand_id IN (0, $1) ORDER BY since, what`,
    [brandId],
  );
}
