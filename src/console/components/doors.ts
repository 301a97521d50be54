import type { Among } from '../../shared/words.ts';

/** Where figures lead: lists of exactly whom they count. */

/** The contacts whom a condition matches, of whichever brand they are. */
export const whoMatch = (condition: string): string => `/contacts?of=all&where=${encodeURIComponent(condition)}`;

/** The contacts whom a figure of the brand counts; since an instant, where it counts since one. */
export const whoIsAmong = (among: Among, since?: string): string =>
  `/contacts?among=${among}${since === undefined ? '' : `&since=${since}`}`;

/** One entry among those of its list. */
export const entryPath = ({ listId, value }: { listId: number; value: string }): string =>
  `/suppression?list=${listId}&part=${encodeURIComponent(value)}`;
