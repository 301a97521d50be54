import type { PoolClient } from 'pg';
import type { EntityManager } from 'typeorm';
import type { Database } from './database.ts';

/**
 * Runs a statement under a name, so that a connection parses it once and not each time, and may plan it once: for the
 * large statements that sending and tracking run a hundred times a second, that took longer than running them.
 */
export async function queryPrepared<T extends object>(
  sql: Pick<EntityManager, 'query'>,
  name: string,
  text: string,
  values: unknown[],
): Promise<T[]> {
  const held = (sql as EntityManager).queryRunner;
  const runner = held ?? (sql as Database).createQueryRunner();
  try {
    const client = (await runner.connect()) as PoolClient;
    return (await client.query<T>({ name, text, values })).rows;
  } finally {
    if (!held) await runner.release();
  }
}
