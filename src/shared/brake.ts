import type { Brake, BrakeFigure } from './contract/pace.ts';
import { sharePercent } from './waves.ts';

const WORDS: Readonly<Record<BrakeFigure, string>> = {
  hard: 'bounced hard',
  block: 'were blocked',
  complaints: 'complained',
  unsubscribed: 'unsubscribed',
};

/** Which figure passed which limit: `12 of 220 bounced hard: 5.5 %, over 3 %`, and in a wave which one. */
export function brakeWords({
  slice,
  figure,
  events,
  of,
  limit,
}: Pick<Brake, 'slice' | 'figure' | 'events' | 'of' | 'limit'>): string {
  const where = slice.startsWith('wave ') ? ` in ${slice}` : '';
  return `${events} of ${of} ${WORDS[figure]}${where}: ${sharePercent(events / of)}, over ${sharePercent(limit)}`;
}
