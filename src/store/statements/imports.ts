import type { WithDates } from '../with-dates.ts';
import type { Import } from '../../shared/contract/imports.ts';
import type { EntityManager } from 'typeorm';
import type { AttributeType } from '../../core/import/map-columns.ts';
import type { Encoding } from '../../shared/words.ts';
import type { Database } from '../database.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import { copyBytes, copyBytesInto } from '../import-engine/copying.ts';

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

export type ImportRow = WithDates<Omit<Import, 'options'>, 'createdAt' | 'finishedAt'> & { options: ImportOptions };

const COLUMNS = `id, list_id AS "listId", (SELECT b.zone FROM list l JOIN brand b ON b.id = l.brand_id WHERE l.id = import.list_id) AS zone, file_name AS "fileName", bytes::float8 AS bytes, options, dry_run AS "dryRun", state, rows_expected AS "rowsExpected", rows_done AS "rowsDone",
  counts, problem, run_id AS "runId", applied_as AS "appliedAs", actor, created_at AS "createdAt", finished_at AS "finishedAt"`;

/** Keeps a new import, waiting. */
export async function insertImport(
  sql: Sql,
  row: { listId: number; fileName: string; options: ImportOptions; dryRun: boolean; actor: string },
): Promise<number> {
  const [created] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO import (list_id, file_name, options, dry_run, actor) VALUES ($1, $2, $3::jsonb, $4, $5) RETURNING id`,
    [row.listId, row.fileName, JSON.stringify(row.options), row.dryRun, row.actor],
  );
  return created!.id;
}

/** One import with its progress. */
export async function findImport(sql: Sql, id: number): Promise<ImportRow | undefined> {
  const rows = await rowsOf<ImportRow>(sql, `SELECT ${COLUMNS} FROM import WHERE id = $1`, [id]);
  return rows[0];
}

/** Imports before a number, latest first. */
export async function listImports(
  sql: Sql,
  brandId: number | null,
  before: number,
  limit: number,
): Promise<ImportRow[]> {
  return rowsOf<ImportRow>(
    sql,
    `SELECT ${COLUMNS} FROM import WHERE id < $1 AND ($3::int IS NULL OR list_id IN (SELECT id FROM list WHERE brand_id = $3)) ORDER BY id DESC LIMIT $2`,
    [before, limit, brandId],
  );
}

/** Imports that were acknowledged and are not at their end: what a starting process goes on with. */
export async function listUnfinishedImports(sql: Sql): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
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

/** An import that nobody else changes until the transaction ends. */
export async function lockImport(sql: Sql, id: number): Promise<ImportRow | undefined> {
  const rows = await rowsOf<ImportRow>(sql, `SELECT ${COLUMNS} FROM import WHERE id = $1 FOR UPDATE`, [id]);
  return rows[0];
}

/** Hands the file of a dry run over to the import that does the same for real. */
export async function handOverFile(sql: Sql, dryRunId: number, importId: number): Promise<void> {
  await execute(sql, `UPDATE import_part SET import_id = $2 WHERE import_id = $1`, [dryRunId, importId]);
  await execute(sql, `UPDATE import SET applied_as = $2 WHERE id = $1`, [dryRunId, importId]);
}

/** Whether the file of an import is still kept. */
export async function hasFile(sql: Sql, importId: number): Promise<boolean> {
  const [row] = await rowsOf<{ any: boolean }>(
    sql,
    `SELECT EXISTS (SELECT FROM import_part WHERE import_id = $1) AS any`,
    [importId],
  );
  return row!.any;
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
  await execute(
    sql,
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

/** Cancels an import unless it is over by then; says whether it was not. */
export async function cancelImport(sql: Sql, id: number): Promise<boolean> {
  const cancelled = await changedBy(
    sql,
    `UPDATE import SET state = 'cancelled', finished_at = now() WHERE id = $1 AND state NOT IN ('finished', 'failed', 'cancelled')`,
    [id],
  );
  return cancelled > 0;
}

/** Changes how a kept file is to be read, of an import in any state: the file itself was written anew. */
export async function changeImportFormat(
  sql: Sql,
  id: number,
  format: Required<Pick<ImportOptions, 'encoding' | 'header'>>,
): Promise<void> {
  await execute(sql, `UPDATE import SET options = options || $2::jsonb WHERE id = $1`, [id, JSON.stringify(format)]);
}

function json(value: unknown): string | null {
  return value === undefined ? null : JSON.stringify(value);
}

/** What the columns of a file with this header were said to be, if anybody said it. */
export async function findKeptMapping(sql: Sql, headers: string[]): Promise<Record<string, string | null> | undefined> {
  const rows = await rowsOf<{ mapping: Record<string, string | null> }>(
    sql,
    `SELECT mapping FROM kept_mapping WHERE header_hash = sha256(convert_to($1, 'UTF8'))`,
    [JSON.stringify(headers)],
  );
  return rows[0]?.mapping;
}

/** Remembers what the columns of a header were said to be, for later files with the same header. */
export async function keepMapping(sql: Sql, headers: string[], mapping: Record<string, string | null>): Promise<void> {
  await execute(
    sql,
    `INSERT INTO kept_mapping (header_hash, mapping) VALUES (sha256(convert_to($1, 'UTF8')), $2::jsonb)
     ON CONFLICT (header_hash) DO UPDATE SET mapping = excluded.mapping, changed_at = now()`,
    [JSON.stringify(headers), JSON.stringify(mapping)],
  );
}

/**
 * Lets go of the files of dry runs that ended before an instant, with what would have become of their rows; the counts
 * stay.
 */
export async function dropFilesOfDryRuns(sql: Sql, before: Date): Promise<void> {
  await execute(
    sql,
    `WITH old AS (SELECT id FROM import WHERE dry_run AND finished_at < $1),
     chunks AS (DELETE FROM import_chunk c USING old o WHERE c.import_id = o.id)
     DELETE FROM import_part p USING old o WHERE p.import_id = o.id`,
    [before],
  );
}

/** Imports whose file is kept. */
export async function listKeptImports(sql: Sql): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(sql, `SELECT DISTINCT import_id AS id FROM import_part ORDER BY 1`);
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
  await execute(sql, `DELETE FROM import_part WHERE import_id = $1 AND seq < $2`, [importId, BESIDE]);
  await execute(sql, `UPDATE import_part SET seq = seq - $2 WHERE import_id = $1`, [importId, BESIDE]);
}

/** Above every number that a part of a file can have. */
const BESIDE = 1_000_000;
