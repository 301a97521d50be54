import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import { inTransaction } from '../../src/store/database.ts';
import { changedBy, execute, rowsOf } from '../../src/store/sql.ts';
import { makeDeps } from '../support/database.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
beforeAll(async () => {
  deps = await makeDeps();
  await execute(deps.database, 'CREATE TABLE planet (name text PRIMARY KEY, moons int)');
});
afterAll(() => deps.close());

beforeEach(() =>
  execute(
    deps.database,
    `TRUNCATE planet; INSERT INTO planet VALUES ('Mars', 2), ('Earth', 1), ('Venus', 0), ('Mercury', 0)`,
  ),
);

test.each([
  ['SELECT name FROM planet WHERE moons = $1 ORDER BY 1', [0], ['Mercury', 'Venus']],
  ['SELECT name FROM planet WHERE moons > $1', [5], []],
  [`INSERT INTO planet VALUES ('Pluto', $1) RETURNING name`, [5], ['Pluto']],
  ['UPDATE planet SET moons = moons + 1 WHERE moons = $1 RETURNING name', [1], ['Earth']],
  ['UPDATE planet SET moons = moons + 1 WHERE moons > $1 RETURNING name', [5], []],
  ['DELETE FROM planet WHERE moons = $1 RETURNING name', [2], ['Mars']],
])('rows, whatever gives them: %s', async (text, parameters, names) => {
  const rows = await rowsOf<{ name: string }>(deps.database, text, parameters);
  expect(rows.map((row) => row.name)).toEqual(names);
});

test('how many rows an UPDATE or DELETE changed; nothing else says so', async () => {
  expect(await changedBy(deps.database, 'UPDATE planet SET moons = 3 WHERE moons = 0')).toBe(2);
  expect(await changedBy(deps.database, 'DELETE FROM planet WHERE moons = $1', [7])).toBe(0);
  expect(await changedBy(deps.database, 'DELETE FROM planet')).toBe(4);
  await expect(changedBy(deps.database, 'SELECT 1 AS one')).rejects.toThrow('UPDATE or DELETE');
});

test('two that wait for each other: the one that PostgreSQL ends is run again, and both are done', async () => {
  let met = 0;
  let meet: () => void;
  const bothHoldOne = new Promise<void>((resolve) => (meet = resolve));
  let times = 0;
  const swap = (first: string, second: string): Promise<void> =>
    inTransaction(deps.database, async (sql) => {
      times++;
      await execute(sql, 'UPDATE planet SET moons = moons + 10 WHERE name = $1', [first]);
      if (++met === 2) meet();
      await bothHoldOne;
      await execute(sql, 'UPDATE planet SET moons = moons + 10 WHERE name = $1', [second]);
    });
  await Promise.all([swap('Mars', 'Earth'), swap('Earth', 'Mars')]);
  expect(times).toBe(3);
  expect(await rowsOf(deps.database, 'SELECT name, moons FROM planet WHERE moons > 5 ORDER BY 1')).toEqual([
    { name: 'Earth', moons: 21 },
    { name: 'Mars', moons: 22 },
  ]);
});

test('what fails for a reason of its own is not run again', async () => {
  let times = 0;
  const work = inTransaction(deps.database, async (sql) => {
    times++;
    await execute(sql, `INSERT INTO planet VALUES ('Mars', 2)`);
  });
  await expect(work).rejects.toThrow('duplicate key');
  expect(times).toBe(1);
});
