import { describe, expect, test } from '@jest/globals';
import {
  filled,
  MOST_OF_RECENT,
  nextTry,
  observe,
  risen,
  setPace,
  speaksOfRate,
  type Attempt,
  type Outcome,
  type Pace,
} from '../../src/core/sending/pace.ts';

const T = Date.parse('2026-12-01T08:00:00Z');
const MINUTE = 60_000;
const FREE: Pace = { perHour: null, rate: null, base: null, tokens: 0, tokensAt: T, quietSince: T, recent: [] };
/** So many attempts, one each `every` milliseconds. */
const attempts = (outcome: Outcome, n: number, every = 100, from = T): Attempt[] =>
  Array.from({ length: n }, (_, index) => ({ at: from + index * every, outcome }));
const at600 = setPace(FREE, 600, T);

describe('a rate', () => {
  test('nothing limits what has none; what has one lets whole messages go as they gather', () => {
    expect(filled(FREE, T + MINUTE).room).toBe(Infinity);
    expect(filled(at600, T).room).toBe(0);
    // 600 an hour is one every six seconds.
    expect(filled(at600, T + 5900).room).toBe(0);
    expect(filled(at600, T + 6000).room).toBe(1);
  });

  test('what was not used gathers for ten seconds and no longer, and for one message always', () => {
    const fast = setPace(FREE, 36_000, T);
    expect(filled(fast, T + 5000).room).toBe(50);
    expect(filled(fast, T + 10 * MINUTE).room).toBe(100);
    const slow = setPace(FREE, 6, T);
    expect(filled(slow, T + 9 * MINUTE).room).toBe(0);
    expect(filled(slow, T + 60 * MINUTE).room).toBe(1);
  });

  test('in an hour of looks at odd moments as many go as are set, give or take a few that did not gather, and never more', () => {
    let [pace, gone, now] = [at600, 0, T];
    for (let look = 0; now < T + 60 * MINUTE; look++) {
      now = Math.min(T + 60 * MINUTE, now + 137 + ((look * 7919) % 4001));
      const full = filled(pace, now);
      gone += full.room;
      pace = { ...full, tokens: full.tokens - full.room };
      expect(gone).toBeLessThanOrEqual((600 * (now - T)) / 3_600_000 + 1e-6);
    }
    expect(gone).toBeGreaterThan(590);
  });

  test('a clock that is put back an hour stops nothing, and gives nothing twice', () => {
    const full = filled(setPace(FREE, 36_000, T), T + 5000);
    const spent = { ...full, tokens: 0 };
    expect(filled(spent, T + 4990)).toMatchObject({ room: 0, tokensAt: T + 5000 });
    const back = filled(spent, T - 60 * MINUTE);
    expect(back.room).toBe(0);
    expect(filled(back, T - 60 * MINUTE + 2000).room).toBe(20);
  });
});

