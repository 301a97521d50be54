import type { TokenKey } from '../../core/message/token.ts';
import type { Sql } from '../database.ts';

/** The signing keys, newest first; keeps `fresh` as the first one where there is none. */
export async function ensureTokenKey(sql: Sql, fresh: Buffer): Promise<TokenKey[]> {
  await sql.query(
    'INSERT INTO token_key (version, secret) SELECT 1, $1 WHERE NOT EXISTS (SELECT FROM token_key) ON CONFLICT DO NOTHING',
    [fresh],
  );
  return sql.query('SELECT version, secret FROM token_key ORDER BY version DESC');
}
