import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { findSeverities, saveSeverities } from '../../src/operations/addresses/domain-facts.ts';
import { findRetention, saveRetention } from '../../src/operations/organisation/retention.ts';
import { findStormRule, saveStormRule } from '../../src/operations/storms/storms.ts';
import { findVerdictActs, saveVerdictActs } from '../../src/operations/verifications/verify.ts';
import type { StormRule } from '../../src/core/rules/storm.ts';
import type { Severities } from '../../src/core/address/check-address.ts';
import type { Retention } from '../../src/shared/retention.ts';
import type { VerdictActs } from '../../src/shared/contract/verifications.ts';
import { makeDeps } from '../support/database.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
beforeAll(async () => void (deps = await makeDeps()));
afterAll(() => deps.close());

const ROSA = 'Rosa Lindgard';
const IDA = 'Ida Holmqvist';

/** Two people change different parts at one instant, again and again: both find what they said. */
async function bothAreKept<T extends object>(
  save: (change: Partial<T>, actor: string) => Promise<T>,
  find: () => Promise<T>,
  changes: [Partial<T>, Partial<T>][],
): Promise<void> {
  for (const [hers, theirs] of changes) {
    await Promise.all([save(hers, ROSA), save(theirs, IDA)]);
    expect(await find()).toMatchObject({ ...hers, ...theirs });
  }
}

/** Values that alternate, so that whoever writes an old one over a new one is seen. */
const turns = <T>(make: (turn: number) => [Partial<T>, Partial<T>]): [Partial<T>, Partial<T>][] =>
  Array.from({ length: 12 }, (_, turn) => make(turn));

test('of two people who change different days of retention at once, neither loses what they said', () =>
  bothAreKept<Retention>(
    (change, actor) => saveRetention(deps, change, actor),
    () => findRetention(deps),
    turns<Retention>((turn) => [{ networkDays: 90 + turn }, { unmatchedDays: 30 + turn }]),
  ));

test('nor with different parts of the storm rule', () =>
  bothAreKept<StormRule>(
    (change, actor) => saveStormRule(deps, change, actor),
    () => findStormRule(deps.database),
    turns<StormRule>((turn) => [{ days: 20 + turn }, { least: 20 + turn }]),
  ));

test('nor with the severities of different codes', () =>
  bothAreKept<Severities>(
    (change, actor) => saveSeverities(deps, change, actor),
    () => findSeverities(deps),
    turns<Severities>((turn) => [
      { 'no-exchanger': turn % 2 ? 'note' : 'hold' },
      { 'role-name': turn % 2 ? 'hold' : 'note' },
    ]),
  ));

test('nor with what is done on different verdicts', () =>
  bothAreKept<VerdictActs>(
    (change, actor) => saveVerdictActs(deps, change, actor),
    () => findVerdictActs(deps),
    turns<VerdictActs>((turn) => [
      { undeliverable: turn % 2 ? 'tag' : 'nothing' },
      { risky: turn % 2 ? 'nothing' : 'tag' },
    ]),
  ));