describe('backing off', () => {
  test('ten put off of the last fifty halve the rate; nine do not', () => {
    const nine = observe(at600, [...attempts('put-off', 9), ...attempts('went', 40)], T);
    expect(nine).toMatchObject({ halved: false, pace: { rate: 600 } });
    expect(observe(nine.pace, attempts('put-off', 1), T)).toMatchObject({
      halved: true,
      pace: { rate: 300, base: 600, recent: [] },
    });
  });

  test('those put off longer ago than fifty attempts no longer count', () => {
    const before = observe(at600, attempts('put-off', 9), T).pace;
    const after = observe(before, attempts('went', 50), T);
    expect(after).toMatchObject({ halved: false, pace: { recent: [] } });
    expect(observe(after.pace, attempts('put-off', 1), T).halved).toBe(false);
  });

  test('without a setting it is halved from what it last managed', () => {
    // Ten in 0.9 s: 40,000 an hour, taken over a second at least.
    const { pace } = observe(FREE, attempts('put-off', MOST_OF_RECENT), T + 1000);
    expect(pace).toMatchObject({ rate: 18_000, base: 36_000 });
  });

  test('it is halved again and again, but never to less than one a minute, or than the setting if that is less', () => {
    let pace = at600;
    for (let turn = 0; turn < 8; turn++) pace = observe(pace, attempts('put-off', 10), T).pace;
    expect(pace.rate).toBe(60);
    const slow = setPace(FREE, 20, T);
    expect(observe(slow, attempts('put-off', 10), T).pace.rate).toBe(20);
  });

  test('many that were tried at one rate halve it once; one after the other they do each ten times', () => {
    expect(observe(at600, attempts('put-off', 30), T).pace).toMatchObject({ rate: 300, recent: [] });
    const single = attempts('put-off', 30).reduce((pace, one) => observe(pace, [one], T).pace, at600);
    expect(single.rate).toBe(75);
  });

  test('after each minute without one it rises by a tenth of its setting, up to it', () => {
    const { pace } = observe(at600, attempts('put-off', 10), T);
    expect(risen(pace, T + MINUTE - 1).rate).toBe(300);
    expect(risen(pace, T + MINUTE).rate).toBe(360);
    // By looks at odd moments the same as by one.
    const looked = [20, 61, 100, 150, 199].reduce((one, s) => risen(one, T + s * 1000), pace);
    expect(looked.rate).toBe(risen(pace, T + 199_000).rate);
    expect(risen(pace, T + 4 * MINUTE).rate).toBe(540);
    expect(risen(pace, T + 5 * MINUTE)).toMatchObject({ rate: 600, base: null });
  });

  test('one that was put off begins the minute anew', () => {
    const { pace } = observe(at600, attempts('put-off', 10), T);
    const again = observe(pace, attempts('put-off', 1), T + 50_000).pace;
    expect(risen(again, T + MINUTE).rate).toBe(300);
    expect(risen(again, T + 50_000 + MINUTE).rate).toBe(360);
  });

  test('without a setting it ends by going as fast as the relay takes it', () => {
    const { pace } = observe(FREE, attempts('put-off', 10), T);
    expect(risen(pace, T + 6 * MINUTE)).toMatchObject({ rate: null, base: null });
  });

  test('a lower setting holds at once; a higher one leaves a domain that is backed off from where it is', () => {
    const { pace } = observe(at600, attempts('put-off', 10), T);
    expect(setPace(pace, 100, T)).toMatchObject({ perHour: 100, rate: 100, base: null });
    expect(setPace(pace, 1200, T)).toMatchObject({ perHour: 1200, rate: 300, base: 1200 });
    expect(setPace(pace, null, T)).toMatchObject({ perHour: null, rate: 300, base: 600 });
    expect(setPace(at600, null, T)).toMatchObject({ rate: null, base: null });
  });

  test('ten blocks of the last fifty that speak of rate or reputation stop it; nine do not', () => {
    const nine = observe(FREE, attempts('blocked', 9), T);
    expect(nine.blocked).toBe(false);
    expect(observe(nine.pace, attempts('went', 41), T).blocked).toBe(false);
    expect(observe(nine.pace, attempts('blocked', 1), T)).toMatchObject({ blocked: true, halved: false });
  });
});

describe('words of a block', () => {
  test.each([
    '550 5.7.1 Our system has detected an unusual rate of mail from your address',
    '554 5.7.1 blocked: poor reputation of 192.0.2.7',
    '550 5.7.0 too many messages today',
    '554 5.7.1 Service unavailable; client host is listed on dnsbl.example',
  ])('%s: of rate or reputation', (text) => expect(speaksOfRate(text)).toBe(true));

  test.each(['550 5.7.1 attachment not allowed', '550 5.7.26 DMARC check failed', '550 5.6.0 message is malformed'])(
    '%s: of this message',
    (text) => expect(speaksOfRate(text)).toBe(false),
  );
});

describe('who was put off', () => {
  test('waits longer each time, two hours at most, and never past the day after which they are given up', () => {
    expect([0, 1, 2, 3].map((tries) => nextTry(T, T, tries, 60))).toEqual([60, 120, 240, 480]);
    expect(nextTry(T, T, 20, 60)).toBe(7200);
    expect(nextTry(T, T, 5000, 60)).toBe(7200);
    expect(nextTry(T, T + 23.5 * 60 * MINUTE, 9, 60)).toBe(1800);
  });

  test('is given up after 24 hours, however often they were tried', () => {
    expect(nextTry(T, T + 24 * 60 * MINUTE - 1000, 500, 60)).toBe(1);
    expect(nextTry(T, T + 24 * 60 * MINUTE, 1, 60)).toBeUndefined();
  });
});
