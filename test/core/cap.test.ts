import { describe, expect, test } from '@jest/globals';
import { findFullCap } from '../../src/core/rules/cap.ts';

const DAY = 86_400_000;
const NOW = Date.parse('2026-12-01T09:00:00Z');
const sent = (campaignId: number, daysAgo: number, brandId = 1) => ({ campaignId, brandId, at: NOW - daysAgo * DAY });
const TWO_A_WEEK = { messages: 2, days: 7, brandId: 1 };

describe('a cap on how often somebody is written to', () => {
  test('is full by as many messages as it allows, and says which', () => {
    expect(findFullCap([TWO_A_WEEK], [sent(1, 3)], NOW)).toBeUndefined();
    const full = findFullCap([TWO_A_WEEK], [sent(2, 1), sent(1, 3), sent(9, 8)], NOW);
    expect(full?.by.map(({ campaignId }) => campaignId)).toEqual([1, 2]);
  });

  test('a message counts for so many days of 24 hours, to the millisecond', () => {
    const cap = { messages: 1, days: 7, brandId: 1 };
    expect(findFullCap([cap], [sent(1, 7)], NOW)).toBeUndefined();
    expect(findFullCap([cap], [{ ...sent(1, 7), at: NOW - 7 * DAY + 1 }], NOW)).toBeDefined();
  });

  test('there is room again when enough of them have grown old', () => {
    const messages = [sent(1, 6), sent(2, 5), sent(3, 1)];
    expect(findFullCap([TWO_A_WEEK], messages, NOW)?.until).toBe(NOW + 2 * DAY);
    expect(findFullCap([TWO_A_WEEK], messages, NOW + 2 * DAY)).toBeUndefined();
    expect(findFullCap([TWO_A_WEEK], messages, NOW + 2 * DAY - 1)).toBeDefined();
  });

  test('one of a brand counts its own messages, one of the organisation those of all', () => {
    const messages = [sent(1, 1, 1), sent(2, 2, 2)];
    expect(findFullCap([TWO_A_WEEK], messages, NOW)).toBeUndefined();
    expect(findFullCap([{ ...TWO_A_WEEK, brandId: null }], messages, NOW)?.by).toHaveLength(2);
  });

  test('of several that are full the longest is named', () => {
    const caps = [
      { messages: 1, days: 2, brandId: 1 },
      { messages: 2, days: 30, brandId: 1 },
    ];
    expect(findFullCap(caps, [sent(1, 1), sent(2, 20)], NOW)?.cap.days).toBe(30);
    expect(findFullCap(caps, [sent(1, 1)], NOW)?.cap.days).toBe(2);
  });
});
