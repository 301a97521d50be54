import type { CatchingUp as Shown } from '../../shared/contract/tallies.ts';
import type { WithDates } from '../with-dates.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type CaughtUp = Shown['what'];

export type CatchingUp = WithDates<Shown, 'finishedAt'>;

/** How far everything has come. */
export async function listCatchingUp(sql: Sql): Promise<CatchingUp[]> {
  return rowsOf<CatchingUp>(
    sql,
    `SELECT what, upto::float8 AS upto, whole::float8 AS whole, finished_at AS "finishedAt" FROM catching_up ORDER BY what`,
  );
}

/** Whether all that was stored before has been taken in. */
export async function isCaughtUp(sql: Sql, what: CaughtUp): Promise<boolean> {
  const [row] = await rowsOf<{ done: boolean }>(
    sql,
    'SELECT finished_at IS NOT NULL AS done FROM catching_up WHERE what = $1',
    [what],
  );
  return row!.done;
}

/**
 * What is still to be taken in, held until the transaction ends: a process at a time is at it. Nothing if all is done,
 * another is at it, or one of an older version still runs, which would go on without keeping it.
 */
export async function holdCatchingUp(sql: Sql, what: CaughtUp): Promise<{ upto: number } | undefined> {
  const rows = await rowsOf<{ upto: number }>(
    sql,
    `SELECT upto::float8 AS upto FROM catching_up
     WHERE what = $1 AND finished_at IS NULL AND NOT EXISTS (SELECT FROM service_process WHERE NOT $1 = ANY(keeps)) FOR UPDATE SKIP LOCKED`,
    [what],
  );
  return rows[0];
}

/** Notes that everything up to a number has been taken in, and whether that is all. */
export async function noteCaughtUp(sql: Sql, what: CaughtUp, upto: number, isAll: boolean): Promise<void> {
  await execute(
    sql,
    `UPDATE catching_up SET upto = $2, whole = greatest(whole, $2), finished_at = CASE WHEN $3 THEN now() END WHERE what = $1`,
    [what, upto, isAll],
  );
}

/** The last of the contacts after number `after` to whom the next so many messages went; nothing if there are none. */
export async function findNextMailed(sql: Sql, after: number, messages: number): Promise<number | undefined> {
  const [next] = await rowsOf<{ upto: number | null }>(
    sql,
    `SELECT max(contact_id)::float8 AS upto FROM (SELECT contact_id FROM delivery WHERE contact_id > $1 ORDER BY contact_id LIMIT $2) d`,
    [after, messages],
  );
  return next!.upto ?? undefined;
}
