import { Semaphore } from 'async-mutex';
import type { DataSource } from 'typeorm';
import { withoutAccount } from './acting-account.ts';

/**
 * Lets so many works of a kind go on at once in a process, on each database; further ones wait without a connection.
 * What needs a second connection while it holds one could otherwise wait for ever, when each connection is held by its
 * like.
 */
export function makeTurns(atOnce: number): (database: DataSource) => Semaphore {
  const turns = new WeakMap<DataSource, Semaphore>();
  return (database) => {
    const shared = withoutAccount(database);
    const known = turns.get(shared) ?? new Semaphore(atOnce);
    turns.set(shared, known);
    return known;
  };
}
