import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { dayAfter, dayOf, dayOrInstant, minuteOf, startOfDay } from '../../src/core/time/days.ts';

const ZONES = ['UTC', 'Europe/Lisbon', 'America/New_York', 'Asia/Kolkata', 'Pacific/Kiritimati', 'America/Sao_Paulo'];
const DAY = 86_400_000;

describe('days of a zone', () => {
  test('an instant falls on another day further east or west', () => {
    const instant = Date.parse('2026-03-01T01:30:00Z');
    expect(ZONES.map((zone) => minuteOf(instant, zone))).toEqual([
      '2026-03-01 01:30',
      '2026-03-01 01:30',
      '2026-02-28 20:30',
      '2026-03-01 07:00',
      '2026-03-01 15:30',
      '2026-02-28 22:30',
    ]);
  });

  test('a day begins at its midnight, also where that hour is left out or comes twice', () => {
    expect(new Date(startOfDay('2026-03-29', 'Europe/Lisbon')).toISOString()).toBe('2026-03-29T00:00:00.000Z');
    expect(new Date(startOfDay('2026-11-01', 'America/New_York')).toISOString()).toBe('2026-11-01T04:00:00.000Z');
    // In São Paulo the clocks went from 00:00 to 01:00 on that day.
    expect(new Date(startOfDay('2018-11-04', 'America/Sao_Paulo')).toISOString()).toBe('2018-11-04T03:00:00.000Z');
  });

  test('every instant lies between the beginning of its day and that of the day after', () => {
    const instants = fc.integer({ min: Date.parse('1990-01-01'), max: Date.parse('2040-01-01') });
    fc.assert(
      fc.property(instants, fc.constantFrom(...ZONES), (instant, zone) => {
        const day = dayOf(instant, zone);
        expect(startOfDay(day, zone)).toBeLessThanOrEqual(instant);
        expect(startOfDay(dayAfter(day), zone)).toBeGreaterThan(instant);
        expect(Math.abs(startOfDay(dayAfter(day), zone) - startOfDay(day, zone) - DAY)).toBeLessThanOrEqual(
          2 * 3_600_000,
        );
      }),
    );
  });

  test('what is no day of the calendar stays as it was typed', () => {
    expect(dayOrInstant('2026-03-01', 'America/New_York')).toBe('2026-03-01T05:00:00.000Z');
    for (const typed of ['2026-02-30', '2026-13-01', '2026-3-1', '2026-03-01T12:00:00Z', 'tomorrow', ''])
      expect(dayOrInstant(typed, 'America/New_York')).toBe(typed);
  });
});
