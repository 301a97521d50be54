import { readFileSync } from 'node:fs';
import { describe, expect, test } from '@jest/globals';
import {
  CONSENT,
  consentMarkdown,
  hardestOf,
  mayEnd,
  standingOfEntry,
  standingOfState,
  STANDINGS,
  WAYS,
  whyStaffMayNotLift,
} from '../../src/core/consent/consent-table.ts';
import { listsToLeave } from '../../src/core/consent/leaving.ts';
import { BUILT_IN_LISTS, ENDED_BY } from '../../src/shared/words.ts';

describe('invariant 17, their word', () => {
  const said = ['complaint', 'opt-out', 'left', 'erasure'] as const;

  test('no act of staff, import, rule or undo ends a complaint, an opt-out, a leaving or an erasure', () => {
    for (const standing of said)
      for (const way of ['staff', 'import', 'rule', 'undo', 'engagement'] as const)
        expect([standing, way, mayEnd(standing, way)]).toEqual([standing, way, 'not']);
  });

  test('a link alone ends nothing and signs nobody up: what is chosen behind one is confirmed first, or stays', () => {
    for (const standing of STANDINGS)
      expect([standing, mayEnd(standing, 'preferences')]).not.toEqual([standing, 'may']);
  });

  test('an import lifts nothing: it only takes in who was never on the list', () => {
    expect(STANDINGS.filter((standing) => mayEnd(standing, 'import') !== 'not')).toEqual(['never']);
  });

  test('whatever stands, somebody can end it or it says that nobody can', () => {
    for (const standing of STANDINGS) {
      const ways = WAYS.filter((way) => mayEnd(standing, way) === 'may');
      if (standing === 'erasure') expect([ways, CONSENT.erasure.only]).toEqual([[], expect.stringMatching(/nobody/)]);
      else expect([standing, ways.length]).not.toEqual([standing, 0]);
    }
  });
});

test('what stands, by entry and by state: only what is known not to be the contact’s word is not taken for it', () => {
  for (const builtIn of BUILT_IN_LISTS) expect(STANDINGS).toContain(standingOfEntry(builtIn, null));
  expect(ENDED_BY.map((endedBy) => standingOfEntry('opt-out', endedBy))).toEqual([
    'opt-out',
    'taken-off-by-staff',
    'taken-off-by-rule',
    'taken-off-by-rule',
  ]);
  expect(standingOfEntry('opt-out', null)).toBe('opt-out');
  expect(standingOfEntry('complaint', 'staff')).toBe('complaint');
  expect(standingOfState('unsubscribed', null)).toBe('left');
  expect(standingOfState('unsubscribed', 'staff')).toBe('taken-off-by-staff');
  expect([standingOfState('subscribed', null), standingOfState('pending', null), standingOfState(null, null)]).toEqual([
    undefined,
    'pending',
    'never',
  ]);
  expect(BUILT_IN_LISTS.filter((builtIn) => whyStaffMayNotLift(builtIn, 'contact') !== null)).toEqual([
    'erasure',
    'complaint',
    'opt-out',
  ]);
  expect([whyStaffMayNotLift('opt-out', 'staff'), whyStaffMayNotLift(null, null)]).toEqual([null, null]);
});

test('of several things that stand, the hardest answer decides', () => {
  expect([hardestOf([]), hardestOf(['may', 'confirm']), hardestOf(['confirm', 'not', 'may'])]).toEqual([
    'may',
    'confirm',
    'not',
  ]);
});

test('leaving by a message is leaving the lists that it came from, or the brand where it came from none', () => {
  const left = { purpose: 'marketing' as const, listIds: [3, 4], bySegment: false };
  expect(listsToLeave(left)).toEqual([3, 4]);
  expect(listsToLeave({ ...left, bySegment: true })).toBeNull();
  expect(listsToLeave({ ...left, purpose: 'service' })).toBeNull();
  expect(listsToLeave({ ...left, listIds: [] })).toBeNull();
});

test('docs/consent.md prints the table as it is', () => {
  expect(readFileSync('docs/consent.md', 'utf8')).toContain(consentMarkdown());
});
