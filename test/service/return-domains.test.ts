import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { changeBrand, createBrand } from '../../src/operations/organisation/set-up.ts';
import { makeReturnDomains } from '../../src/service/intake/return-domains.ts';
import { makeDeps } from '../support/database.ts';
import { makeShop } from '../support/parts.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
beforeAll(async () => {
  deps = await makeDeps();
  await createBrand(deps, {
    name: 'Larkfield Observatory',
    fromAddress: 'digest@larkfield.example',
    returnDomain: 'Returns.larkfield.example',
    zone: 'UTC',
  });
});
afterAll(() => deps.close());

test('many who ask at once, before anything is known, are all told the same; case does not matter', async () => {
  const isOurs = makeReturnDomains(deps);
  const asked = Array.from({ length: 20 }, (_, index) => isOurs(`b.${index}@returns.LARKFIELD.example`));
  expect(new Set(await Promise.all(asked))).toEqual(new Set([true]));
});

test('a domain of a new brand is known a second later; one of nobody never, nor one below ours', async () => {
  const isOurs = makeReturnDomains(deps);
  expect(await isOurs('b.x@returns.shop.larkfield.example')).toBe(false);
  await makeShop(deps);
  deps.clock.now = new Date(deps.clock.now.getTime() + 1000);
  expect(await isOurs('b.x@returns.shop.larkfield.example')).toBe(true);
  for (const other of ['a@larkfield.example', 'a@deeper.returns.larkfield.example', 'nothing', ''])
    expect(await isOurs(other)).toBe(false);
});

test('mail for the domain that a brand had before is taken on: messages that are out come back to it', async () => {
  const brand = await createBrand(deps, {
    name: 'Larkfield Press',
    fromAddress: 'press@larkfield.example',
    returnDomain: 'back.larkfield.example',
    zone: 'UTC',
  });
  await changeBrand(deps, brand.id, { returnDomain: 'Back2.larkfield.example' });
  await changeBrand(deps, brand.id, { name: 'Larkfield Papers' });
  const isOurs = makeReturnDomains(deps);
  expect(await isOurs('b.x@back.larkfield.example')).toBe(true);
  expect(await isOurs('b.x@back2.larkfield.example')).toBe(true);
});

test('a lookup that failed is no answer: the next asks again', async () => {
  let fails = true;
  const database = { query: (sql: string) => (fails ? Promise.reject(new Error('away')) : deps.database.query(sql)) };
  const isOurs = makeReturnDomains({ database: database as never, now: deps.now });
  await expect(isOurs('b.x@returns.larkfield.example')).rejects.toThrow('away');
  fails = false;
  expect(await isOurs('b.x@returns.larkfield.example')).toBe(true);
});
