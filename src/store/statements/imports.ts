import type { EntityManager } from 'typeorm';
import type { Sql } from '../database.ts';
import { baseAddressSql } from './eligibility.ts';

export interface ImportOptions {
  /** Header of the file to what it is: address, name, joined_at, or an attribute's name; null leaves the column out. */
  mapping: Record<string, string | null>;
  delimiter: string;
}

export interface ImportRow {
  id: number;
  listId: number;
  fileName: string;
  bytes: number;
  options: ImportOptions;
  dryRun: boolean;
  state: 'receiving' | 'waiting' | 'reading' | 'applying' | 'finished' | 'failed' | 'cancelled';
  rowsRead: number;
  rowsDone: number;
  counts: Record<string, number>;
  problem: { detail: string } | null;
  runId: number | null;
  actor: string;
  createdAt: Date;
  finishedAt: Date | null;
}

const COLUMNS = `id, list_id AS "listId", file_name AS "fileName", bytes::float8 AS bytes, options, dry_run AS "dryRun", state, rows_read AS "rowsRead", rows_done AS "rowsDone",
  counts, problem, run_id AS "runId", actor, created_at AS "createdAt", finished_at AS "finishedAt"`;

export async function insertImport(
  sql: Sql,
  row: { listId: number; fileName: string; options: ImportOptions; dryRun: boolean; actor: string },
): Promise<number> {
  const [created]: { id: number }[] = await sql.query(
    `INSERT INTO import (list_id, file_name, options, dry_run, actor) VALUES ($1, $2, $3::jsonb, $4, $5) RETURNING id`,
    [row.listId, row.fileName, JSON.stringify(row.options), row.dryRun, row.actor],
  );
  return created!.id;
}

export async function findImport(sql: Sql, id: number): Promise<ImportRow | undefined> {
  const rows: ImportRow[] = await sql.query(`SELECT ${COLUMNS} FROM import WHERE id = $1`, [id]);
  return rows[0];
}

export async function listImports(sql: Sql, before: number, limit: number): Promise<ImportRow[]> {
  return sql.query(`SELECT ${COLUMNS} FROM import WHERE id < $1 ORDER BY id DESC LIMIT $2`, [before, limit]);
}

/** Imports that were acknowledged and are not at their end: what a starting process goes on with. */
export async function listUnfinishedImports(sql: Sql): Promise<number[]> {
  const rows: { id: number }[] = await sql.query(
    `SELECT id FROM import WHERE state IN ('waiting', 'reading', 'applying') ORDER BY id`,
  );
  return rows.map((row) => row.id);
}

export async function appendImportPart(sql: Sql, importId: number, seq: number, bytes: Buffer): Promise<void> {
  await sql.query(`INSERT INTO import_part (import_id, seq, bytes) VALUES ($1, $2, $3)`, [importId, seq, bytes]);
}

export async function findImportPart(sql: Sql, importId: number, seq: number): Promise<Buffer | undefined> {
  const rows: { bytes: Buffer }[] = await sql.query(`SELECT bytes FROM import_part WHERE import_id = $1 AND seq = $2`, [
    importId,
    seq,
  ]);
  return rows[0]?.bytes;
}

/** Changes an import's own row; undefined fields stay. A cancelled import stays cancelled. */
export async function updateImport(
  sql: Sql,
  id: number,
  change: Partial<
    Pick<ImportRow, 'state' | 'bytes' | 'rowsRead' | 'rowsDone' | 'counts' | 'problem' | 'runId' | 'options'>
  >,
): Promise<void> {
  const ended = change.state === 'finished' || change.state === 'failed' || change.state === 'cancelled';
  await sql.query(
    `UPDATE import SET state = coalesce($2, state), bytes = coalesce($3, bytes), rows_read = coalesce($4, rows_read), rows_done = coalesce($5, rows_done),
       counts = coalesce($6::jsonb, counts), problem = coalesce($7::jsonb, problem), run_id = coalesce($8, run_id), options = coalesce($9::jsonb, options),
       finished_at = CASE WHEN $10 THEN now() ELSE finished_at END
     WHERE id = $1 AND state <> 'cancelled'`,
    [
      id,
      change.state,
      change.bytes,
      change.rowsRead,
      change.rowsDone,
      json(change.counts),
      json(change.problem),
      change.runId,
      json(change.options),
      ended,
    ],
  );
}

function json(value: unknown): string | null {
  return value === undefined ? null : JSON.stringify(value);
}

