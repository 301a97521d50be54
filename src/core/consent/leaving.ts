import type { Purpose } from '../../shared/words.ts';

/** The message by which somebody leaves: what it was, and from which lists it came to them. */
export interface LeftBy {
  purpose: Purpose;
  listIds: readonly number[];
  /** A segment took them in. */
  bySegment: boolean;
}

/**
 * What leaving by a message means, by whichever way it is said: the lists that it came from. A message that came by a
 * segment, and one of purpose service, has none: then it is the brand's marketing, as `null` says.
 */
export function listsToLeave({ purpose, listIds, bySegment }: LeftBy): number[] | null {
  return purpose === 'service' || bySegment || listIds.length === 0 ? null : [...listIds];
}
