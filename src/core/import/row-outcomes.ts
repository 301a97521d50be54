import type { RowProblem } from './read-table.ts';

/** What became of one row of a file; the part after the colon is the code. */
export type RowOutcome =
  | 'created' | 'updated' | 'unchanged' | 'duplicate' | 'suppressed' | 'suppressed:unsubscribed' | `refused:${RowProblem}`; // prettier-ignore

/** Each outcome by one letter, as kept for a chunk of rows: a chunk is one text, and two million rows are two megabytes. Letters are never given another meaning. */
export const OUTCOME_LETTERS: Readonly<Record<RowOutcome, string>> = {
  created: 'c',
  updated: 'u',
  unchanged: '=',
  duplicate: 'd',
  suppressed: 's',
  'suppressed:unsubscribed': 'l',
  'refused:empty': 'E',
  'refused:too-long': 'T',
  'refused:no-at-sign': 'A',
  'refused:bad-local-part': 'L',
  'refused:bad-domain': 'D',
  'refused:control-character': 'I',
  'refused:column-count': 'C',
  'refused:unreadable-row': 'U',
  'refused:bad-date': 'J',
  'refused:erased': 'X',
};

const BY_LETTER = new Map(Object.entries(OUTCOME_LETTERS).map(([outcome, letter]) => [letter, outcome as RowOutcome]));

export function outcomeOf(letter: string): RowOutcome | undefined {
  return BY_LETTER.get(letter);
}

/** Rows by what became of them, codes put together. */
export function countOutcomes(letters: string): Record<string, number> {
  const counts: Record<string, number> = {};
  for (const letter of letters) {
    const what = BY_LETTER.get(letter)!.split(':', 1)[0]!;
    counts[what] = (counts[what] ?? 0) + 1;
  }
  return counts;
}