export interface StagedRow {
  rowNo: number;
  address: string | null;
  name: string | null;
  attributes: Record<string, string> | null;
  joinedAt: string | null;
  code: string | null;
  value: string | null;
}

export async function clearStagedRows(sql: Sql, importId: number): Promise<void> {
  await sql.query(`DELETE FROM import_row WHERE import_id = $1`, [importId]);
}

export async function countStagedRows(sql: Sql, importId: number): Promise<number> {
  const [row]: { n: number }[] = await sql.query(`SELECT count(*)::int AS n FROM import_row WHERE import_id = $1`, [
    importId,
  ]);
  return row!.n;
}

/** COPY target for staged rows; the stream takes text-format lines from `stagedLine`. */
export const COPY_STAGED_ROWS = `COPY import_row (import_id, row_no, address, name, attributes, joined_at, code, value) FROM STDIN`;

/** One row in COPY's text format. */
export function stagedLine(importId: number, row: StagedRow): string {
  const cell = (value: string | null): string =>
    value === null ? '\\N' : /[\\\t\n\r]/.test(value) ? value.replace(/[\\\t\n\r]/g, (c) => ESCAPES[c]!) : value;
  const attributes = row.attributes === null ? null : JSON.stringify(row.attributes);
  return `${importId}\t${row.rowNo}\t${cell(row.address)}\t${cell(row.name)}\t${cell(attributes)}\t${cell(row.joinedAt)}\t${cell(row.code)}\t${cell(row.value)}\n`;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };

/** Tells the planner how many rows were staged: without it, it expects one and joins twenty thousand in a nested loop. */
export async function analyseStagedRows(sql: Sql): Promise<void> {
  await sql.query('ANALYZE import_row');
}

/** Marks the second and later rows of one address within the file. One hash aggregate; only the repeats are written. */
export async function markDuplicateRows(sql: Sql, importId: number): Promise<void> {
  await sql.query(
    `UPDATE import_row r SET code = 'duplicate', value = 'row ' || f.first_row
     FROM (SELECT address, min(row_no) AS first_row FROM import_row WHERE import_id = $1 AND code IS NULL GROUP BY address HAVING count(*) > 1) f
     WHERE r.import_id = $1 AND r.address = f.address AND r.row_no > f.first_row AND r.code IS NULL`,
    [importId],
  );
}

/**
 * Takes a range of staged rows into contacts and onto the list, and answers each row's outcome. A suppressed address is
 * kept as a contact and not subscribed. An import never lifts anything: who has left the list stays out (and is reported
 * as suppressed), who is on it already stays as they are.
 * Suppression is matched as at sending: exact, base, hash, domain; `marketing` and `everything` alike.
 *
 * Sets of rows are compared with IN (SELECT …), which PostgreSQL hashes whatever it expects of their size; joining them
 * was tried: it expected one row, took a nested loop, and 10,000 rows took 17 s.
 */
