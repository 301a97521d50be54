import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { FRESH, rests, standingAfter, type RelayOutcome } from '../../src/core/sending/relay-standing.ts';

const T = 1_800_000_000_000;
/** How a relay stands after these, each when the rest after the one before is over. */
function after(...outcomes: RelayOutcome[]): { waits: number[]; standing: typeof FRESH } {
  let [standing, now] = [FRESH, T];
  const waits: number[] = [];
  for (const outcome of outcomes) {
    standing = standingAfter(standing, outcome, now);
    waits.push(Math.max(0, standing.restsUntil - now));
    now = Math.max(now, standing.restsUntil);
  }
  return { waits, standing };
}

test('a relay in trouble rests a second, then twice as long each time, half a minute at most', () => {
  const seven = Array.from({ length: 7 }, () => 'trouble' as const);
  expect(after(...seven).waits).toEqual([1000, 2000, 4000, 8000, 16_000, 30_000, 30_000]);
});

test('once it has answered, it begins anew', () => {
  expect(after('trouble', 'trouble', 'answered', 'trouble').waits).toEqual([1000, 2000, 0, 1000]);
});

test('many that fail at once are one trouble, and one that answered in the meantime ends no rest', () => {
  let standing = FRESH;
  for (let lane = 0; lane < 8; lane++) standing = standingAfter(standing, 'trouble', T + lane);
  expect(standing).toMatchObject({ troubles: 1, restsUntil: T + 1000 });
  standing = standingAfter(standing, 'answered', T + 10);
  expect(rests(standing, T + 999)).toBe(true);
  expect(rests(standing, T + 1000)).toBe(false);
});

test('one line that breaks is nothing; three in a row are, and then one more each time', () => {
  expect(after('broke', 'broke', 'answered', 'broke', 'broke').waits).toEqual([0, 0, 0, 0, 0]);
  expect(after('broke', 'broke', 'broke', 'broke').waits).toEqual([0, 0, 60_000, 60_000]);
});

test('whatever happens, it rests a minute at most, and is used again after', () => {
  const outcome = fc.constantFrom<RelayOutcome>('answered', 'trouble', 'broke');
  fc.assert(
    fc.property(fc.array(fc.tuple(outcome, fc.nat(90_000)), { maxLength: 60 }), (steps) => {
      let [standing, now] = [FRESH, T];
      for (const [said, wait] of steps) {
        now += wait;
        standing = standingAfter(standing, said, now);
        expect(standing.restsUntil).toBeLessThanOrEqual(now + 60_000);
        if (said === 'trouble') expect(rests(standing, now)).toBe(true);
      }
      expect(rests(standing, now + 60_000)).toBe(false);
    }),
  );
});
