import { AsyncLocalStorage } from 'node:async_hooks';
import type { Sql } from './database.ts';

const accounts = new AsyncLocalStorage<number>();

/** Does something for an account: what it writes into the journal says so, however deep within it is written. */
export function asAccount<T>(accountId: number, work: () => T): T {
  return accounts.run(accountId, work);
}

/** Tells the transaction for which account it is, if for any; the columns `account_id` of what is journaled take it from there. */
export async function tellAccount(sql: Sql): Promise<void> {
  const accountId = accounts.getStore();
  if (accountId !== undefined) await sql.query(`SELECT set_config('avendel.account', $1, true)`, [String(accountId)]);
}
