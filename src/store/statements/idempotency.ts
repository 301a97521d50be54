import { execute, rowsOf, type Sql } from '../sql.ts';
import { livingProcessSql } from './processes.ts';

/** Answers are kept for so many hours: whoever repeats a request does so within minutes. */
const KEPT_HOURS = 24;

/** What is kept of an earlier request under a key. */
export interface KeptRequest {
  sameRequest: boolean;
  /** Null while it is under way. */
  status: number | null;
  body: unknown;
  /** SHA-256 of the file that was sent along; null where there was none. */
  fileHash: Buffer | null;
}

/**
 * Whether a kept request stands in the way: neither too old, nor begun by a process that has died before it answered.
 */
const STANDS = `i.created_at > now() - interval '${KEPT_HOURS} hours' AND (i.status IS NOT NULL OR EXISTS (${livingProcessSql('i.process_id')}))`;

/** Begins a request under a key: answers what is kept of an earlier one with the same key, or nothing for a new one. */
export async function beginIdempotent(
  sql: Sql,
  accountId: number,
  key: string,
  requestHash: Buffer,
  processId: string | null,
): Promise<KeptRequest | undefined> {
  const begun = await rowsOf(
    sql,
    `INSERT INTO idempotency AS i (account_id, key, request_hash, process_id) VALUES ($1, $2, $3, $4)
     ON CONFLICT (account_id, key) DO UPDATE SET request_hash = excluded.request_hash, process_id = excluded.process_id, status = NULL, body = NULL, file_hash = NULL, created_at = now()
     WHERE NOT (${STANDS}) RETURNING key`,
    [accountId, key, requestHash, processId],
  );
  if (begun.length > 0) return undefined;
  const rows = await rowsOf<KeptRequest>(
    sql,
    `SELECT request_hash = $3 AS "sameRequest", status, body, file_hash AS "fileHash" FROM idempotency WHERE account_id = $1 AND key = $2`,
    [accountId, key, requestHash],
  );
  return rows[0];
}

/** Keeps the answer of a request, also when the request was taken for dead meanwhile. */
export async function keepAnswer(
  sql: Sql,
  accountId: number,
  key: string,
  requestHash: Buffer,
  answer: { status: number; body: unknown; fileHash: Buffer | null },
): Promise<void> {
  await execute(
    sql,
    `INSERT INTO idempotency (account_id, key, request_hash, status, body, file_hash) VALUES ($1, $2, $3, $4, $5::jsonb, $6)
     ON CONFLICT (account_id, key) DO UPDATE SET request_hash = excluded.request_hash, status = excluded.status, body = excluded.body, file_hash = excluded.file_hash`,
    [accountId, key, requestHash, answer.status, JSON.stringify(answer.body), answer.fileHash],
  );
}

/** Forgets a key whose request failed: it may be tried again. */
export async function forgetKey(sql: Sql, accountId: number, key: string): Promise<void> {
  await execute(sql, 'DELETE FROM idempotency WHERE account_id = $1 AND key = $2', [accountId, key]);
}

/** Forgets what was kept long enough. */
export async function sweepIdempotent(sql: Sql): Promise<void> {
  await execute(sql, `DELETE FROM idempotency WHERE created_at < now() - interval '${KEPT_HOURS} hours'`);
}
