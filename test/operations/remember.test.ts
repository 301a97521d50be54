import { beforeEach, expect, jest, test } from '@jest/globals';
import type { Deps } from '../../src/operations/deps.ts';
import { forgetCostly, remember, rememberCostly } from '../../src/operations/remember.ts';

let deps: Deps;
let clock: number;
let counts: { end: (error?: Error) => Promise<void> }[];

beforeEach(() => {
  clock = 1_790_000_000_000;
  counts = [];
  deps = { costly: new Map(), now: () => new Date(clock) } as unknown as Deps;
  jest.spyOn(performance, 'now').mockImplementation(() => clock);
});

/** Asks; a count that begins is the next of `counts`, gives its number, and ends when it is told to. */
function ask(): Promise<number> {
  const number = counts.length;
  const asked = rememberCostly(deps, 'everybody', async () => {
    await new Promise<void>((resolve, reject) => {
      counts[number] = {
        end: async (error) => {
          if (error) reject(error);
          else resolve();
          await settle();
        },
      };
    });
    return number;
  }).then(({ value }) => value);
  asked.catch(() => undefined);
  return asked;
}

const settle = (): Promise<void> => new Promise((resolve) => setImmediate(resolve));

/** Asks, and has the count that this begins take so many milliseconds. */
async function askAndCount(milliseconds: number): Promise<number> {
  const asked = ask();
  await settle();
  clock += milliseconds;
  await counts.at(-1)!.end();
  return asked;
}

test('what is counted in less than a second is counted each time, and nothing is kept', async () => {
  expect([await askAndCount(900), await askAndCount(900)]).toEqual([0, 1]);
  expect(deps.costly.size).toBe(0);
});

test('what took long holds ten times as long; then the older is given while it is counted anew, for an hour', async () => {
  expect(await askAndCount(5_000)).toBe(0);
  clock += 49_000;
  expect(await ask()).toBe(0);
  expect(counts).toHaveLength(1);
  clock += 2_000;
  expect([await ask(), await ask()]).toEqual([0, 0]);
  expect(counts).toHaveLength(2);
  clock += 5_000;
  await counts[1]!.end();
  expect(await ask()).toBe(1);
  clock += 3_600_001;
  expect(await askAndCount(5_000)).toBe(2);
});

test('whoever asks while one has been under way for a second waits for that one; before, it may miss what they did', async () => {
  const first = ask();
  await settle();
  const second = ask();
  await settle();
  expect(counts).toHaveLength(2);
  clock += 1_500;
  const third = ask();
  await settle();
  expect(counts).toHaveLength(2);
  await counts[1]!.end();
  await counts[0]!.end();
  expect(await Promise.all([first, second, third])).toEqual([0, 1, 1]);
});

test('a count that fails fails whoever waits for it, and nobody who is given an older one', async () => {
  const failing = ask();
  await settle();
  await counts[0]!.end(new Error('the server went away'));
  await expect(failing).rejects.toThrow('the server went away');
  expect(await askAndCount(5_000)).toBe(1);
  clock += 60_000;
  expect(await ask()).toBe(1);
  await settle();
  await counts[2]!.end(new Error('the server went away'));
  expect(await ask()).toBe(1);
});

test('what is forgotten is counted anew, and what was under way then is not kept', async () => {
  const before = ask();
  await settle();
  clock += 5_000;
  forgetCostly(deps, 'everybody');
  const after = ask();
  await settle();
  await counts[0]!.end();
  clock += 5_000;
  await counts[1]!.end();
  expect(await Promise.all([before, after, ask()])).toEqual([0, 1, 1]);
});

test('of many names what no longer holds is dropped, and what holds is kept', async () => {
  deps = { ...deps, remembered: new Map() };
  const give = (name: string, milliseconds: number) => remember(deps, name, milliseconds, () => Promise.resolve(clock));
  const began = clock;
  await give('long', 60_000);
  for (let n = 0; n < 600; n++) await give(`short ${n}`, 10);
  clock += 11;
  await give('another', 10);
  expect([...deps.remembered.keys()]).toEqual(['long', 'another']);
  expect(await give('long', 60_000)).toBe(began);
});
