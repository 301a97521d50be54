import type { TokenScope } from '../../shared/access.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** Who is signed in, as sessions and API tokens tell. */
export interface SessionAccount {
  accountId: number;
  name: string;
  email: string;
  csrf: string | null;
  scope: TokenScope;
}

export interface NewSession {
  tokenHash: Buffer;
  accountId: number;
  csrf: string;
  days: number;
  idleHours: number;
  network: string | null;
  userAgent: string;
}

/** Keeps a new session by the digest of its token, and forgets those that are over. */
export async function insertSession(sql: Sql, session: NewSession): Promise<void> {
  await execute(
    sql,
    'DELETE FROM session WHERE expires_at < now() OR last_seen_at < now() - make_interval(hours => $1)',
    [session.idleHours],
  );
  await execute(
    sql,
    `INSERT INTO session (token_hash, account_id, csrf, expires_at, network, user_agent)
     VALUES ($1, $2, $3, now() + make_interval(days => $4), $5, $6)`,
    [
      session.tokenHash,
      session.accountId,
      session.csrf,
      session.days,
      session.network,
      session.userAgent.slice(0, 300),
    ],
  );
}

/** The account of a session that is not over, nor idle for so long; notes at most once a minute that it is used. */
export async function findSession(sql: Sql, tokenHash: Buffer, idleHours: number): Promise<SessionAccount | undefined> {
  const rows = await rowsOf<SessionAccount>(
    sql,
    `WITH used AS (UPDATE session SET last_seen_at = now() WHERE token_hash = $1 AND last_seen_at < now() - interval '1 minute' AND last_seen_at > now() - make_interval(hours => $2))
     SELECT a.id AS "accountId", a.name, a.email, s.csrf, 'administer' AS scope FROM session s JOIN account a ON a.id = s.account_id
     WHERE s.token_hash = $1 AND s.expires_at > now() AND s.last_seen_at > now() - make_interval(hours => $2)`,
    [tokenHash, idleHours],
  );
  return rows[0];
}

export interface SessionRow {
  id: number;
  createdAt: Date;
  lastSeenAt: Date;
  expiresAt: Date;
  network: string | null;
  userAgent: string | null;
  /** The one that asks. */
  isThis: boolean;
}

/** Sessions of an account that are not over, latest used first. */
export async function listSessions(
  sql: Sql,
  accountId: number,
  idleHours: number,
  thisHash: Buffer,
): Promise<SessionRow[]> {
  return rowsOf<SessionRow>(
    sql,
    `SELECT id::float8 AS id, created_at AS "createdAt", last_seen_at AS "lastSeenAt", expires_at AS "expiresAt", network, user_agent AS "userAgent", token_hash = $3 AS "isThis"
     FROM session WHERE account_id = $1 AND expires_at > now() AND last_seen_at > now() - make_interval(hours => $2) ORDER BY last_seen_at DESC, id DESC LIMIT 500`,
    [accountId, idleHours, thisHash],
  );
}

/** Ends a session. */
export async function deleteSession(sql: Sql, tokenHash: Buffer): Promise<void> {
  await execute(sql, 'DELETE FROM session WHERE token_hash = $1', [tokenHash]);
}

/** Ends a session of an account by its number; false when there is none. */
export async function endSession(sql: Sql, accountId: number, id: number): Promise<boolean> {
  const affected = await changedBy(sql, 'DELETE FROM session WHERE account_id = $1 AND id = $2', [accountId, id]);
  return affected > 0;
}

/** Ends all sessions of an account but one. */
export async function deleteOtherSessions(sql: Sql, accountId: number, keptHash: Buffer): Promise<void> {
  await execute(sql, 'DELETE FROM session WHERE account_id = $1 AND token_hash <> $2', [accountId, keptHash]);
}
