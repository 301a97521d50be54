import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { isOpen, nextChange, windowProblem } from '../../src/core/sending/send-window.ts';
import { instantsOf, minuteOf } from '../../src/core/time/days.ts';

const ZONE = 'Europe/Lisbon';
const WEEKDAYS = { days: [1, 2, 3, 4, 5], from: '09:00', until: '18:00' };
const at = (local: string, which = 0): number => instantsOf(...(local.split(' ') as [string, string]), ZONE)[which]!;

describe('the days and hours in which messages leave', () => {
  test('it is open from the first minute until before the last, on its days', () => {
    // A Thursday.
    expect(isOpen(WEEKDAYS, at('2026-12-03 09:00'), ZONE)).toBe(true);
    expect(isOpen(WEEKDAYS, at('2026-12-03 09:00') - 1, ZONE)).toBe(false);
    expect(isOpen(WEEKDAYS, at('2026-12-03 18:00') - 1, ZONE)).toBe(true);
    expect(isOpen(WEEKDAYS, at('2026-12-03 18:00'), ZONE)).toBe(false);
    expect(isOpen(WEEKDAYS, at('2026-12-05 12:00'), ZONE)).toBe(false);
  });

  test('over midnight it belongs to the day on which it begins', () => {
    const night = { days: [5], from: '22:00', until: '06:00' };
    expect(isOpen(night, at('2026-12-04 23:00'), ZONE)).toBe(true);
    expect(isOpen(night, at('2026-12-05 05:59'), ZONE)).toBe(true);
    expect(isOpen(night, at('2026-12-05 06:00'), ZONE)).toBe(false);
    expect(isOpen(night, at('2026-12-04 05:00'), ZONE)).toBe(false);
    expect(nextChange(night, at('2026-12-04 23:00'), ZONE)).toBe(at('2026-12-05 06:00'));
  });

  test('says when it opens and when it closes', () => {
    expect(nextChange(WEEKDAYS, at('2026-12-04 18:00'), ZONE)).toBe(at('2026-12-07 09:00'));
    expect(nextChange(WEEKDAYS, at('2026-12-04 09:00'), ZONE)).toBe(at('2026-12-04 18:00'));
    const wholeDays = { days: [6, 7], from: '00:00', until: '24:00' };
    expect(isOpen(wholeDays, at('2026-12-05 23:59'), ZONE)).toBe(true);
    expect(nextChange(wholeDays, at('2026-12-05 12:00'), ZONE)).toBe(at('2026-12-07 00:00'));
    const always = { ...wholeDays, days: [1, 2, 3, 4, 5, 6, 7] };
    expect(nextChange(always, at('2026-12-05 12:00'), ZONE)).toBe(Infinity);
  });

  test('where clocks are put forward or back it goes by what they show', () => {
    // On 29 March 2026 there is no time from 01:00 to 02:00, on 25 October there is one twice.
    const early = { days: [7], from: '01:30', until: '03:00' };
    expect(nextChange(early, at('2026-03-29 00:59'), ZONE)).toBe(at('2026-03-29 02:00'));
    expect(nextChange(early, at('2026-03-29 02:00'), ZONE)).toBe(at('2026-03-29 03:00'));
    const twice = { days: [7], from: '01:00', until: '01:30' };
    const first = at('2026-10-25 01:00', 0);
    expect(nextChange(twice, first, ZONE)).toBe(at('2026-10-25 01:30', 0));
    expect(nextChange(twice, at('2026-10-25 01:30', 0), ZONE)).toBe(at('2026-10-25 01:00', 1));
    expect(nextChange(twice, at('2026-10-25 01:00', 1), ZONE)).toBe(at('2026-10-25 01:30', 1));
    // One that lies in the hour that is left out does not open on that day.
    const gone = { days: [7], from: '01:15', until: '01:45' };
    expect(nextChange(gone, at('2026-03-28 12:00'), ZONE)).toBe(at('2026-04-05 01:15'));
  });

  test('a time of day is shown once, twice or never', () => {
    expect(instantsOf('2026-12-03', '08:30', ZONE)).toHaveLength(1);
    expect(instantsOf('2026-10-25', '01:30', ZONE)).toHaveLength(2);
    expect(instantsOf('2026-03-29', '01:30', ZONE)).toEqual([]);
    expect(instantsOf('2026-02-30', '08:30', ZONE)).toEqual([]);
  });

  test('one that never opens is told', () => {
    expect(windowProblem({ ...WEEKDAYS, days: [] })).toContain('no day');
    expect(windowProblem({ ...WEEKDAYS, until: '09:00' })).toContain('never be open');
    expect(windowProblem(WEEKDAYS)).toBeUndefined();
  });

  test('the next change is the first one, whatever the window and the zone', () => {
    const time = fc
      .tuple(fc.nat(23), fc.constantFrom(0, 15, 30, 59))
      .map(([hour, minute]) => `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`);
    const window = fc.record({
      days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
      from: time,
      until: time,
    });
    const instant = fc.integer({ min: Date.parse('2026-03-20Z'), max: Date.parse('2026-11-10Z') });
    fc.assert(
      fc.property(window, instant, fc.constantFrom(ZONE, 'Australia/Lord_Howe', 'UTC'), (given, now, zone) => {
        fc.pre(windowProblem(given) === undefined);
        const open = isOpen(given, now, zone);
        const next = nextChange(given, now, zone);
        expect(isOpen(given, next, zone)).toBe(!open);
        expect(isOpen(given, next - 1, zone)).toBe(open);
        expect(minuteOf(next, zone)).not.toBe(minuteOf(next - 1, zone));
        for (let part = 1; part < 40; part++)
          expect(isOpen(given, now + Math.floor(((next - now) * part) / 40), zone)).toBe(open);
      }),
      { numRuns: 60 },
    );
  });
});
