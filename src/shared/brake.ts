import type { Brake, BrakeFigure } from './contract/pace.ts';
import { sharePercent } from './waves.ts';

const WORDS: Readonly<Record<BrakeFigure, string>> = {
  hard: 'bounced hard',
  block: 'were blocked',
  complaints: 'complained',
  unsubscribed: 'unsubscribed',
};

const DOMAIN = 'domain ';

/** The receiving domain that a slice is about; null for the campaign or a wave of it. */
export const domainOfSlice = (slice: string): string | null =>
  slice.startsWith(DOMAIN) ? slice.slice(DOMAIN.length) : null;

type Passed = Pick<Brake, 'slice' | 'figure' | 'events' | 'of' | 'limit'>;

/** Which figure it is: `12 of 220 bounced hard`, and in a wave which one. */
export function brakeFigure({ slice, figure, events, of }: Passed): string {
  const where = slice.startsWith('wave ') ? ` in ${slice}` : '';
  return `${events} of ${of} ${WORDS[figure]}${where}`;
}

/** Which limit it passed: `5.5 %, over 3 %`. */
export const brakeRate = ({ events, of, limit }: Passed): string =>
  `${sharePercent(events / of)}, over ${sharePercent(limit)}`;

/** Which figure passed which limit: `12 of 220 bounced hard: 5.5 %, over 3 %`. */
export const brakeWords = (passed: Passed): string => `${brakeFigure(passed)}: ${brakeRate(passed)}`;
