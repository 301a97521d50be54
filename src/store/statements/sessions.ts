import type { Sql } from '../database.ts';

/** Who is signed in, as sessions and API tokens tell. */
export interface SessionAccount {
  accountId: number;
  name: string;
  email: string;
  csrf: string | null;
}

/** Keeps a new session by the digest of its token, and forgets those that are over. */
export async function insertSession(
  sql: Sql,
  tokenHash: Buffer,
  accountId: number,
  csrf: string,
  days: number,
): Promise<void> {
  await sql.query('DELETE FROM session WHERE expires_at < now()');
  await sql.query(
    `INSERT INTO session (token_hash, account_id, csrf, expires_at) VALUES ($1, $2, $3, now() + make_interval(days => $4))`,
    [tokenHash, accountId, csrf, days],
  );
}

/** The account of a session that is not over. */
export async function findSession(sql: Sql, tokenHash: Buffer): Promise<SessionAccount | undefined> {
  const rows: SessionAccount[] = await sql.query(
    `SELECT a.id AS "accountId", a.name, a.email, s.csrf FROM session s JOIN account a ON a.id = s.account_id WHERE s.token_hash = $1 AND s.expires_at > now()`,
    [tokenHash],
  );
  return rows[0];
}

/** Ends a session. */
export async function deleteSession(sql: Sql, tokenHash: Buffer): Promise<void> {
  await sql.query('DELETE FROM session WHERE token_hash = $1', [tokenHash]);
}

/** Ends all sessions of an account but one. */
export async function deleteOtherSessions(sql: Sql, accountId: number, keptHash: Buffer): Promise<void> {
  await sql.query('DELETE FROM session WHERE account_id = $1 AND token_hash <> $2', [accountId, keptHash]);
}
