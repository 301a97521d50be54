import type { Reason } from '../../shared/words.ts';

/** What a message of purpose service reaches somebody in spite of, as “… although”. */
export const IN_SPITE_WORDS: Readonly<Partial<Record<Reason, string>>> = {
  complained: 'they complained',
  unsubscribed: 'they opted out',
  sunset: 'they are at sunset',
};
