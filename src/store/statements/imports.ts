import type { EntityManager } from 'typeorm';
import type { AttributeType } from '../../core/import/map-columns.ts';
import type { Encoding } from '../../shared/words.ts';
import type { Database, Sql } from '../database.ts';
import { copyBytes, copyBytesInto } from '../copying.ts';

export interface ImportOptions {
  /** Header of the file to what it is: address, name, joined_at, or an attribute's name; null leaves the column out. */
  mapping: Record<string, string | null>;
  /** Types of the attributes among them; those not named are text. */
  types?: Record<string, AttributeType>;
  delimiter: string;
  encoding?: Encoding;
  /** False when the first row is a contact, and the columns are named by their place. */
  header?: boolean;
  /** The mapping is the one that was given for an earlier file with this header. */
  kept?: boolean;
  /** When a column names each row's list: the brand's lists by their names in lower case. */
  lists?: Record<string, number>;
  /** For rows of another import that were held for these codes, and are taken in after all. */
  held?: { of: number; codes?: string[]; mend: Record<string, string> };
}

export interface ImportRow {
  id: number;
  listId: number;
  fileName: string;
  bytes: number;
  options: ImportOptions;
  dryRun: boolean;
  state: 'receiving' | 'waiting' | 'applying' | 'finished' | 'failed' | 'cancelled';
  /** Rows in the file; while it is read, as many as its bytes so far let expect. */
  rowsExpected: number;
  rowsDone: number;
  counts: Record<string, number>;
  problem: { detail: string } | null;
  runId: number | null;
  actor: string;
  createdAt: Date;
  finishedAt: Date | null;
}

const COLUMNS = `id, list_id AS "listId", file_name AS "fileName", bytes::float8 AS bytes, options, dry_run AS "dryRun", state, rows_expected AS "rowsExpected", rows_done AS "rowsDone",
  counts, problem, run_id AS "runId", actor, created_at AS "createdAt", finished_at AS "finishedAt"`;

/** Keeps a new import, waiting. */
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

/** One import with its progress. */
export async function findImport(sql: Sql, id: number): Promise<ImportRow | undefined> {
  const rows: ImportRow[] = await sql.query(`SELECT ${COLUMNS} FROM import WHERE id = $1`, [id]);
  return rows[0];
}

/** Imports before a number, latest first. */
export async function listImports(sql: Sql, before: number, limit: number): Promise<ImportRow[]> {
  return sql.query(`SELECT ${COLUMNS} FROM import WHERE id < $1 ORDER BY id DESC LIMIT $2`, [before, limit]);
}

/** Imports that were acknowledged and are not at their end: what a starting process goes on with. */
export async function listUnfinishedImports(sql: Sql): Promise<number[]> {
  const rows: { id: number }[] = await sql.query(
    `SELECT id FROM import WHERE state IN ('waiting', 'applying') ORDER BY id`,
  );
  return rows.map((row) => row.id);
}

/** Keeps an import that reads the file of another, ready to be worked through. */
export async function insertFollowingImport(
  sql: Sql,
  row: Parameters<typeof insertImport>[1] & { bytes: number },
): Promise<number> {
  const id = await insertImport(sql, row);
  await updateImport(sql, id, { state: 'waiting', bytes: row.bytes });
  return id;
}

/** Keeps the next piece of an import’s file. */
export function appendImportPart(
  on: Database | EntityManager,
  importId: number,
  seq: number,
  pieces: readonly Uint8Array[],
): Promise<void> {
  return copyBytesInto(on, 'import_part (import_id, seq, bytes)', [importId, seq], pieces);
}

/** One part of an import’s file, in pieces; nothing behind the last. */
export function findImportPart(database: Database, importId: number, seq: number): Promise<Buffer[] | undefined> {
  return copyBytes(
    database,
    `SELECT bytes FROM import_part WHERE import_id = ${Number(importId)} AND seq = ${Number(seq)}`,
  );
}

