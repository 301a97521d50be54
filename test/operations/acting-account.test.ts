import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { beginAct, previewAct } from '../../src/operations/contacts/act-on-contacts.ts';
import { applyRulesOnSchedule } from '../../src/operations/rules/apply-on-schedule.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import { asAccount } from '../../src/store/acting-account.ts';
import { inTransaction } from '../../src/store/database.ts';
import { findRun, listJournal, type JournalRow } from '../../src/store/statements/journal.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld, type SmallWorld } from '../support/world.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 6);
});
afterAll(() => deps.close());

const archive = async (addresses: string[]): Promise<number> => {
  const request = { act: 'archive' as const, addresses };
  const { stillMailable } = await previewAct(deps, request);
  return beginAct(deps, { ...request, expect: addresses.length, expectMailable: stillMailable.contacts, reason: 'asked', actor: 'Rosa Lindgard' }); // prettier-ignore
};
const journalOf = (runId: number): Promise<JournalRow[]> => listJournal(deps.database, { runId }, Number.MAX_SAFE_INTEGER, 100); // prettier-ignore
const accountsOf = async (runId: number): Promise<unknown[]> => [...new Set((await journalOf(runId)).map(({ accountId }) => accountId))]; // prettier-ignore

test('two accounts of one name are told apart, also when they act at the same time and a worker does the rest', async () => {
  const [one, two] = await Promise.all([asAccount(11, () => archive(world.addresses.slice(0, 2))), asAccount(12, () => archive(world.addresses.slice(2, 4)))]); // prettier-ignore
  // The pieces are worked on by nobody in particular.
  await Promise.all([workThrough(deps, one), workThrough(deps, two)]);
  expect([(await findRun(deps.database, one))!.accountId, (await findRun(deps.database, two))!.accountId]).toEqual([11, 12]); // prettier-ignore
  expect([await accountsOf(one), await accountsOf(two)]).toEqual([[11], [12]]);
  expect(new Set((await journalOf(one)).map(({ actor }) => actor))).toEqual(new Set(['Rosa Lindgard']));
});

test('an undo is by whoever undoes, not by whoever did', async () => {
  const run = await asAccount(11, () => archive([world.addresses[4]!]));
  await workThrough(deps, run);
  const undo = await asAccount(12, () => beginUndo(deps, run, 'too many', 'Rosa Lindgard'));
  await workThrough(deps, undo);
  expect((await findRun(deps.database, undo))!.accountId).toBe(12);
  expect(await accountsOf(undo)).toEqual([12]);
});

test('what nobody in particular does is nobody’s, on a connection that somebody used before too', async () => {
  await asAccount(11, () => inTransaction(deps.database, (sql) => sql.query('SELECT 1')));
  expect(await applyRulesOnSchedule(deps, () => undefined)).toBe(true);
  const [row]: { accounts: number; runs: number }[] = await deps.database.query(`SELECT count(account_id)::int AS accounts, count(*)::int AS runs FROM run WHERE reason = 'on schedule'`); // prettier-ignore
  expect(row!.runs).toBeGreaterThan(0);
  expect(row!.accounts).toBe(0);
});