export async function applyStagedRows(
  sql: EntityManager,
  importId: number,
  firstRow: number,
  lastRow: number,
  list: { id: number; brandId: number; double: boolean },
  runId: number | null,
  actor: string,
): Promise<AppliedRows> {
  const created: { id: string }[] = await sql.query(
    `INSERT INTO contact (address, name, attributes, joined_at)
     SELECT address, name, coalesce(attributes, '{}'), coalesce(joined_at, now()) FROM import_row
     WHERE import_id = $1 AND row_no BETWEEN $2 AND $3 AND code IS NULL ORDER BY row_no
     ON CONFLICT (address) DO NOTHING RETURNING id`,
    [importId, firstRow, lastRow],
  );
  const [row]: AppliedRows[] = await sql.query(
    `WITH person AS MATERIALIZED (
       SELECT r.row_no, r.code, r.name AS new_name, r.attributes AS new_attributes, r.joined_at, r.address,
         c.id, c.name, c.attributes, c.erased_at, c.deliverability, s.state, c.id IN (SELECT unnest($9::bigint[])) AS created
       FROM import_row r LEFT JOIN contact c ON r.code IS NULL AND c.address = r.address
       LEFT JOIN subscription s ON s.contact_id = c.id AND s.list_id = $4
       WHERE r.import_id = $1 AND r.row_no BETWEEN $2 AND $3),
     good AS (SELECT * FROM person WHERE code IS NULL),
     updated AS (
       UPDATE contact c SET name = coalesce(g.new_name, c.name), attributes = c.attributes || coalesce(g.new_attributes, '{}')
       FROM good g WHERE c.id = g.id AND NOT g.created
         AND ((g.new_name IS NOT NULL AND g.new_name IS DISTINCT FROM g.name) OR NOT g.attributes @> coalesce(g.new_attributes, '{}'))
       RETURNING g.row_no),
     applicable AS (
       SELECT l.id, l.exact FROM suppression_list l
       WHERE l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = $5) OR (l.scope = 'list' AND l.scope_id = $4)),
     entry AS (SELECT e.value, e.kind, l.exact FROM suppression_entry e JOIN applicable l ON l.id = e.list_id
       WHERE e.lifted_at IS NULL AND (e.expires_at IS NULL OR e.expires_at > now())),
     dotted AS (SELECT DISTINCT d.domain FROM (SELECT value FROM entry WHERE kind = 'domain') e
       JOIN (SELECT DISTINCT split_part(address, '@', 2) AS domain FROM good) d
         ON d.domain = ltrim(e.value, '.') OR (left(e.value, 1) = '.' AND right(d.domain, length(e.value)) = e.value)),
     suppressed AS MATERIALIZED (
       SELECT g.row_no FROM good g
       WHERE g.erased_at IS NOT NULL OR g.deliverability = 'undeliverable'
         OR g.address IN (SELECT value FROM entry WHERE kind = 'address')
         OR (g.address LIKE '_%+%@%' AND ${baseAddressSql('g.address')} IN (SELECT value FROM entry WHERE kind = 'address' AND NOT exact))
         OR split_part(g.address, '@', 2) IN (SELECT domain FROM dotted)
         OR ((SELECT count(*) FROM entry WHERE kind = 'hash') > 0
             AND encode(sha256(convert_to(g.address, 'UTF8')), 'hex') IN (SELECT value FROM entry WHERE kind = 'hash'))),
     subscribed AS (
       INSERT INTO subscription (contact_id, list_id, state, since, source)
       SELECT g.id, $4, $6, coalesce(g.joined_at, now()), 'import ' || $1 FROM good g
       WHERE g.state IS NULL AND g.id IS NOT NULL AND g.row_no NOT IN (SELECT row_no FROM suppressed)
       ORDER BY 1 ON CONFLICT (contact_id, list_id) DO NOTHING RETURNING contact_id, since),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $7::int, contact_id, 'subscription', $4, NULL, jsonb_build_object('state', $6::text, 'since', since), 'person', $8, jsonb_build_object('import', $1::int) FROM subscribed
       WHERE $7::int IS NOT NULL),
     outcome AS MATERIALIZED (
       SELECT row_no, CASE
           WHEN code = 'duplicate' THEN 'duplicate'
           WHEN code IS NOT NULL THEN 'refused:' || code
           WHEN row_no IN (SELECT row_no FROM suppressed) THEN 'suppressed'
           WHEN state = 'unsubscribed' THEN 'suppressed:unsubscribed'
           WHEN created THEN 'created'
           WHEN state IS NULL OR row_no IN (SELECT row_no FROM updated) THEN 'updated'
           ELSE 'unchanged' END AS outcome
       FROM person)
     SELECT (SELECT coalesce(json_object_agg(what, n), '{}') FROM (SELECT split_part(outcome, ':', 1) AS what, count(*)::int AS n FROM outcome GROUP BY 1) c) AS counts,
       (SELECT array_agg(outcome ORDER BY row_no) FROM outcome) AS outcomes`,
    [
      importId,
      firstRow,
      lastRow,
      list.id,
      list.brandId,
      list.double ? 'pending' : 'subscribed',
      runId,
      actor,
      created.map((one) => one.id),
    ],
  );
  return row!;
}

export interface AppliedRows {
  counts: Record<string, number>;
  /** In order of row. */
  outcomes: string[];
}

/** Outcomes of a range of rows, as kept by the chunk that begins with `firstRow`. */
export async function findOutcomes(sql: Sql, importId: number, firstRow: number): Promise<string[] | undefined> {
  const rows: { outcomes: string[] }[] = await sql.query(
    `SELECT outcomes FROM import_chunk WHERE import_id = $1 AND first_row = $2`,
    [importId, firstRow],
  );
  return rows[0]?.outcomes;
}

/** Keeps the outcomes of a range of rows for the result file. */
export async function keepOutcomes(sql: Sql, importId: number, firstRow: number, outcomes: string[]): Promise<void> {
  await sql.query(
    `INSERT INTO import_chunk (import_id, first_row, outcomes) VALUES ($1, $2, $3::text[]) ON CONFLICT (import_id, first_row) DO UPDATE SET outcomes = excluded.outcomes`,
    [importId, firstRow, outcomes],
  );
}
