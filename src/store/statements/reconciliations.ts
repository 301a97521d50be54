import { pipeline } from 'node:stream/promises';
import type { PoolClient } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { EntityManager } from 'typeorm';
import type { Sql } from '../database.ts';

export interface GivenRow {
  given: string;
  address: string | null;
  hash: string | null;
}

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

/** Begins a reconciliation; it is listed once matchDigests has ended it. */
export async function insertReconciliation(sql: Sql, name: string, actor: string): Promise<number> {
  const [row]: { id: number }[] = await sql.query(
    `INSERT INTO reconciliation (name, actor) VALUES ($1, $2) RETURNING id`,
    [name, actor],
  );
  return row!.id;
}

/**
 * Keeps rows as they stream in, each with the contact that has its address. They are copied into a table of this
 * transaction first (which no log is kept of), and joined with the base at once: 500,000 looked up one by one while they
 * came in took twice as long. To be run within overWholeSet. Returns how many rows there were.
 */
export async function insertGivenRows(
  sql: EntityManager,
  id: number,
  batches: AsyncIterable<GivenRow[]>,
): Promise<number> {
  await sql.query(
    `CREATE TEMP TABLE given_row (row_no int, given text, address text COLLATE "C", hash text COLLATE "C") ON COMMIT DROP`,
  );
  const client = (await sql.queryRunner!.connect()) as PoolClient;
  let rows = 0;
  const lines = async function* (): AsyncGenerator<string> {
    for await (const batch of batches) {
      let text = '';
      // Nothing of a normal form or a digest needs escaping.
      for (const { given, address, hash } of batch)
        text += `${++rows}\t${given === address ? given : copyText(given)}\t${address ?? '\\N'}\t${hash ?? '\\N'}\n`;
      yield text;
    }
  };
  await pipeline(lines, client.query(copyFrom('COPY given_row FROM STDIN')));
  await sql.query(
    `INSERT INTO reconciliation_row (reconciliation_id, row_no, given, address, hash, contact_id)
     SELECT $1, r.row_no, r.given, r.address, r.hash, c.id
     FROM given_row r LEFT JOIN contact c ON c.address = r.address AND c.erased_at IS NULL`,
    [id],
  );
  return rows;
}

const SPECIAL = /[\\\t\n\r\0]/g;
const ESCAPED: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r', '\0': '' };

/** A text as COPY reads it. A zero character, which no text of PostgreSQL holds, is left out. */
function copyText(text: string): string {
  return text.replace(SPECIAL, (one) => ESCAPED[one]!);
}

/** Finds the contact behind each digest; digests are worked out only where any are given. To be run within overWholeSet. */
export async function matchDigests(sql: Sql, id: number): Promise<void> {
  await sql.query(
    `UPDATE reconciliation_row r SET contact_id = c.id
     FROM (SELECT id, encode(sha256(convert_to(address, 'UTF8')), 'hex') AS hash FROM contact
           WHERE erased_at IS NULL AND EXISTS (SELECT FROM reconciliation_row WHERE reconciliation_id = $1 AND hash IS NOT NULL)) c
     WHERE r.reconciliation_id = $1 AND r.hash = c.hash`,
    [id],
  );
  await sql.query(`UPDATE reconciliation SET finished_at = now() WHERE id = $1`, [id]);
}

/** Counts of reconciliations that are done, latest first. To be run within overWholeSet. */
export async function listReconciliations(
  sql: Sql,
  only: number | null,
  before: number,
  limit: number,
): Promise<ReconciliationRow[]> {
  return sql.query(
    `SELECT o.id, o.name, o.actor, o.created_at AS "createdAt", n.rows, n.unreadable, n.known, n.contacts AS "oursOnIt",
       (SELECT count(*)::int FROM contact WHERE erased_at IS NULL) - n.contacts AS "oursNotOnIt"
     FROM reconciliation o
     LEFT JOIN LATERAL (
       SELECT count(*)::int AS rows, (count(*) FILTER (WHERE r.address IS NULL AND r.hash IS NULL))::int AS unreadable,
         count(r.contact_id)::int AS known,
         -- Put together by value: count(DISTINCT …) sorts.
         (SELECT count(*)::int FROM (SELECT DISTINCT contact_id FROM reconciliation_row WHERE reconciliation_id = o.id AND contact_id IS NOT NULL) d) AS contacts
       FROM reconciliation_row r WHERE r.reconciliation_id = o.id) n ON true
     WHERE o.finished_at IS NOT NULL AND ($1::int IS NULL OR o.id = $1) AND o.id < $2 ORDER BY o.id DESC LIMIT $3`,
    [only, before, limit],
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

/** `given`: rows of the list with their contact; `ours`: contacts with whether they are on it. `found` narrows to those that match, or do not. */
export async function listReconciled(
  sql: Sql,
  id: number,
  direction: 'given' | 'ours',
  found: boolean | null,
  after: number,
  limit: number,
): Promise<ReconciledRow[]> {
  const text =
    direction === 'given'
      ? `SELECT r.row_no AS place, r.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing
         FROM reconciliation_row r LEFT JOIN contact c ON c.id = r.contact_id
         WHERE r.reconciliation_id = $1 AND ($2::boolean IS NULL OR (r.contact_id IS NOT NULL) = $2) AND r.row_no > $3 ORDER BY r.row_no LIMIT $4`
      : `SELECT c.id::float8 AS place, r.given, c.id::float8 AS "contactId", c.address, c.name, ${STANDING} AS standing
         FROM contact c LEFT JOIN LATERAL (
           SELECT given FROM reconciliation_row WHERE reconciliation_id = $1 AND contact_id = c.id ORDER BY row_no LIMIT 1) r ON true
         WHERE c.erased_at IS NULL AND ($2::boolean IS NULL OR (r.given IS NOT NULL) = $2) AND c.id > $3 ORDER BY c.id LIMIT $4`;
  return sql.query(text, [id, found, after, limit]);
}

/** Deletes a reconciliation with its rows; false when it is not there. */
export async function deleteReconciliation(sql: Sql, id: number): Promise<boolean> {
  const [, affected]: [unknown, number] = await sql.query(
    `WITH rows AS (DELETE FROM reconciliation_row WHERE reconciliation_id = $1) DELETE FROM reconciliation WHERE id = $1`,
    [id],
  );
  return affected > 0;
}
