import { describe, expect, test } from '@jest/globals';
import { judgeWave, sharesOf, wavePlanProblem } from '../../src/core/sending/wave-plan.ts';
import { ENGAGED_FIRST, waveWords } from '../../src/shared/waves.ts';
import type { WavePlan, WaveTest } from '../../src/shared/contract/campaigns.ts';

const FIRST: WavePlan = { of: { condition: 'stage is engaged' }, afterHours: null, at: null, test: null };
const REST: WavePlan = { of: { rest: true }, afterHours: 24, at: null, test: null };
const TEST: WaveTest = {
  delivered: 200,
  hard: 0.01,
  block: null,
  complaints: 0.001,
  unsubscribed: null,
  fewHard: null,
};
const WELL = { tried: 1000, delivered: 990, hard: 5, block: 0, complaints: 0, unsubscribed: 3 };

describe('a plan of waves', () => {
  test('the ready-made one is one; the engaged first, the rest a day later', () => {
    expect(wavePlanProblem(ENGAGED_FIRST)).toBeUndefined();
    expect(ENGAGED_FIRST.map(({ of }) => waveWords(of))).toEqual(['stage is engaged', 'the rest']);
  });

  test.each<[string, WavePlan[], number]>([
    ['The last wave is the rest', [FIRST, { ...REST, of: { share: 0.1 } }], 2],
    ['Only the last wave can be the rest', [{ ...FIRST, of: { rest: true } }, REST], 1],
    ['begins with the campaign', [{ ...FIRST, afterHours: 1 }, REST], 1],
    ['begins with the campaign', [{ ...FIRST, test: TEST }, REST], 1],
    ['Say either', [FIRST, { ...REST, afterHours: null }], 2],
    ['Say either', [FIRST, { ...REST, at: '2026-12-03T08:30:00Z' }], 2],
    [
      'before the one before it',
      [FIRST, { ...FIRST, at: '2026-12-04T08:30:00Z' }, { ...REST, afterHours: null, at: '2026-12-03T08:30:00Z' }],
      3,
    ],
    ['asks for nothing', [FIRST, { ...REST, test: { ...TEST, hard: null, complaints: null } }], 2],
    [
      'more than everybody',
      [{ ...FIRST, of: { share: 0.6 } }, { ...FIRST, of: { share: 0.5 }, afterHours: 1 }, REST],
      1,
    ],
  ])('says what is wrong: %s', (problem, waves, wave) => {
    const found = wavePlanProblem(waves);
    expect(found?.problem).toContain(problem);
    expect(found?.wave).toBe(wave);
  });

  test('random shares lie side by side', () => {
    const share = (of: number): WavePlan => ({ ...FIRST, of: { share: of }, afterHours: 1 });
    expect(sharesOf([share(0.1), FIRST, share(0.25), REST])).toEqual([
      { wave: 1, from: 0, to: 0.1 },
      { wave: 3, from: 0.1, to: 0.35 },
    ]);
    expect(waveWords({ share: 0.1 })).toBe('10 %, by chance');
  });
});

describe('the test of a wave', () => {
  test('goes on while each rate is within its limit, and says them', () => {
    expect(judgeWave(TEST, WELL)).toEqual({
      goesOn: true,
      because: '0.5 % bounced hard, 1 % at most; 0 % complained, 0.1 % at most',
    });
    expect(judgeWave(TEST, { ...WELL, hard: 10 }).goesOn).toBe(true);
    expect(judgeWave(TEST, { ...WELL, hard: 11 })).toEqual({
      goesOn: false,
      because: '1.1 % bounced hard, 1 % at most',
    });
    expect(judgeWave(TEST, { ...WELL, complaints: 1 }).goesOn).toBe(false);
    expect(judgeWave({ ...TEST, hard: 0 }, { ...WELL, hard: 0 }).goesOn).toBe(true);
  });

  test('with too few delivered it cannot be judged, and a person is asked', () => {
    expect(judgeWave(TEST, { ...WELL, delivered: 199 })).toEqual({
      goesOn: false,
      because: 'cannot be judged yet: 199 delivered, 200 asked for',
    });
  });

  test('unless it says what is good enough of few', () => {
    const few = { ...TEST, fewHard: 3 };
    const small = { tried: 100, delivered: 97, hard: 2, block: 0, complaints: 0, unsubscribed: 0 };
    expect(judgeWave(few, small).goesOn).toBe(true);
    expect(judgeWave(few, { ...small, hard: 3 }).goesOn).toBe(false);
    expect(judgeWave(few, { ...small, complaints: 1 }).goesOn).toBe(false);
  });
});
