import type { WavePlan, WaveTest } from '../../shared/contract/campaigns.ts';
import { sharePercent } from '../../shared/waves.ts';

/** What keeps a plan from being one, with the wave that it is about, from 1. */
export function wavePlanProblem(waves: readonly WavePlan[]): { wave: number; problem: string } | undefined {
  const shares = waves.reduce((sum, { of }) => sum + ('share' in of ? of.share : 0), 0);
  for (const [index, { of, afterHours, at, test }] of waves.entries()) {
    const wave = index + 1;
    const isLast = wave === waves.length;
    if ('rest' in of !== isLast)
      return {
        wave,
        problem: isLast
          ? 'The last wave is the rest, so that everybody belongs to one.'
          : 'Only the last wave can be the rest.',
      };
    if (index === 0 && (afterHours !== null || at !== null || test !== null))
      return { wave, problem: 'The first wave begins with the campaign, and waits for none.' };
    if (index > 0 && (afterHours === null) === (at === null))
      return { wave, problem: 'Say either how many hours after the one before it begins, or when.' };
    const before = waves[index - 1]?.at;
    if (at && before && Date.parse(at) < Date.parse(before))
      return { wave, problem: 'It would begin before the one before it.' };
    if (test && [test.hard, test.block, test.complaints, test.unsubscribed].every((limit) => limit === null))
      return { wave, problem: 'Its test asks for nothing.' };
  }
  return shares > 1 ? { wave: 1, problem: 'The shares come to more than everybody.' } : undefined;
}

/** Where the random shares of a plan lie between 0 and 1: whoever draws a number in between belongs to that wave. */
export function sharesOf(waves: readonly WavePlan[]): { wave: number; from: number; to: number }[] {
  let from = 0;
  return waves.flatMap(({ of }, index) => {
    if (!('share' in of)) return [];
    const [start, to] = [from, from + of.share];
    from = to;
    return [{ wave: index + 1, from: start, to }];
  });
}

/** What became of a wave so far. */
export interface WaveFigures {
  /** Accepted, refused or of unknown end. */
  tried: number;
  delivered: number;
  hard: number;
  block: number;
  complaints: number;
  unsubscribed: number;
}

/** Whether the next wave begins by itself, and what was found. */
export interface WaveVerdict {
  goesOn: boolean;
  because: string;
}

/** Holds what became of a wave beside what the next one asks of it. */
export function judgeWave(test: WaveTest, found: WaveFigures): WaveVerdict {
  if (found.delivered < test.delivered) {
    const few = `${found.delivered} delivered, ${test.delivered} asked for`;
    if (test.fewHard === null) return { goesOn: false, because: `cannot be judged yet: ${few}` };
    const is = `${found.hard} bounced hard, ${found.complaints} complained, with ${few}`;
    return { goesOn: found.hard < test.fewHard && found.complaints === 0, because: is };
  }
  const rates = [
    ['bounced hard', test.hard, found.hard, found.tried],
    ['were blocked', test.block, found.block, found.tried],
    ['complained', test.complaints, found.complaints, found.delivered],
    ['unsubscribed', test.unsubscribed, found.unsubscribed, found.delivered],
  ] as const;
  const said = rates.flatMap(([words, limit, count, of]) => {
    const rate = of === 0 ? 0 : count / of;
    return limit === null
      ? []
      : [{ passed: rate > limit, text: `${sharePercent(rate)} ${words}, ${sharePercent(limit)} at most` }];
  });
  const passed = said.filter((one) => one.passed);
  return {
    goesOn: passed.length === 0,
    because: (passed.length > 0 ? passed : said).map(({ text }) => text).join('; '),
  };
}
