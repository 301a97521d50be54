import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import { finishRun, RUN_COLUMNS, type RunRow } from './journal.ts';

/** A run that is worked through in pieces, as it stands between two of them. */
export interface OpenRun extends RunRow {
  /** What is to be done; its shape is the operation's. */
  work: unknown;
  /** Everybody up to this target has been dealt with; null before the first piece. */
  after: number | null;
}

/** Class of the advisory locks that say "a piece of this run is being worked on". */
const RUN_LOCKS = 73_005;

/**
 * Makes those that a statement selects the targets of a run, and returns how many they are. `ctes` are what the
 * statement reads, `parameters` those of both. Within the transaction that begins the run.
 */
export async function keepTargets(
  sql: Sql,
  runId: number,
  ctes: string,
  select: string,
  parameters: unknown[],
): Promise<number> {
  await execute(
    sql,
    `WITH ${ctes} INSERT INTO run_target (run_id, target) SELECT $${parameters.length + 1}::int, t.* FROM (${select}) t ORDER BY 2`,
    [...parameters, runId],
  );
  const [row] = await rowsOf<{ n: number }>(sql, 'SELECT count(*)::int AS n FROM run_target WHERE run_id = $1', [
    runId,
  ]);
  await setWhole(sql, runId, row!.n);
  return row!.n;
}

/** Says how many a run without targets will go through. */
export async function setWhole(sql: Sql, runId: number, whole: number): Promise<void> {
  await execute(sql, 'UPDATE run SET whole = $2 WHERE id = $1', [runId, whole]);
}

/**
 * The run, held for a piece until the transaction ends; `taken` while another works on it, nothing once it has ended.
 */
export async function takeOpenRun(sql: Sql, runId: number): Promise<OpenRun | 'taken' | undefined> {
  const [lock] = await rowsOf<{ got: boolean }>(sql, 'SELECT pg_try_advisory_xact_lock($1, $2) AS got', [
    RUN_LOCKS,
    runId,
  ]);
  if (!lock!.got) return 'taken';
  const rows = await rowsOf<OpenRun>(
    sql,
    `SELECT ${RUN_COLUMNS}, work, after_target::float8 AS after,
       set_config('avendel.account', coalesce(account_id::text, ''), true) FROM run WHERE id = $1 AND work IS NOT NULL`,
    [runId],
  );
  return rows[0];
}

/** Targets of a run in order, after `after`. */
export async function listTargets(sql: Sql, { id, after }: OpenRun, limit: number): Promise<number[]> {
  const rows = await rowsOf<{ target: number }>(
    sql,
    `SELECT target::float8 AS target FROM run_target WHERE run_id = $1 AND ($2::bigint IS NULL OR target > $2) ORDER BY target LIMIT $3`,
    [id, after, limit],
  );
  return rows.map((row) => row.target);
}

/** Notes how far a run has come, and what it has changed so far. */
export async function advanceRun(
  sql: Sql,
  runId: number,
  { after, done, counts }: Pick<OpenRun, 'after' | 'done' | 'counts'>,
): Promise<void> {
  await execute(sql, 'UPDATE run SET after_target = $2, done = $3, counts = $4::jsonb WHERE id = $1', [
    runId,
    after,
    done,
    JSON.stringify(counts),
  ]);
}

/**
 * Ends a run that was worked through in pieces. One that ends early keeps how far it came and why; for another a stop
 * came too late.
 */
export async function endOpenRun(
  sql: Sql,
  runId: number,
  counts: Record<string, number>,
  early: boolean,
): Promise<void> {
  await finishRun(sql, runId, counts);
  await execute(sql, `UPDATE run SET work = NULL${early ? '' : ', done = whole, stopped = NULL'} WHERE id = $1`, [
    runId,
  ]);
  await execute(sql, 'DELETE FROM run_target WHERE run_id = $1', [runId]);
}

/** Has a run end before its next piece, for a reason. False when it has ended already, or is to end. */
export async function stopOpenRun(sql: Sql, runId: number, because: string): Promise<boolean> {
  const affected = await changedBy(
    sql,
    'UPDATE run SET stopped = $2 WHERE id = $1 AND work IS NOT NULL AND stopped IS NULL',
    [runId, because],
  );
  return affected > 0;
}

/** Runs that are to be worked on, in the order in which they began. */
export async function listOpenRuns(sql: Sql): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(sql, 'SELECT id FROM run WHERE work IS NOT NULL ORDER BY id');
  return rows.map((row) => row.id);
}
