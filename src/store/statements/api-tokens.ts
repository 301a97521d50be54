import type { TokenScope } from '../../shared/access.ts';
import { rowsOf, type Sql } from '../sql.ts';
import type { SessionAccount } from './sessions.ts';

export interface ApiTokenRow {
  id: number;
  name: string;
  scope: TokenScope;
  createdAt: Date;
  /** From then on it opens nothing; null for one without an end. */
  expiresAt: Date | null;
  /** Noted once a minute; null when it was never used. */
  lastUsedAt: Date | null;
  revokedAt: Date | null;
}

/** The account of an API token that was not revoked and has not ended; notes the use at most once a minute. */
export async function findTokenAccount(sql: Sql, tokenHash: Buffer): Promise<SessionAccount | undefined> {
  const rows = await rowsOf<SessionAccount>(
    sql,
    `WITH used AS (UPDATE api_token SET last_used_at = now() WHERE token_hash = $1 AND revoked_at IS NULL AND (expires_at IS NULL OR expires_at > now()) AND (last_used_at IS NULL OR last_used_at < now() - interval '1 minute'))
     SELECT a.id AS "accountId", a.name, a.email, NULL AS csrf, t.scope FROM api_token t JOIN account a ON a.id = t.account_id
     WHERE t.token_hash = $1 AND t.revoked_at IS NULL AND (t.expires_at IS NULL OR t.expires_at > now())`,
    [tokenHash],
  );
  return rows[0];
}

/** Tokens of an account before a number, latest first; the revoked stay listed. */
export async function listApiTokens(
  sql: Sql,
  accountId: number,
  before: number,
  limit: number,
): Promise<ApiTokenRow[]> {
  return rowsOf<ApiTokenRow>(
    sql,
    `SELECT id, name, scope, expires_at AS "expiresAt", created_at AS "createdAt", last_used_at AS "lastUsedAt", revoked_at AS "revokedAt"
     FROM api_token WHERE account_id = $1 AND id < $2 ORDER BY id DESC LIMIT $3`,
    [accountId, before, limit],
  );
}

/** Revokes a token of an account; one that is revoked stays as it is. Returns whether there is such a token. */
export async function revokeApiToken(sql: Sql, accountId: number, id: number): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `WITH revoked AS (UPDATE api_token SET revoked_at = now() WHERE id = $1 AND account_id = $2 AND revoked_at IS NULL)
     SELECT id FROM api_token WHERE id = $1 AND account_id = $2`,
    [id, accountId],
  );
  return rows.length > 0;
}
