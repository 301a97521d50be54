import type { WavePlan } from './contract/campaigns.ts';

/** The most engaged first, the rest a day later if that went well. */
export const ENGAGED_FIRST: WavePlan[] = [
  { of: { condition: 'stage is engaged' }, afterHours: null, at: null, test: null },
  {
    of: { rest: true },
    afterHours: 24,
    at: null,
    test: { delivered: 200, hard: 0.02, block: 0.03, complaints: 0.001, unsubscribed: null, fewHard: 3 },
  },
];

/** A share in words: `0.5 %`. */
export const sharePercent = (share: number): string => `${Number((100 * share).toFixed(2))} %`;

/** Who a wave is for, in words. */
export function waveWords(of: WavePlan['of']): string {
  if ('rest' in of) return 'the rest';
  return 'condition' in of ? of.condition : `${sharePercent(of.share)}, by chance`;
}
