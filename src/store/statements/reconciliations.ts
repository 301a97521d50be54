import type { GivenRows } from '../../core/import/given-rows.ts';
import type { Sql } from '../database.ts';
import { textArray } from '../text-array.ts';

export interface ReconciliationRow {
  id: number;
  name: string;
  actor: string;
  createdAt: Date;
  /** Rows of the list, and how many of them are neither an address nor a SHA-256. */
  rows: number;
  unreadable: number;
  /** Rows whose contact we have. */
  known: number;
  /** Contacts of ours on the list, and not on it; erased ones apart. */
  oursOnIt: number;
  oursNotOnIt: number;
}

/** Begins a reconciliation; it is listed once endReconciliation has ended it. */
export async function insertReconciliation(sql: Sql, name: string, actor: string): Promise<number> {
  const [row]: { id: number }[] = await sql.query(
    `INSERT INTO reconciliation (name, actor) VALUES ($1, $2) RETURNING id`,
    [name, actor],
  );
  return row!.id;
}

/** Drops what a process that was killed has left unfinished before a given instant. */
export async function dropUnfinishedReconciliations(sql: Sql, before: Date): Promise<void> {
  await sql.query(`DELETE FROM reconciliation WHERE finished_at IS NULL AND created_at < $1`, [before]);
}

/** Rows of one chunk; the view reconciliation_row reads nearby ones by it. Never changed without a migration. */
export const RECONCILED_AT_ONCE = 10_000;

/**
 * Keeps up to RECONCILED_AT_ONCE rows, each with the contact that has its address, found by index: 500,000 take 1.7 s from
 * file to answer, where one join of all with the whole base, and a row kept for each, took 4.2 s. To be run after
 * `lookUpByIndex`.
 */
export async function insertReconciledRows(sql: Sql, id: number, firstRow: number, rows: GivenRows): Promise<void> {
  const { addresses, given, hashes, unreadable } = rows;
  await sql.query(
    `INSERT INTO reconciliation_chunk (reconciliation_id, first_row, rows, unreadable, given, addresses, hashes, contact_ids)
     SELECT $1, $2, $3, $4, $5, $6, $7, array_agg(f.id) FROM (
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
    ],
  );
}

/** Finds the contact behind each digest, where any are given, counts, and ends the reconciliation. To be run within overWholeSet. */
export async function endReconciliation(sql: Sql, id: number): Promise<void> {
  await sql.query(
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
  await sql.query(
    `UPDATE reconciliation SET finished_at = now(), known = n.known, contacts = n.contacts FROM (
       SELECT coalesce(sum(v.times), 0) AS known, count(*) AS contacts FROM (
         SELECT u.id, count(*) AS times FROM reconciliation_chunk k, unnest(k.contact_ids) u (id)
         WHERE k.reconciliation_id = $1 AND u.id IS NOT NULL GROUP BY u.id) v) n
     WHERE id = $1`,
    [id],
  );
}

/** How many contacts can stand on a list, or not. */
export async function countOurs(sql: Sql): Promise<number> {
  const [row]: { n: number }[] = await sql.query(`SELECT count(*)::int AS n FROM contact WHERE erased_at IS NULL`);
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
  return sql.query(
    `SELECT o.id, o.name, o.actor, o.created_at AS "createdAt", n.rows, n.unreadable, o.known, o.contacts AS "oursOnIt", $4::int - o.contacts AS "oursNotOnIt"
     FROM reconciliation o
     CROSS JOIN LATERAL (
       SELECT coalesce(sum(rows), 0)::int AS rows, coalesce(sum(unreadable), 0)::int AS unreadable FROM reconciliation_chunk WHERE reconciliation_id = o.id) n
     WHERE o.finished_at IS NOT NULL AND ($1::int IS NULL OR o.id = $1) AND o.id < $2 ORDER BY o.id DESC LIMIT $3`,
    [only, before, limit, contacts],
  );
}

export interface ReconciledRow {
  /** Row of the list, or number of the contact where the direction is ours. */
  place: number;
  given: string | null;
  contactId: number | null;
  address: string | null;
  name: string | null;
  standing: string | null;
}

const STANDING = `CASE WHEN c.id IS NULL THEN NULL WHEN c.archived_at IS NOT NULL THEN 'archived' WHEN c.deliverability = 'undeliverable' THEN 'undeliverable'
  WHEN EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.state = 'subscribed') THEN 'subscribed' ELSE 'on no list' END`;

/**
 * `given`: rows of the list with their contact; `ours`: contacts with whether they are on it. `found` narrows to those that
 * match, or do not.
 */
export async function listReconciled(
  sql: Sql,
  id: number,
  direction: 'given' | 'ours',
  found: boolean | null,
  after: number,
  limit: number,
): Promise<ReconciledRow[]> {
  const values = [id, after, limit];
  return direction === 'given'
    ? sql.query(GIVEN_PAGE, [...values, found, RECONCILED_AT_ONCE])
    : sql.query(`WITH ${LISTED}, page AS MATERIALIZED (${PAGES_OF_OURS[`${found}`]}) ${OURS_PAGE}`, values);
}

/** Chunks that end before the page are passed over, and those that begin behind it where every row counts. */
const GIVEN_PAGE = `
  SELECT r.row_no AS place, r.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing
  FROM (
    SELECT row_no, given, contact_id FROM reconciliation_row
    WHERE reconciliation_id = $1 AND row_no > $2 AND first_row > $2 - $5::int AND ($4::boolean IS NOT NULL OR first_row <= $2 + $3::int)
      AND ($4::boolean IS NULL OR (contact_id IS NOT NULL) = $4) ORDER BY row_no LIMIT $3) r
  LEFT JOIN contact c ON c.id = r.contact_id ORDER BY r.row_no`;

/** Contacts that come after a place and are on the list, with one of the ways in which it names them. */
const LISTED = `listed AS MATERIALIZED (
  SELECT contact_id, min(given) AS given FROM reconciliation_row WHERE reconciliation_id = $1 AND contact_id > $2 GROUP BY contact_id)`;

/** NOT IN is a lookup in a hash table while contacts are gone through in their order; none of `listed` is null. */
const PAGES_OF_OURS: Record<string, string> = {
  true: `SELECT contact_id AS id FROM listed ORDER BY 1 LIMIT $3`,
  false: `SELECT id FROM contact WHERE id > $2 AND erased_at IS NULL AND id NOT IN (SELECT contact_id FROM listed) ORDER BY id LIMIT $3`,
  null: `SELECT id FROM contact WHERE id > $2 AND erased_at IS NULL ORDER BY id LIMIT $3`,
};

const OURS_PAGE = `
  SELECT c.id::float8 AS place, l.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing
  FROM contact c LEFT JOIN listed l ON l.contact_id = c.id
  WHERE c.id = ANY (ARRAY(SELECT id FROM page)) AND c.erased_at IS NULL ORDER BY c.id`;

/** Deletes a reconciliation with its rows; false when it is not there. */
export async function deleteReconciliation(sql: Sql, id: number): Promise<boolean> {
  const [, affected]: [unknown, number] = await sql.query(`DELETE FROM reconciliation WHERE id = $1`, [id]);
  return affected > 0;
}
