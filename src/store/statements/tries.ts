import { execute, rowsOf, type Sql } from '../sql.ts';

/**
 * Counts one more try of each key in this hour and returns the counts, in their order. Counted and read in one
 * statement, or a hundred at once would all see none before them. Keys are taken in order, so two cannot wait in a
 * circle.
 */
export async function countTries(sql: Sql, keys: string[], now: Date): Promise<number[]> {
  const rows = await rowsOf<{ key: string; n: number }>(
    sql,
    `INSERT INTO tries_in_hour (key, hour, n) SELECT k, date_trunc('hour', $2::timestamptz), 1 FROM unnest($1::text[]) k ORDER BY k
     ON CONFLICT (key, hour) DO UPDATE SET n = tries_in_hour.n + 1 RETURNING key, n`,
    [keys, now],
  );
  return keys.map((key) => rows.find((row) => row.key === key)!.n);
}

/** Forgets the tries of a key in this hour. */
export async function forgetTries(sql: Sql, key: string, now: Date): Promise<void> {
  await execute(sql, `DELETE FROM tries_in_hour WHERE key = $1 AND hour = date_trunc('hour', $2::timestamptz)`, [
    key,
    now,
  ]);
}

/**
 * Counts one more of a key unless there were `most` within 24 hours (counted by the hour); says whether there were
 * fewer. Whoever counts the same key at the same time waits.
 */
export async function countOfDay(sql: Sql, key: string, now: Date, most: number): Promise<boolean> {
  await execute(sql, 'SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [key]);
  const rows = await rowsOf(
    sql,
    `INSERT INTO tries_in_hour (key, hour, n) SELECT $1, date_trunc('hour', $2::timestamptz), 1
     WHERE (SELECT coalesce(sum(n), 0) FROM tries_in_hour WHERE key = $1 AND hour > $2::timestamptz - interval '1 day') < $3
     ON CONFLICT (key, hour) DO UPDATE SET n = tries_in_hour.n + 1 RETURNING n`,
    [key, now, most],
  );
  return rows.length > 0;
}

/** Takes back one that was counted in this hour and came to nothing. */
export async function uncountOfDay(sql: Sql, key: string, now: Date): Promise<void> {
  await execute(
    sql,
    `UPDATE tries_in_hour SET n = n - 1 WHERE key = $1 AND hour = date_trunc('hour', $2::timestamptz) AND n > 0`,
    [key, now],
  );
}

/** Forgets counts of past days. */
export async function sweepTries(sql: Sql, now: Date): Promise<void> {
  await execute(sql, `DELETE FROM tries_in_hour WHERE hour <= $1::timestamptz - interval '1 day'`, [now]);
}
