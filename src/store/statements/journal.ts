import type { Sql } from '../database.ts';

/** Who or what changes something, and as part of which run. Every changing statement takes one. */
export interface Act {
  actorKind: 'person' | 'rule' | 'contact';
  actor: string;
  runId: number | null;
}

export interface RunRow {
  id: number;
  kind: string;
  brandId: number | null;
  actor: string;
  reason: string;
  counts: Record<string, number>;
  startedAt: Date;
  finishedAt: Date | null;
  undoesRunId: number | null;
  undoneByRunId: number | null;
}

const RUN_COLUMNS = `id, kind, brand_id AS "brandId", actor, reason, counts, started_at AS "startedAt", finished_at AS "finishedAt",
  undoes_run_id AS "undoesRunId", undone_by_run_id AS "undoneByRunId"`;

export async function insertRun(
  sql: Sql,
  run: { kind: string; brandId: number | null; actor: string; reason: string; undoesRunId?: number },
): Promise<number> {
  const [row]: { id: number }[] = await sql.query(
    `INSERT INTO run (kind, brand_id, actor, reason, undoes_run_id) VALUES ($1, $2, $3, $4, $5) RETURNING id`,
    [run.kind, run.brandId, run.actor, run.reason, run.undoesRunId ?? null],
  );
  return row!.id;
}

export async function finishRun(sql: Sql, runId: number, counts: Record<string, number>): Promise<void> {
  await sql.query(`UPDATE run SET counts = $2::jsonb, finished_at = now() WHERE id = $1`, [
    runId,
    JSON.stringify(counts),
  ]);
}

export async function findRun(sql: Sql, runId: number): Promise<RunRow | undefined> {
  const rows: RunRow[] = await sql.query(`SELECT ${RUN_COLUMNS} FROM run WHERE id = $1`, [runId]);
  return rows[0];
}

export async function listRuns(sql: Sql, before: number, limit: number): Promise<RunRow[]> {
  return sql.query(`SELECT ${RUN_COLUMNS} FROM run WHERE id < $1 ORDER BY id DESC LIMIT $2`, [before, limit]);
}

export interface JournalRow {
  id: number;
  at: Date;
  runId: number | null;
  contactId: number | null;
  address: string | null;
  name: string | null;
  subject: string;
  subjectId: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
  actorKind: 'person' | 'rule' | 'contact';
  actor: string;
  cause: Record<string, unknown>;
}

const JOURNAL_COLUMNS = `j.id::float8 AS id, j.at, j.run_id AS "runId", j.contact_id::float8 AS "contactId", c.address, c.name, j.subject,
  j.subject_id::float8 AS "subjectId", j.before, j.after, j.actor_kind AS "actorKind", j.actor, j.cause`;

/** Journal rows of one run or one contact or all, newest first, before number `before`. */
export async function listJournal(
  sql: Sql,
  filter: { runId?: number; contactId?: number },
  before: number,
  limit: number,
): Promise<JournalRow[]> {
  return sql.query(
    `SELECT ${JOURNAL_COLUMNS} FROM journal j LEFT JOIN contact c ON c.id = j.contact_id
     WHERE ($1::int IS NULL OR j.run_id = $1) AND ($2::bigint IS NULL OR j.contact_id = $2) AND j.id < $3
     ORDER BY j.id DESC LIMIT $4`,
    [filter.runId ?? null, filter.contactId ?? null, before, limit],
  );
}
