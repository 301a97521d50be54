import type { QueryRunner } from 'typeorm';
import { CAUGHT_UP } from '../../shared/contract/tallies.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/** Class of the advisory locks that say "this process lives". */
const PROCESS_LOCKS = 73_003;

/**
 * Registers a service process and takes its lock on a connection of its own. PostgreSQL lets go of the lock the moment
 * the process dies, however it dies; so nobody has to guess by time whether it still works.
 */
export async function registerProcess(runner: QueryRunner, processId: string): Promise<void> {
  const [lock] = await rowsOf<{ key: number }>(runner, `SELECT nextval('service_process_lock')::int AS key`);
  const { key } = lock!;
  await execute(runner, 'SELECT pg_advisory_lock($1, $2)', [PROCESS_LOCKS, key]);
  await execute(runner, 'INSERT INTO service_process (id, lock_key, keeps) VALUES ($1, $2, $3)', [
    processId,
    key,
    CAUGHT_UP,
  ]);
}

/**
 * The process of this number, if it lives. pg_locks shows the locks of every database of the server: only ours count.
 */
export function livingProcessSql(id: string): string {
  return `SELECT FROM service_process p JOIN pg_locks l ON l.locktype = 'advisory' AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database())
    AND l.classid = ${PROCESS_LOCKS} AND l.objid = p.lock_key::oid AND l.granted WHERE p.id = ${id}`;
}

/** Processes that are registered and no longer live. */
export async function findDeadProcesses(sql: Sql): Promise<string[]> {
  const rows = await rowsOf<{ id: string }>(
    sql,
    `SELECT d.id FROM service_process d WHERE NOT EXISTS (${livingProcessSql('d.id')})`,
  );
  return rows.map((row) => row.id);
}

/** Takes processes off the register, once what they left behind is settled. */
export async function forgetProcesses(sql: Sql, ids: string[]): Promise<void> {
  await execute(sql, 'DELETE FROM service_process WHERE id = ANY($1::uuid[])', [ids]);
}

/** Runs `work` only if no other process does work of this kind on this thing; says whether it ran. */
export async function withExclusiveLock(
  runner: QueryRunner,
  kind: number,
  id: number,
  work: () => Promise<void>,
): Promise<boolean> {
  const [lock] = await rowsOf<{ got: boolean }>(runner, 'SELECT pg_try_advisory_lock($1, $2) AS got', [kind, id]);
  if (!lock!.got) return false;
  try {
    await work();
    return true;
  } finally {
    await execute(runner, 'SELECT pg_advisory_unlock($1, $2)', [kind, id]);
  }
}
