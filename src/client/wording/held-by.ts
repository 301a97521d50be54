import type { CappedBy, LeftOutBy } from '../../shared/contract/held-by.ts';

const KIND_WORDS: Record<LeftOutBy['kind'], string> = {
  list: 'on the list',
  segment: 'in the segment',
  exclusion: 'standing exclusion',
};

/** What leaves somebody out: `standing exclusion “Bounced lately”`. */
export const leftOutWords = ({ kind, name }: LeftOutBy): string => `${KIND_WORDS[kind]} “${name}”`;

/** A cap: `2 messages in 7 days`. */
export const capWords = ({ messages, days }: { messages: number; days: number }): string =>
  `${messages} ${messages === 1 ? 'message' : 'messages'} in ${days} ${days === 1 ? 'day' : 'days'}`;

/** Whose messages a cap counts. */
export const OF_CAP: Record<CappedBy['of'], string> = {
  organisation: 'of all brands',
  brand: 'of this brand',
  campaign: 'asked by this campaign',
};

/** What holds somebody back beyond the word for it: what leaves them out, or the cap with the messages that fill it. */
export function heldByWords(
  { leftOutBy, cappedBy }: { leftOutBy: LeftOutBy | null; cappedBy: CappedBy | null },
  momentOf: (instant: string) => string,
): string {
  const filled = cappedBy?.by.map(({ name, at }) => `${name} (${momentOf(at)})`).join(', ');
  return [
    ...(leftOutBy ? [leftOutWords(leftOutBy)] : []),
    ...(cappedBy ? [`${capWords(cappedBy)}, ${OF_CAP[cappedBy.of]}: ${filled}`] : []),
  ].join('; ');
}