/** Changes an import's own row; undefined fields stay. A cancelled import stays cancelled. */
export async function updateImport(
  sql: Sql,
  id: number,
  change: Partial<Pick<ImportRow, 'state' | 'bytes' | 'rowsExpected' | 'problem' | 'runId' | 'options'>>,
): Promise<void> {
  const ended = change.state === 'finished' || change.state === 'failed' || change.state === 'cancelled';
  await sql.query(
    `UPDATE import SET state = coalesce($2, state), bytes = coalesce($3, bytes), rows_expected = coalesce($4, rows_expected),
       problem = coalesce($5::jsonb, problem), run_id = coalesce($6, run_id), options = coalesce($7::jsonb, options),
       finished_at = CASE WHEN $8 THEN now() ELSE finished_at END
     WHERE id = $1 AND state <> 'cancelled'`,
    [
      id,
      change.state,
      change.bytes,
      change.rowsExpected,
      json(change.problem),
      change.runId,
      json(change.options),
      ended,
    ],
  );
}

/** Changes how a kept file is to be read, of an import in any state: the file itself was written anew. */
export async function changeImportFormat(
  sql: Sql,
  id: number,
  format: Required<Pick<ImportOptions, 'encoding' | 'header'>>,
): Promise<void> {
  await sql.query(`UPDATE import SET options = options || $2::jsonb WHERE id = $1`, [id, JSON.stringify(format)]);
}

function json(value: unknown): string | null {
  return value === undefined ? null : JSON.stringify(value);
}

/** What the columns of a file with this header were said to be, if anybody said it. */
export async function findKeptMapping(sql: Sql, headers: string[]): Promise<Record<string, string | null> | undefined> {
  const rows: { mapping: Record<string, string | null> }[] = await sql.query(
    `SELECT mapping FROM kept_mapping WHERE header_hash = sha256(convert_to($1, 'UTF8'))`,
    [JSON.stringify(headers)],
  );
  return rows[0]?.mapping;
}

/** Remembers what the columns of a header were said to be, for later files with the same header. */
export async function keepMapping(sql: Sql, headers: string[], mapping: Record<string, string | null>): Promise<void> {
  await sql.query(
    `INSERT INTO kept_mapping (header_hash, mapping) VALUES (sha256(convert_to($1, 'UTF8')), $2::jsonb)
     ON CONFLICT (header_hash) DO UPDATE SET mapping = excluded.mapping, changed_at = now()`,
    [JSON.stringify(headers), JSON.stringify(mapping)],
  );
}

/** Lets go of the files of dry runs that ended before an instant, with what would have become of their rows; the counts stay. */
export async function dropFilesOfDryRuns(sql: Sql, before: Date): Promise<void> {
  await sql.query(
    `WITH old AS (SELECT id FROM import WHERE dry_run AND finished_at < $1),
     chunks AS (DELETE FROM import_chunk c USING old o WHERE c.import_id = o.id)
     DELETE FROM import_part p USING old o WHERE p.import_id = o.id`,
    [before],
  );
}

/** Imports whose file is kept. */
export async function listKeptImports(sql: Sql): Promise<number[]> {
  const rows: { id: number }[] = await sql.query(`SELECT DISTINCT import_id AS id FROM import_part ORDER BY 1`);
  return rows.map((row) => row.id);
}

/**
 * Puts another file in the place of a kept one. The new parts are written beside the old ones, which are still being
 * read, and take their numbers at the end.
 */
export async function replaceImportParts(
  sql: EntityManager,
  importId: number,
  parts: AsyncIterable<Buffer>,
): Promise<void> {
  let seq = 0;
  for await (const bytes of parts) {
    if (bytes.length > 0) await appendImportPart(sql, importId, BESIDE + seq++, [bytes]);
  }
  await sql.query(`DELETE FROM import_part WHERE import_id = $1 AND seq < $2`, [importId, BESIDE]);
  await sql.query(`UPDATE import_part SET seq = seq - $2 WHERE import_id = $1`, [importId, BESIDE]);
}

/** Above every number that a part of a file can have. */
const BESIDE = 1_000_000;
