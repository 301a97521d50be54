import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  applies,
  decideVerdict,
  type EligibilityFacts,
  type MatchingEntry,
} from '../../src/core/eligibility/decide-verdict.ts';
import { REASONS, type BuiltInList } from '../../src/shared/words.ts';

const FINE: EligibilityFacts = {
  erased: false,
  archived: false,
  deliverability: 'deliverable',
  entries: [],
  subscriptions: [{ listId: 1, state: 'subscribed' }],
  leftOut: false,
  capped: false,
  alreadySent: false,
};
const MARKETING = { brandId: 1, listIds: [1], purpose: 'marketing' as const };
const SERVICE = { ...MARKETING, purpose: 'service' as const };

const entry = (change: Partial<MatchingEntry>): MatchingEntry => ({
  entryId: '1',
  listId: 1,
  listName: 'Do not write',
  builtIn: null,
  scope: 'organisation',
  scopeId: null,
  reach: 'everything',
  ...change,
});
const reasons = (facts: Partial<EligibilityFacts>, message: typeof MARKETING | typeof SERVICE = MARKETING): string[] =>
  decideVerdict({ ...FINE, ...facts }, message).reasons;

describe('may this contact receive this message', () => {
  test('someone subscribed and unmarked may', () => {
    expect(decideVerdict(FINE, MARKETING)).toEqual({ eligible: true, deciding: undefined, reasons: [] });
  });

  test.each<[BuiltInList, string]>([
    ['hard-bounce', 'undeliverable'],
    ['bounce-count', 'undeliverable'],
    ['invalid', 'undeliverable'],
    ['spam-trap', 'undeliverable'],
    ['erasure', 'erased'],
    ['complaint', 'complained'],
    ['opt-out', 'unsubscribed'],
    ['sunset', 'sunset'],
  ])('an entry on the list %s holds back as %s', (builtIn, reason) => {
    expect(reasons({ entries: [entry({ builtIn })] })).toEqual([reason]);
  });

  test('each state of the subscriptions says its own reason; one that is subscribed is enough', () => {
    expect(reasons({ subscriptions: [] })).toEqual(['no-permission']);
    expect(reasons({ subscriptions: [{ listId: 1, state: 'pending' }] })).toEqual(['unconfirmed']);
    expect(reasons({ subscriptions: [{ listId: 1, state: 'unsubscribed' }] })).toEqual(['unsubscribed']);
    expect(
      reasons({
        subscriptions: [
          { listId: 1, state: 'unsubscribed' },
          { listId: 2, state: 'pending' },
        ],
      }),
    ).toEqual(['unconfirmed']);
    expect(
      reasons({
        subscriptions: [
          { listId: 1, state: 'unsubscribed' },
          { listId: 2, state: 'subscribed' },
        ],
      }),
    ).toEqual([]);
  });

  test('a service message is stopped by what reaches everything, and by nothing that is about marketing', () => {
    const marketingOnly = entry({ builtIn: 'complaint', reach: 'marketing' });
    expect(reasons({ entries: [marketingOnly], subscriptions: [] }, SERVICE)).toEqual([]);
    expect(reasons({ entries: [entry({ builtIn: 'hard-bounce' })] }, SERVICE)).toEqual(['undeliverable']);
    expect(reasons({ entries: [entry({ builtIn: 'complaint', reach: 'everything' })] }, SERVICE)).toEqual([
      'complained',
    ]);
    expect(reasons({ archived: true }, SERVICE)).toEqual(['archived']);
    expect(reasons({ deliverability: 'undeliverable' }, SERVICE)).toEqual(['undeliverable']);
    expect(reasons({ capped: true }, SERVICE)).toEqual([]);
    expect(reasons({ capped: true, alreadySent: true })).toEqual(['capped', 'duplicate']);
  });

  test('an entry applies within its scope only', () => {
    expect(applies(entry({ scope: 'brand', scopeId: 1 }), MARKETING)).toBe(true);
    expect(applies(entry({ scope: 'brand', scopeId: 2 }), MARKETING)).toBe(false);
    expect(applies(entry({ scope: 'list', scopeId: 1 }), MARKETING)).toBe(true);
    expect(applies(entry({ scope: 'list', scopeId: 1 }), { ...MARKETING, listIds: [1, 2] })).toBe(false);
    expect(applies(entry({ scope: 'list', scopeId: 1 }), { ...MARKETING, listIds: [] })).toBe(false);
  });

  test('whatever applies, all reasons are kept, in the order in which they decide, each once', () => {
    const builtIn = fc.constantFrom<BuiltInList | null>(
      null,
      'hard-bounce',
      'complaint',
      'opt-out',
      'sunset',
      'erasure',
    );
    const facts = fc.record({
      erased: fc.boolean(),
      archived: fc.boolean(),
      deliverability: fc.constantFrom('deliverable' as const, 'doubtful' as const, 'undeliverable' as const),
      entries: fc.array(builtIn.map((name) => entry({ builtIn: name }))),
      subscriptions: fc.array(
        fc.record({
          listId: fc.constantFrom(1, 2),
          state: fc.constantFrom('pending' as const, 'subscribed' as const, 'unsubscribed' as const),
        }),
      ),
      leftOut: fc.boolean(),
      capped: fc.boolean(),
      alreadySent: fc.boolean(),
    });
    fc.assert(
      fc.property(facts, (given) => {
        const verdict = decideVerdict(given, MARKETING);
        const places = verdict.reasons.map((reason) => REASONS.indexOf(reason));
        expect(places).toEqual([...new Set(places)].sort((a, b) => a - b));
        expect(verdict.deciding).toBe(verdict.reasons[0]);
        expect(verdict.eligible).toBe(verdict.reasons.length === 0);
        expect(verdict.reasons.includes('archived')).toBe(given.archived);
        expect(verdict.reasons.includes('left-out')).toBe(given.leftOut);
        expect(verdict.reasons.includes('capped')).toBe(given.capped);
        expect(verdict.reasons.includes('duplicate')).toBe(given.alreadySent);
      }),
    );
  });
});
