import { afterAll, beforeEach, expect, test } from '@jest/globals';
import { stopImport } from '../../src/operations/imports/look-at-imports.ts';
import { Problem } from '../../src/operations/problem.ts';
import { findImport, insertImport, updateImport } from '../../src/store/statements/imports.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { makeSmallWorld } from '../support/world.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 1);
let id: number;
afterAll(() => deps.close());
beforeEach(async () => {
  id = await insertImport(deps.database, {
    listId: world.listId,
    fileName: 'readers.csv',
    options: { mapping: { address: 'address' }, delimiter: ',' },
    dryRun: false,
    actor: 'Rosa Lindgard',
  });
  await updateImport(deps.database, id, { state: 'applying' });
});
const state = async (): Promise<string> => (await findImport(deps.database, id))!.state;

test('an import under way is stopped, and stopping it twice, or twice at once, is stopping it once', async () => {
  const both = await Promise.all([stopImport(deps, id), stopImport(deps, id)]);
  expect(both.map(({ state }) => state)).toEqual(['cancelled', 'cancelled']);
  const { finishedAt } = (await findImport(deps.database, id))!;
  expect(finishedAt).toBeInstanceOf(Date);
  expect((await stopImport(deps, id)).finishedAt).toEqual(finishedAt);
});

test('one that ends in the same instant is over, and is not called cancelled afterwards', async () => {
  const end = deps.database.createQueryRunner();
  await end.startTransaction();
  await updateImport(end.manager, id, { state: 'finished', rowsExpected: 3 });
  const stopping = stopImport(deps, id).catch((error: unknown) => error);
  // It waits for the row, or has answered already.
  let answered = false;
  void stopping.then(() => (answered = true));
  await until(async () => {
    const [row] = await deps.database.query<{ n: number }[]>(
      `SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
    );
    return answered || row!.n > 0;
  });
  await end.commitTransaction();
  await end.release();
  expect(await stopping).toEqual(new Problem('wrong-state', `Import ${id} is finished.`));
  expect(await state()).toBe('finished');
});

test('one that failed, and one that there is none of, cannot be stopped', async () => {
  await updateImport(deps.database, id, { state: 'failed', problem: { detail: 'The file is empty.' } });
  await expect(stopImport(deps, id)).rejects.toThrow(new Problem('wrong-state', `Import ${id} is failed.`));
  await expect(stopImport(deps, id + 1000)).rejects.toMatchObject({ code: 'not-found' });
  expect(await state()).toBe('failed');
});
