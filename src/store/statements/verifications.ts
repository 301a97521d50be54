import type { OutsideVerdict } from '../../shared/words.ts';
import { arrayText } from '../array-text.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';
import { keepTargets } from './run-work.ts';

export interface VerificationRow {
  id: number;
  name: string;
  source: string;
  checkedAt: Date;
  rows: number;
  unreadable: number;
  runId: number | null;
  actor: string;
  createdAt: Date;
}

const COLUMNS = `id, name, source, checked_at AS "checkedAt", rows, unreadable, run_id AS "runId", actor, created_at AS "createdAt"`;

/** Begins a verification file; its rows follow. */
export async function insertVerification(
  sql: Sql,
  one: { name: string; source: string; checkedAt: Date; actor: string },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO verification (name, source, checked_at, actor) VALUES ($1, $2, $3, $4) RETURNING id`,
    [one.name, one.source, one.checkedAt, one.actor],
  );
  return row!.id;
}

/** Deletes a verification file with its rows; verdicts on contacts stay. False when it is not there. */
export async function deleteVerification(sql: Sql, id: number): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `WITH rows AS (DELETE FROM verification_row WHERE verification_id = $1) DELETE FROM verification WHERE id = $1`,
    [id],
  );
  return affected > 0;
}

export interface VerifiedRow {
  rowNo: number;
  given: string;
  address: string | null;
  word: string;
}

/** Keeps rows of a verification file, many at once. */
export async function insertVerifiedRows(sql: Sql, id: number, rows: VerifiedRow[]): Promise<void> {
  await execute(
    sql,
    `INSERT INTO verification_row (verification_id, row_no, given, address, word)
     SELECT $1, r.row_no, r.given, r.address, r.word FROM unnest($2::int[], $3::text[], $4::text[], $5::text[]) AS r(row_no, given, address, word)`,
    [
      id,
      rows.map((row) => row.rowNo),
      arrayText(rows.map((row) => row.given)),
      arrayText(rows.map((row) => row.address)),
      arrayText(rows.map((row) => row.word)),
    ],
  );
}

/**
 * Finds the contact behind each row, the last row of an address only, and counts the rows. To be run within
 * overWholeSet.
 */
export async function matchVerifiedRows(sql: Sql, id: number): Promise<void> {
  await execute(
    sql,
    `WITH last AS (SELECT max(row_no) AS row_no, address FROM verification_row WHERE verification_id = $1 AND address IS NOT NULL GROUP BY address)
     UPDATE verification_row r SET contact_id = c.id FROM last l JOIN contact c ON c.address = l.address
     WHERE r.verification_id = $1 AND r.row_no = l.row_no AND c.erased_at IS NULL`,
    [id],
  );
  await execute(
    sql,
    `UPDATE verification SET (rows, unreadable) = (SELECT count(*), count(*) FILTER (WHERE address IS NULL) FROM verification_row WHERE verification_id = $1) WHERE id = $1`,
    [id],
  );
}

/** Verification files before a number, latest first, or only one. */
export async function listVerifications(
  sql: Sql,
  only: number | null,
  before: number,
  limit: number,
): Promise<VerificationRow[]> {
  return rowsOf<VerificationRow>(
    sql,
    `SELECT ${COLUMNS} FROM verification WHERE ($1::int IS NULL OR id = $1) AND id < $2 ORDER BY id DESC LIMIT $3`,
    [only, before, limit],
  );
}

export interface VerifierWord {
  word: string;
  rows: number;
  contacts: number;
  /** What it was said to mean; null until somebody says it. */
  verdict: OutsideVerdict | null;
}

/** The words a file uses, the commonest first. To be run within overWholeSet. */
export async function listWords(sql: Sql, id: number): Promise<VerifierWord[]> {
  return rowsOf<VerifierWord>(
    sql,
    `SELECT r.word, count(*)::int AS rows, count(r.contact_id)::int AS contacts, w.verdict
     FROM verification_row r JOIN verification v ON v.id = r.verification_id
     LEFT JOIN verifier_word w ON w.source = v.source AND w.word = r.word
     WHERE v.id = $1 GROUP BY r.word, w.verdict ORDER BY 2 DESC, 1`,
    [id],
  );
}

/** Keeps what a verifier’s words mean, for this and its later files. */
export async function saveWords(sql: Sql, source: string, words: Record<string, OutsideVerdict>): Promise<void> {
  await execute(
    sql,
    `INSERT INTO verifier_word (source, word, verdict) SELECT $1, key, value FROM jsonb_each_text($2::jsonb)
     ON CONFLICT (source, word) DO UPDATE SET verdict = excluded.verdict`,
    [source, JSON.stringify(words)],
  );
}

/** Makes those of whom a file speaks the targets of a run. Within the transaction that begins it. */
export function keepVerifiedTargets(sql: Sql, runId: number, id: number): Promise<number> {
  const rows =
    'rows AS (SELECT contact_id FROM verification_row WHERE verification_id = $1 AND contact_id IS NOT NULL)';
  return keepTargets(sql, runId, rows, 'SELECT DISTINCT contact_id FROM rows', [id]);
}

/**
 * Gives these contacts what a file says of them, where it says something else or says it later, and journals it.
 * Returns how many.
 */
export async function setVerdicts(sql: Sql, id: number, contactIds: number[], act: Act): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `WITH said AS (
       SELECT r.contact_id, w.verdict, jsonb_build_object('source', v.source, 'checkedAt', v.checked_at, 'word', r.word) AS cause
       FROM verification v JOIN verification_row r ON r.verification_id = v.id JOIN verifier_word w ON w.source = v.source AND w.word = r.word
       WHERE v.id = $1 AND r.contact_id = ANY($5::bigint[])),
     changing AS MATERIALIZED (
       SELECT s.*, c.verdict AS old_verdict, c.verdict_cause AS old_cause FROM said s JOIN contact c ON c.id = s.contact_id
       WHERE c.erased_at IS NULL AND (c.verdict IS DISTINCT FROM s.verdict OR c.verdict_cause IS DISTINCT FROM s.cause)
         AND coalesce((c.verdict_cause->>'checkedAt')::timestamptz <= (s.cause->>'checkedAt')::timestamptz, true)),
     changed AS (UPDATE contact c SET verdict = s.verdict, verdict_cause = s.cause FROM changing s WHERE c.id = s.contact_id),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $2::int, contact_id, 'verdict', 0, CASE WHEN old_verdict IS NOT NULL THEN jsonb_build_object('verdict', old_verdict, 'cause', old_cause) END,
         jsonb_build_object('verdict', verdict, 'cause', cause), $3, $4, cause FROM changing ORDER BY contact_id)
     SELECT count(*)::int AS n FROM changing`,
    [id, act.runId, act.actorKind, act.actor, contactIds],
  );
  return row!.n;
}

/** Notes the run that acted on a verification file. */
export async function closeVerification(sql: Sql, id: number, runId: number): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE verification SET run_id = $2 WHERE id = $1 AND (run_id IS NULL OR EXISTS (SELECT FROM run r WHERE r.id = run_id AND r.undone_by_run_id IS NOT NULL))`,
    [id, runId],
  );
  return affected > 0;
}
