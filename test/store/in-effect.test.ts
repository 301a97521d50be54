import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { inEffectSql, isInEffect } from '../../src/core/eligibility/in-effect.ts';
import { makeDeps } from '../support/database.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
beforeAll(async () => {
  deps = await makeDeps();
});
afterAll(() => deps.close());

const NOW = new Date('2026-11-20T09:00:00Z');
const at = (seconds: number): Date => new Date(NOW.getTime() + seconds * 1000);

test.each([
  ['stands, without an end', null, null, true],
  ['stands, and ends later', null, at(1), true],
  ['ends in this very instant', null, NOW, false],
  ['has ended', null, at(-1), false],
  ['was lifted', at(-1), null, false],
  ['was lifted before its end', at(-1), at(60), false],
])('an entry that %s', async (_, liftedAt, expiresAt, inEffect) => {
  expect(isInEffect({ liftedAt, expiresAt }, NOW)).toBe(inEffect);
  const [row] = await deps.database.query<{ yes: boolean }[]>(
    `SELECT ${inEffectSql('$3')} AS yes FROM (SELECT $1::timestamptz AS lifted_at, $2::timestamptz AS expires_at) e`,
    [liftedAt, expiresAt, NOW],
  );
  expect(row!.yes).toBe(inEffect);
});
