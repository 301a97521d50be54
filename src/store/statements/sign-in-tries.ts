import { execute, rowsOf, type Sql } from '../sql.ts';

/** Wrong tries so far of one key, and when the last was. */
export interface SignInTries {
  key: string;
  wrong: number;
  lastAt: Date;
}

/**
 * Holds the counts of these keys until the transaction ends, those of old ones anew at none. In rising order of key.
 */
export async function holdTries(sql: Sql, keys: string[], now: Date, forgottenBefore: Date): Promise<SignInTries[]> {
  return rowsOf<SignInTries>(
    sql,
    `INSERT INTO sign_in_try (key, wrong, last_at) SELECT k, 0, $2 FROM unnest($1::text[]) k ORDER BY k
     ON CONFLICT (key) DO UPDATE SET wrong = CASE WHEN sign_in_try.last_at < $3 THEN 0 ELSE sign_in_try.wrong END
     RETURNING key, wrong, last_at AS "lastAt"`,
    [keys, now, forgottenBefore],
  );
}

/** Counts one more try of each, before it is known whether it is wrong: or a hundred at once would all be the first. */
export async function countWrong(sql: Sql, keys: string[], now: Date): Promise<void> {
  await execute(sql, 'UPDATE sign_in_try SET wrong = wrong + 1, last_at = $2 WHERE key = ANY($1::text[])', [keys, now]);
}

/** It was right: what was counted of these is forgotten, and of the others taken back. */
export async function forgetWrong(sql: Sql, forgotten: string[], takenBack: string[]): Promise<void> {
  await execute(sql, 'DELETE FROM sign_in_try WHERE key = ANY($1::text[])', [forgotten]);
  await execute(sql, 'UPDATE sign_in_try SET wrong = wrong - 1 WHERE key = ANY($1::text[]) AND wrong > 0', [takenBack]);
}

/** Forgets counts, and networks that nobody signed in from for half a year. */
export async function sweepSignInTries(sql: Sql, forgottenBefore: Date): Promise<void> {
  await execute(sql, 'DELETE FROM sign_in_try WHERE last_at < $1', [forgottenBefore]);
  await execute(sql, `DELETE FROM sign_in_network WHERE last_at < $1::timestamptz - interval '180 days'`, [
    forgottenBefore,
  ]);
}

/** Whether the account of an address signed in from this network before. */
export async function isKnownNetwork(sql: Sql, email: string, network: string): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    'SELECT 1 FROM sign_in_network n JOIN account a ON a.id = n.account_id WHERE a.email = $1 AND n.network = $2',
    [email, network],
  );
  return rows.length > 0;
}

/** Remembers that an account signed in from this network. */
export async function noteNetwork(sql: Sql, accountId: number, network: string, now: Date): Promise<void> {
  await execute(
    sql,
    `INSERT INTO sign_in_network (account_id, network, last_at) VALUES ($1, $2, $3)
     ON CONFLICT (account_id, network) DO UPDATE SET last_at = excluded.last_at`,
    [accountId, network, now],
  );
}
