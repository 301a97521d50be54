import { randomBytes } from 'node:crypto';
import pg from 'pg';
import { readReturns } from '../../src/core/returns/read-return.ts';
import { makeTokenizer } from '../../src/core/message/token.ts';
import type { Deps } from '../../src/operations/deps.ts';
import { migrate, openDatabase } from '../../src/store/database.ts';

const server = (): string => process.env['AVENDEL_TEST_SERVER']!;

async function onServer(statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: `${server()}/postgres` });
  await client.connect();
  await client.query(statement);
  await client.end();
}

/** A database of its own on the real server: its address, and how to drop it. */
export async function makeDatabase(): Promise<{ url: string; drop: () => Promise<void> }> {
  const name = `test_${randomBytes(6).toString('hex')}`;
  await onServer(`CREATE DATABASE ${name}`);
  return { url: `${server()}/${name}`, drop: () => onServer(`DROP DATABASE ${name} WITH (FORCE)`) };
}

/** What operations need, on a migrated database of its own; the clock stands where it is set. */
export async function makeDeps(): Promise<Deps & { clock: { now: Date }; url: string; close: () => Promise<void> }> {
  const { url, drop } = await makeDatabase();
  const database = await openDatabase(url, 8);
  await migrate(database);
  const clock = { now: new Date('2026-11-20T09:00:00Z') };
  const close = async (): Promise<void> => {
    await database.destroy();
    await drop();
  };
  const tokens = makeTokenizer([{ version: 1, secret: Buffer.from('a secret for tests only') }]);
  return {
    database,
    now: () => clock.now,
    tokens,
    publicUrl: 'http://127.0.0.1:1',
    eventMonths: new Set<string>(),
    remembered: new Map(),
    costly: new Map(),
    readReturns: (raw, envelopeTos) => Promise.resolve(readReturns(raw, envelopeTos)),
    announce: () => undefined,
    clock,
    url,
    close,
  };
}
