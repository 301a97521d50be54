import { execute, rowsOf, type Sql } from '../sql.ts';

/** A signing key as it is kept: encrypted with the key of the service's settings, where that is set. */
export interface KeptTokenKey {
  version: number;
  secret: Buffer;
  sealed: boolean;
  /** New tokens are made with it from then on. */
  activeAt: Date;
}

const COLUMNS = 'version, secret, sealed, active_at AS "activeAt"';

/** The signing keys, newest first, held until the transaction ends: nobody else seals or adds one meanwhile. */
export async function holdTokenKeys(sql: Sql): Promise<KeptTokenKey[]> {
  await execute(sql, 'LOCK TABLE token_key IN SHARE ROW EXCLUSIVE MODE');
  return listTokenKeys(sql);
}

/** The signing keys, newest first. */
export async function listTokenKeys(sql: Sql): Promise<KeptTokenKey[]> {
  return rowsOf<KeptTokenKey>(sql, `SELECT ${COLUMNS} FROM token_key ORDER BY version DESC`);
}

export async function insertTokenKey(sql: Sql, key: KeptTokenKey): Promise<void> {
  await execute(sql, 'INSERT INTO token_key (version, secret, sealed, active_at) VALUES ($1, $2, $3, $4)', [
    key.version,
    key.secret,
    key.sealed,
    key.activeAt,
  ]);
}

/** Keeps a key encrypted that was not, or with another key. */
export async function sealTokenKey(sql: Sql, version: number, sealed: Buffer): Promise<void> {
  await execute(sql, 'UPDATE token_key SET secret = $2, sealed = true WHERE version = $1', [version, sealed]);
}
