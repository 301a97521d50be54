import type { DataSource } from 'typeorm';
import { execute, type Sql } from './sql.ts';

const ACCOUNT = Symbol('account');
type OfAccount = DataSource & { [ACCOUNT]?: number };

/**
 * The database as an account acts on it: what its transactions journal says so, however deep within it is written.
 * Passed on with the other dependencies, and not kept beside the call (AsyncLocalStorage): that costs every promise of
 * the process.
 */
export function actingFor(database: DataSource, accountId: number): DataSource {
  return Object.create(database, { [ACCOUNT]: { value: accountId } }) as DataSource;
}

/** The database itself, whoever acts on it. */
export function withoutAccount(database: DataSource): DataSource {
  return (database as OfAccount)[ACCOUNT] === undefined ? database : (Object.getPrototypeOf(database) as DataSource);
}

/**
 * Tells the transaction for which account it is, if for any; the columns `account_id` of what is journaled take it from
 * there.
 */
export async function tellAccount(database: DataSource, sql: Sql): Promise<void> {
  const accountId = (database as OfAccount)[ACCOUNT];
  if (accountId !== undefined)
    await execute(sql, `SELECT set_config('avendel.account', $1, true)`, [String(accountId)]);
}
