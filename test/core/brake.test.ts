import { describe, expect, test } from '@jest/globals';
import {
  DEFAULT_BRAKE_LIMITS as LIMITS,
  findPassed,
  LEAST_TRIED,
  since,
  wilsonLower,
  type BrakeCounts,
} from '../../src/core/health/brake.ts';
import { brakeWords } from '../../src/shared/brake.ts';

const counts = (so: Partial<BrakeCounts>): BrakeCounts => ({
  tried: 1000,
  delivered: 1000,
  hard: 0,
  block: 0,
  complaints: 0,
  unsubscribed: 0,
  ...so,
});

describe('the lower end of the interval', () => {
  // Wilson 1927, worked out by hand for z = 1.96.
  test.each([
    [0, 100, 0],
    [5, 100, 0.0215],
    [50, 1000, 0.0381],
    [1, 1, 0.2065],
  ])('of %i in %i', (events, of, lower) => expect(wilsonLower(events, of)).toBeCloseTo(lower, 4));

  test('of nothing it is nothing', () => expect(wilsonLower(0, 0)).toBe(0));
});

describe('a limit is passed', () => {
  test('by the plain rate over twice of it, once 200 were tried and five events came', () => {
    expect(findPassed(counts({ tried: 200, hard: 13 }), LIMITS)).toMatchObject({ figure: 'hard', events: 13, of: 200 });
    expect(findPassed(counts({ tried: LEAST_TRIED - 1, hard: 60 }), LIMITS)).toBeUndefined();
    expect(findPassed(counts({ tried: 300, delivered: 300, complaints: 4 }), LIMITS)).toBeUndefined();
    expect(findPassed(counts({ tried: 300, delivered: 300, complaints: 5 }), LIMITS)).toMatchObject({
      figure: 'complaints',
      limit: 0.003,
    });
  });

  test('by a rate that is certainly over it, and not by one that may be chance', () => {
    // 4 % of 1,000 may be 3 % still; of 4,000 it is more.
    expect(findPassed(counts({ tried: 1000, hard: 40 }), LIMITS)).toBeUndefined();
    expect(findPassed(counts({ tried: 4000, hard: 160 }), LIMITS)?.figure).toBe('hard');
  });

  test('the figure furthest over its limit is named', () => {
    const both = counts({ tried: 400, delivered: 300, hard: 40, block: 60, unsubscribed: 13 });
    expect(findPassed(both, LIMITS)).toMatchObject({ figure: 'hard', events: 40 });
    expect(findPassed({ ...both, complaints: 6 }, LIMITS)).toMatchObject({ figure: 'complaints' });
  });

  test('where everything bounced, too', () => {
    expect(findPassed(counts({ tried: 200, delivered: 0, hard: 200, complaints: 5 }), LIMITS)).toMatchObject({
      figure: 'complaints',
      of: 5,
    });
  });

  test('what came before somebody went on is taken off', () => {
    const then = counts({ tried: 500, hard: 40, delivered: 460 });
    expect(since(then, counts({ tried: 800, hard: 45, delivered: 755 }))).toMatchObject({
      tried: 300,
      hard: 5,
      delivered: 295,
    });
    // Bounces of older messages that come later leave fewer delivered than before: never less than none.
    expect(since(then, counts({ tried: 500, hard: 80, delivered: 420 }))).toMatchObject({ tried: 0, delivered: 0 });
  });

  test('and is said in words', () => {
    const passed = { figure: 'hard' as const, events: 12, of: 220, limit: 0.03 };
    expect(brakeWords({ ...passed, slice: 'domain hearthmail.example' })).toBe(
      '12 of 220 bounced hard: 5.45 %, over 3 %',
    );
    expect(brakeWords({ ...passed, slice: 'wave 2' })).toContain('bounced hard in wave 2');
  });
});

/** Numbers between 0 and 1, the same each time. */
function draws(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

interface Rates {
  hard: number;
  block: number;
  complaints: number;
  unsubscribed: number;
}

/** Receiving domains as bases have them: two large ones, and smaller and smaller ones. */
const SHARES = [0.35, 0.25, 0.12, 0.1, 0.08, 0.06, 0.04];
const domainOf = (draw: number): number => {
  let sum = 0;
  return SHARES.findIndex((share) => draw < (sum += share));
};

/**
 * Sends one campaign in two waves, one message after the other, and looks at every slice with each event that comes:
 * says after how many messages the brake first stopped something; `Infinity` if it never did.
 */
function send(draw: () => number, messages: number, rates: Rates): number {
  // All of it, its two waves, and its domains.
  const slices = Array.from({ length: 3 + SHARES.length }, () => counts({ tried: 0, delivered: 0 }));
  for (let sent = 1; sent <= messages; sent++) {
    const among = [slices[0]!, slices[sent <= messages / 4 ? 1 : 2]!, slices[3 + domainOf(draw())]!];
    const [fate, act] = [draw(), draw()];
    const fails = fate < rates.hard ? 'hard' : fate < rates.hard + rates.block ? 'block' : undefined;
    const acts = act < rates.complaints ? 'complaints' : act < rates.complaints + rates.unsubscribed && 'unsubscribed';
    for (const slice of among) {
      slice.tried += 1;
      if (fails) slice[fails] += 1;
      else {
        slice.delivered += 1;
        if (acts) slice[acts] += 1;
      }
      if ((fails || acts || slice.tried === LEAST_TRIED) && findPassed(slice, LIMITS)) return sent;
    }
  }
  return Infinity;
}

describe('a simulated year', () => {
  const CAMPAIGNS = 1000;
  const MESSAGES = 6000;

  test('of healthy campaigns: fewer than 1 in 100 are stopped for nothing, watched at every event in all slices', () => {
    const draw = draws(20_261_201);
    const healthy = { hard: 0.004, block: 0.004, complaints: 0.0003, unsubscribed: 0.003 };
    const stopped = Array.from({ length: CAMPAIGNS }, () => send(draw, MESSAGES, healthy)).filter(
      Number.isFinite,
    ).length;
    expect(stopped).toBeLessThan(CAMPAIGNS / 100);
  });

  test('at the healthy limit of complaints, 0.1 %, too', () => {
    const draw = draws(7);
    const atLimit = { hard: 0.004, block: 0.004, complaints: 0.001, unsubscribed: 0.003 };
    const stopped = Array.from({ length: 250 }, () => send(draw, MESSAGES, atLimit)).filter(Number.isFinite).length;
    expect(stopped).toBeLessThan(250 / 20);
  });

  test.each<[string, Partial<Rates>, number]>([
    ['8 % bounce hard', { hard: 0.08 }, 500],
    ['20 % bounce hard', { hard: 0.2 }, 250],
    ['1 % complain', { complaints: 0.01 }, 1500],
    ['15 % are blocked', { block: 0.15 }, 500],
  ])('bad lists are stopped: where %j, 95 of 100 campaigns within %j %i messages', (_, bad, within) => {
    const draw = draws(41);
    const rates = { hard: 0.004, block: 0.004, complaints: 0.0003, unsubscribed: 0.003, ...bad };
    const ends = Array.from({ length: 300 }, () => send(draw, 20_000, rates)).sort((a, b) => a - b);
    expect(ends[Math.floor(ends.length * 0.95)]).toBeLessThanOrEqual(within);
  });
});
