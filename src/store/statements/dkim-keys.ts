import { execute, rowsOf, type Sql } from '../sql.ts';

/** A key with which messages of a brand are signed, without its private half. */
export interface DkimKeyRow {
  id: number;
  brandId: number;
  domain: string;
  selector: string;
  publicKey: string;
  /** Whether messages are signed with it. */
  signs: boolean;
  createdAt: Date;
  createdBy: string;
}

const COLUMNS = `id, brand_id AS "brandId", domain, selector, public_key AS "publicKey", signs, created_at AS "createdAt", created_by AS "createdBy"`;

/** The keys that brands have, oldest first. */
export function listDkimKeys(sql: Sql, brandId: number): Promise<DkimKeyRow[]> {
  return rowsOf<DkimKeyRow>(
    sql,
    `SELECT ${COLUMNS} FROM dkim_key WHERE brand_id = $1 AND removed_at IS NULL ORDER BY id`,
    [brandId],
  );
}

/** Keeps a key that does not sign yet. Whoever calls this holds the brand, so that its keys can be counted. */
export async function insertDkimKey(
  sql: Sql,
  key: { brandId: number; domain: string; selector: string; sealed: Buffer; publicKey: string; by: string },
): Promise<DkimKeyRow> {
  const [row] = await rowsOf<DkimKeyRow>(
    sql,
    `INSERT INTO dkim_key (brand_id, domain, selector, sealed, public_key, created_by) VALUES ($1, $2, $3, $4, $5, $6) RETURNING ${COLUMNS}`,
    [key.brandId, key.domain, key.selector, key.sealed, key.publicKey, key.by],
  );
  return row!;
}

/** Has a brand's messages signed with a key, or not; says whether there is such a key. */
export async function setDkimSigns(sql: Sql, brandId: number, id: number, signs: boolean): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `UPDATE dkim_key SET signs = $3 WHERE id = $2 AND brand_id = $1 AND removed_at IS NULL RETURNING id`,
    [brandId, id, signs],
  );
  return rows.length > 0;
}

/** Removes a key for good: its private half is gone. Says whether there was such a key. */
export async function removeDkimKey(sql: Sql, brandId: number, id: number, by: string): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `UPDATE dkim_key SET removed_at = now(), removed_by = $3, sealed = NULL, signs = false WHERE id = $2 AND brand_id = $1 AND removed_at IS NULL RETURNING id`,
    [brandId, id, by],
  );
  return rows.length > 0;
}

/** The private halves of the keys with which a brand's messages are signed, sealed. */
export function findSealedDkimKeys(
  sql: Sql,
  brandId: number,
): Promise<{ id: number; domain: string; selector: string; sealed: Buffer }[]> {
  return rowsOf(
    sql,
    `SELECT id, domain, selector, sealed FROM dkim_key WHERE brand_id = $1 AND signs AND removed_at IS NULL ORDER BY id`,
    [brandId],
  );
}

/** Keeps the private half of a key sealed with another key of the settings. */
export async function resealDkimKey(sql: Sql, id: number, sealed: Buffer): Promise<void> {
  await execute(sql, `UPDATE dkim_key SET sealed = $2 WHERE id = $1 AND removed_at IS NULL`, [id, sealed]);
}
