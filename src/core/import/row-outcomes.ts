import type { SettableCode } from '../../shared/words.ts';
import type { RowProblem } from './read-table.ts';

/** What stands in place of every text about somebody who was erased, the cells of a kept file among them. */
export const ERASED = '(erased)';

/** What became of one row of a file; the part after the colon is the code. */
export type RowOutcome =
  | 'created'
  | 'updated'
  | 'unchanged'
  | 'duplicate'
  | 'suppressed'
  | 'suppressed:unsubscribed'
  | 'suppressed:left'
  | `refused:${RowProblem | SettableCode}`
  /** Kept out until a person decides. */
  | `held:${SettableCode}`;

/**
 * Each outcome by one letter, as kept for a chunk of rows: a chunk is one text, and two million rows are two megabytes.
 * Letters are never given another meaning.
 */
export const OUTCOME_LETTERS: Readonly<Record<RowOutcome, string>> = {
  created: 'c',
  updated: 'u',
  unchanged: '=',
  duplicate: 'd',
  suppressed: 's',
  'suppressed:unsubscribed': 'l',
  'suppressed:left': 'w',
  'refused:empty': 'E',
  'refused:too-long': 'T',
  'refused:no-at-sign': 'A',
  'refused:bad-local-part': 'L',
  'refused:bad-domain': 'D',
  'refused:control-character': 'I',
  'refused:column-count': 'C',
  'refused:unreadable-row': 'U',
  'refused:bad-date': 'J',
  'refused:future-date': 'F',
  'refused:bad-value': 'V',
  'refused:unknown-list': 'Z',
  'refused:erased': 'X',
  'refused:refuse-list': 'R',
  'refused:null-exchanger': 'N',
  'refused:no-exchanger': 'M',
  'refused:look-alike-domain': 'K',
  'refused:role-name': 'O',
  'held:refuse-list': 'r',
  'held:null-exchanger': 'n',
  'held:no-exchanger': 'm',
  'held:look-alike-domain': 'k',
  'held:role-name': 'o',
};

/** Letters of rows that became or were contacts. */
export const TAKEN_LETTERS: readonly string[] = Object.entries(OUTCOME_LETTERS).flatMap(([outcome, letter]) =>
  outcome.startsWith('refused') || outcome.startsWith('held') ? [] : [letter],
);
/** Letters of checks that refuse also who is known. */
export const REFUSED_LETTERS: readonly string[] = Object.entries(OUTCOME_LETTERS).flatMap(([outcome, letter]) =>
  outcome.startsWith('refused') ? [letter] : [],
);

/** The letters of rows held for these codes; for any, if none is named. */
export function heldLetters(codes: readonly string[] | undefined): Set<string> {
  const held = Object.entries(OUTCOME_LETTERS).filter(([outcome]) => outcome.startsWith('held:'));
  return new Set(
    held.filter(([outcome]) => codes === undefined || codes.includes(outcome.slice(5))).map(([, letter]) => letter),
  );
}

const BY_LETTER = new Map(Object.entries(OUTCOME_LETTERS).map(([outcome, letter]) => [letter, outcome as RowOutcome]));

/** The outcome that a letter of a chunk stands for. */
export function outcomeOf(letter: string): RowOutcome | undefined {
  return BY_LETTER.get(letter);
}

/** Rows by what became of them, codes put together. */
export function countOutcomes(letters: string): Record<string, number> {
  const byUnit = new Uint32Array(128);
  for (let at = 0; at < letters.length; at++) byUnit[letters.charCodeAt(at)]!++;
  const counts: Record<string, number> = {};
  for (const [letter, outcome] of BY_LETTER) {
    const rows = byUnit[letter.charCodeAt(0)]!;
    const what = outcome.split(':', 1)[0]!;
    if (rows > 0) counts[what] = (counts[what] ?? 0) + rows;
  }
  return counts;
}
