import { afterAll, expect, test } from '@jest/globals';
import { beginAct, previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { applyRulesOnSchedule } from '../../src/operations/runs/apply-on-schedule.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import { actingFor, withoutAccount } from '../../src/store/acting-account.ts';
import { inTransaction } from '../../src/store/database.ts';
import { makeTurns } from '../../src/store/turns.ts';
import { findRun, listJournal, type JournalRow } from '../../src/store/statements/journal.ts';
import type { Deps } from '../../src/operations/deps.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld } from '../support/world.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 6);
afterAll(() => deps.close());

const as = (accountId: number): Deps => ({ ...deps, database: actingFor(deps.database, accountId) });
const archive = async (accountId: number, addresses: string[]): Promise<number> => {
  const request = { act: 'archive' as const, addresses };
  const { stillMailable } = await previewAct(as(accountId), request);
  return beginAct(as(accountId), {
    ...request,
    expect: addresses.length,
    expectMailable: stillMailable.contacts,
    reason: 'asked',
    actor: 'Rosa Lindgard',
  });
};
const journalOf = (runId: number): Promise<JournalRow[]> =>
  listJournal(deps.database, { runId }, Number.MAX_SAFE_INTEGER, 100);
const accountsOf = async (runId: number): Promise<unknown[]> => [
  ...new Set((await journalOf(runId)).map(({ accountId }) => accountId)),
];

test('two accounts of one name are told apart, also when they act at the same time and a worker does the rest', async () => {
  const [one, two] = await Promise.all([
    archive(11, world.addresses.slice(0, 2)),
    archive(12, world.addresses.slice(2, 4)),
  ]);
  // The pieces are worked on by nobody in particular.
  await Promise.all([workThrough(deps, one), workThrough(deps, two)]);
  expect([(await findRun(deps.database, one))!.accountId, (await findRun(deps.database, two))!.accountId]).toEqual([
    11, 12,
  ]);
  expect([await accountsOf(one), await accountsOf(two)]).toEqual([[11], [12]]);
  expect(new Set((await journalOf(one)).map(({ actor }) => actor))).toEqual(new Set(['Rosa Lindgard']));
});

test('an undo is by whoever undoes, not by whoever did', async () => {
  const run = await archive(11, [world.addresses[4]!]);
  await workThrough(deps, run);
  const undo = await beginUndo(as(12), run, 'too many', 'Rosa Lindgard');
  await workThrough(deps, undo);
  expect((await findRun(deps.database, undo))!.accountId).toBe(12);
  expect(await accountsOf(undo)).toEqual([12]);
});

test('what nobody in particular does is nobody’s, on a connection that somebody used before too', async () => {
  await inTransaction(as(11).database, (sql) => sql.query('SELECT 1'));
  expect(await applyRulesOnSchedule(deps, () => undefined)).toBe(true);
  const [row]: { accounts: number; runs: number }[] = await deps.database.query(
    `SELECT count(account_id)::int AS accounts, count(*)::int AS runs FROM run WHERE reason = 'on schedule'`,
  );
  expect(row!.runs).toBeGreaterThan(0);
  expect(row!.accounts).toBe(0);
});

test('however many accounts act, they take turns on one database', () => {
  const [one, two] = [as(11).database, as(12).database];
  expect(
    [withoutAccount(one), withoutAccount(two), withoutAccount(deps.database)].every(
      (shared) => shared === deps.database,
    ),
  ).toBe(true);
  const turns = makeTurns(1);
  expect(turns(one)).toBe(turns(two));
});
