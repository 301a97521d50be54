import type { WithDates } from '../with-dates.ts';
import type { Reconciliation, ReconciledRow as ShownReconciledRow } from '../../shared/contract/reconciliations.ts';
import type { GivenRows } from '../../core/import/given-rows.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import { textArray } from '../import-engine/text-array.ts';

export type ReconciliationRow = WithDates<Reconciliation, 'createdAt'>;

/** Begins a reconciliation; it is listed once endReconciliation has ended it. */
export async function insertReconciliation(sql: Sql, name: string, actor: string): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO reconciliation (name, actor) VALUES ($1, $2) RETURNING id`,
    [name, actor],
  );
  return row!.id;
}

/** Drops what a process that was killed has left unfinished before a given instant. */
export async function dropUnfinishedReconciliations(sql: Sql, before: Date): Promise<void> {
  await execute(sql, `DELETE FROM reconciliation WHERE finished_at IS NULL AND created_at < $1`, [before]);
}

/** Rows of one chunk; the view reconciliation_row reads nearby ones by it. Never changed without a migration. */
export const RECONCILED_AT_ONCE = 10_000;

/**
 * Keeps up to RECONCILED_AT_ONCE rows, each with the contact that has its address, found by index: 500,000 take 1.7 s
 * from file to answer, where one join of all with the whole base, and a row kept for each, took 4.2 s. To be run after
 * `lookUpByIndex`.
 */
export async function insertReconciledRows(sql: Sql, id: number, firstRow: number, rows: GivenRows): Promise<void> {
  const { addresses, given, hashes, others, unreadable } = rows;
  await execute(
    sql,
    `INSERT INTO reconciliation_chunk (reconciliation_id, first_row, rows, unreadable, given, addresses, hashes, others, contact_ids)
     SELECT $1, $2, $3, $4, $5, $6, $7, $8, array_agg(f.id) FROM (
       SELECT c.id FROM unnest($6::text[]) WITH ORDINALITY g (address, n)
       LEFT JOIN LATERAL (SELECT id FROM contact WHERE address = g.address AND erased_at IS NULL OFFSET 0) c ON true ORDER BY g.n) f`,
    [
      id,
      firstRow,
      addresses.length(),
      unreadable,
      given && textArray(given),
      textArray(addresses),
      hashes && textArray(hashes),
      others && textArray(others),
    ],
  );
}

/**
 * Finds the contact behind each digest, where any are given, counts, and ends the reconciliation. To be run within
 * overWholeSet.
 */
export async function endReconciliation(sql: Sql, id: number, columns: string[]): Promise<void> {
  await execute(
    sql,
    `UPDATE reconciliation_chunk k SET contact_ids = m.contact_ids FROM (
       SELECT r.first_row, array_agg(coalesce(r.contact_id, c.id) ORDER BY r.row_no) AS contact_ids
       FROM reconciliation_row r
       LEFT JOIN (SELECT id, encode(sha256(convert_to(address, 'UTF8')), 'hex') AS hash FROM contact
                  WHERE erased_at IS NULL AND EXISTS (SELECT FROM reconciliation_chunk WHERE reconciliation_id = $1 AND hashes IS NOT NULL)) c ON c.hash = r.hash
       WHERE r.reconciliation_id = $1 AND r.first_row IN (SELECT first_row FROM reconciliation_chunk WHERE reconciliation_id = $1 AND hashes IS NOT NULL)
       GROUP BY r.first_row) m
     WHERE k.reconciliation_id = $1 AND k.first_row = m.first_row`,
    [id],
  );
  // Put together by value: count(DISTINCT …) sorts.
  await execute(
    sql,
    `UPDATE reconciliation SET finished_at = now(), columns = $2, known = n.known, contacts = n.contacts FROM (
       SELECT coalesce(sum(v.times), 0) AS known, count(*) AS contacts FROM (
         SELECT u.id, count(*) AS times FROM reconciliation_chunk k, unnest(k.contact_ids) u (id)
         WHERE k.reconciliation_id = $1 AND u.id IS NOT NULL GROUP BY u.id) v) n
     WHERE id = $1`,
    [id, columns],
  );
}

/** How many contacts can stand on a list, or not. */
export async function countOurs(sql: Sql): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(sql, `SELECT count(*)::int AS n FROM contact WHERE erased_at IS NULL`);
  return row!.n;
}

/** Reconciliations that are done, latest first; `contacts` are all that are not erased. */
export async function listReconciliations(
  sql: Sql,
  only: number | null,
  before: number,
  limit: number,
  contacts: number,
): Promise<ReconciliationRow[]> {
  return rowsOf<ReconciliationRow>(
    sql,
    `SELECT o.id, o.name, o.actor, o.created_at AS "createdAt", n.rows, n.unreadable, o.known, n.rows - n.unreadable - o.known AS strangers, o.contacts AS "oursOnIt", $4::int - o.contacts AS "oursNotOnIt", o.columns
     FROM reconciliation o
     CROSS JOIN LATERAL (
       SELECT coalesce(sum(rows), 0)::int AS rows, coalesce(sum(unreadable), 0)::int AS unreadable FROM reconciliation_chunk WHERE reconciliation_id = o.id) n
     WHERE o.finished_at IS NOT NULL AND ($1::int IS NULL OR o.id = $1) AND o.id < $2 ORDER BY o.id DESC LIMIT $3`,
    [only, before, limit, contacts],
  );
}

/** As the API shows it, but with the other cells of the row in one. */
export type ReconciledRow = Omit<ShownReconciledRow, 'others'> & { others: string | null };

const STANDING = `CASE WHEN c.id IS NULL THEN NULL WHEN c.archived_at IS NOT NULL THEN 'archived' WHEN c.deliverability = 'undeliverable' THEN 'undeliverable'
  WHEN EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.state = 'subscribed') THEN 'subscribed' ELSE 'on no list' END`;

/** A row whose address, or digest, no contact has; one of the two is given. */
export interface Stranger {
  address: string | null;
  hash: string | null;
  /** The other cells of the row, in one. */
  others: string | null;
}

/** Those of one chunk, with its first row. */
export interface StrangersOfChunk {
  firstRow: number;
  rows: Stranger[];
}

/** Those of the next chunk after a row, none among them if there are none; nothing behind the last chunk. */
export async function listStrangers(sql: Sql, id: number, after: number): Promise<StrangersOfChunk | undefined> {
  const [next] = await rowsOf<{ firstRow: number }>(
    sql,
    `SELECT first_row AS "firstRow" FROM reconciliation_chunk WHERE reconciliation_id = $1 AND first_row > $2 ORDER BY first_row LIMIT 1`,
    [id, after],
  );
  if (!next) return undefined;
  const rows = await rowsOf<Stranger>(
    sql,
    `SELECT r.address, r.hash, o.others
     FROM reconciliation_row r LEFT JOIN reconciliation_other o ON o.reconciliation_id = $1 AND o.first_row = $2 AND o.row_no = r.row_no
     WHERE r.reconciliation_id = $1 AND r.first_row = $2 AND r.contact_id IS NULL AND (r.address IS NOT NULL OR r.hash IS NOT NULL)
     ORDER BY r.row_no`,
    [id, next.firstRow],
  );
  return { ...next, rows };
}

/**
 * `given`: rows of the list with their contact; `ours`: contacts with whether they are on it. `found` narrows to those
 * that match, or do not; a row that names nobody is neither, and asked for as `nobody`.
 */
export async function listReconciled(
  sql: Sql,
  id: number,
  direction: 'given' | 'ours',
  found: boolean | 'nobody' | null,
  after: number,
  limit: number,
): Promise<ReconciledRow[]> {
  const values = [id, after, limit, RECONCILED_AT_ONCE];
  return direction === 'given'
    ? rowsOf<ReconciledRow>(sql, GIVEN_PAGE, [...values, found === null ? null : String(found)])
    : rowsOf<ReconciledRow>(
        sql,
        `WITH ${LISTED}, page AS MATERIALIZED (${PAGES_OF_OURS[`${found}`]}), ${PLACES} ${OURS_PAGE}`,
        values,
      );
}

/** The other cells of rows, looked for in the chunks of these rows alone. */
const othersOf = (rows: string): string =>
  `LEFT JOIN reconciliation_other o ON o.reconciliation_id = $1 AND o.first_row = ANY (ARRAY(SELECT first_row FROM ${rows})) AND o.row_no = r.row_no`;

/** Chunks that end before the page are passed over, and those that begin behind it where every row counts. */
const GIVEN_PAGE = `
  WITH page AS MATERIALIZED (
    SELECT row_no, first_row, given, contact_id FROM reconciliation_row
    WHERE reconciliation_id = $1 AND row_no > $2 AND first_row > $2 - $4::int AND ($5::text IS NOT NULL OR first_row <= $2 + $3::int)
      AND ($5::text IS NULL OR CASE WHEN contact_id IS NOT NULL THEN 'true' WHEN address IS NULL AND hash IS NULL THEN 'nobody' ELSE 'false' END = $5)
    ORDER BY row_no LIMIT $3)
  SELECT r.row_no AS place, r.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing, o.others
  FROM page r LEFT JOIN contact c ON c.id = r.contact_id ${othersOf('page')} ORDER BY r.row_no`;

/** Contacts that come after a place and are on the list, with the first row that names them. */
const LISTED = `listed AS MATERIALIZED (
  SELECT contact_id, min(row_no) AS row_no FROM reconciliation_row WHERE reconciliation_id = $1 AND contact_id > $2 GROUP BY contact_id)`;

/** NOT IN is a lookup in a hash table while contacts are gone through in their order; none of `listed` is null. */
const PAGES_OF_OURS: Record<string, string> = {
  true: `SELECT contact_id AS id FROM listed ORDER BY 1 LIMIT $3`,
  false: `SELECT id FROM contact WHERE id > $2 AND erased_at IS NULL AND id NOT IN (SELECT contact_id FROM listed) ORDER BY id LIMIT $3`,
  nobody: `SELECT id FROM contact WHERE false LIMIT $3`,
  null: `SELECT id FROM contact WHERE id > $2 AND erased_at IS NULL ORDER BY id LIMIT $3`,
};

/** In which rows, of which chunks, those of the page are named. */
const PLACES = `places AS MATERIALIZED (
  SELECT contact_id, row_no, (row_no - 1) / $4::int * $4::int + 1 AS first_row FROM listed WHERE contact_id = ANY (ARRAY(SELECT id FROM page)))`;

const OURS_PAGE = `
  SELECT c.id::float8 AS place, r.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing, o.others
  FROM contact c LEFT JOIN places l ON l.contact_id = c.id
  LEFT JOIN reconciliation_row r ON r.reconciliation_id = $1 AND r.first_row = ANY (ARRAY(SELECT first_row FROM places)) AND r.row_no = l.row_no
  ${othersOf('places')}
  WHERE c.id = ANY (ARRAY(SELECT id FROM page)) AND c.erased_at IS NULL ORDER BY c.id`;

/** Deletes a reconciliation with its rows; false when it is not there. */
export async function deleteReconciliation(sql: Sql, id: number): Promise<boolean> {
  const affected = await changedBy(sql, `DELETE FROM reconciliation WHERE id = $1`, [id]);
  return affected > 0;
}
