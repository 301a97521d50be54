import type { PoolClient } from 'pg';
import type { Database } from './database.ts';

/**
 * Runs a statement under a name, so that a connection plans it once and not each time: for the large statements that
 * sending runs a hundred times a second, planning took longer than running.
 */
export async function queryPrepared<T extends object>(
  database: Database,
  name: string,
  text: string,
  values: unknown[],
): Promise<T[]> {
  const runner = database.createQueryRunner();
  try {
    const client = (await runner.connect()) as PoolClient;
    return (await client.query<T>({ name, text, values })).rows;
  } finally {
    await runner.release();
  }
}
