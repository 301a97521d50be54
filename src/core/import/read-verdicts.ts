import type { OutsideVerdict } from '../../shared/words.ts';
import { isDay } from '../time/days.ts';
import { guessMapping } from './map-columns.ts';

const VERDICT_HEADER = /^(verdict|result|status|state|outcome|quality)$/i;

/**
 * Which columns of a verifier's file hold the address and their word for it; `asked` names the latter where it is not
 * found.
 */
export function findVerdictColumns(
  headers: string[],
  asked?: string,
): { ok: true; address: number; verdict: number } | { ok: false; missing: 'address' | 'verdict' } {
  const names = headers.map((header) => header.replace(/^\ufeff/, '').trim());
  const mapping = guessMapping(names);
  const address = names.findIndex((name) => mapping[name] === 'address');
  if (address < 0) return { ok: false, missing: 'address' };
  const verdict = names.findIndex((name) =>
    asked === undefined ? VERDICT_HEADER.test(name) : name.toLowerCase() === asked.trim().toLowerCase(),
  );
  return verdict < 0 ? { ok: false, missing: 'verdict' } : { ok: true, address, verdict };
}

const SOURCE_HEADER = /^(source|verifier|(checked|verified)[ _-]?by)$/i;
const DAY_HEADER = /^(((checked|verified|tested)([ _-]?(at|on))?)|((check|verification)[ _-]?)?date)$/i;

/** Who verified, and on which day at the latest, where columns of the first rows say so. */
export function findVerifier(
  headers: readonly string[],
  rows: readonly (readonly string[])[],
): { source: string | null; checkedOn: string | null } {
  const cellsUnder = (header: RegExp): string[] => {
    const place = headers.findIndex((name) => header.test(name.replace(/^\ufeff/, '').trim()));
    return place < 0 ? [] : rows.map((row) => (row[place] ?? '').trim()).filter((cell) => cell !== '');
  };
  const days = cellsUnder(DAY_HEADER)
    .map((cell) => cell.slice(0, 10))
    .filter(isDay)
    .sort();
  return { source: cellsUnder(SOURCE_HEADER)[0]?.slice(0, LONGEST_WORD) ?? null, checkedOn: days.at(-1) ?? null };
}

const LONGEST_WORD = 100;

/** A verifier's word as it is kept: case and white space mean nothing. */
export function readVerifierWord(cell: string): string {
  return cell.trim().toLowerCase().replace(/\s+/g, ' ').slice(0, LONGEST_WORD);
}

/** Words that say plainly what they mean. All others are for a person to map. */
const PLAIN: Readonly<Record<OutsideVerdict, readonly string[]>> = {
  good: ['good', 'valid', 'deliverable', 'ok'],
  risky: ['risky', 'doubtful'],
  'catch-all': ['catch-all', 'catchall', 'catch all', 'accepts all'],
  undeliverable: ['undeliverable', 'invalid', 'bad', 'no such mailbox'],
  trap: ['trap', 'spam trap', 'spamtrap'],
  'no-address': ['no-address', 'no address', 'not an address', 'syntax error', 'malformed'],
  unknown: ['unknown', 'timeout', 'time-out', 'could not tell', ''],
};

/** The verdict a word plainly means, to be proposed; a person confirms it once for each verifier. */
export function proposeVerdict(word: string): OutsideVerdict | null {
  const found = Object.entries(PLAIN).find(([, words]) => words.includes(word));
  return found ? (found[0] as OutsideVerdict) : null;
}

/** What a verdict does to a contact. `hold` keeps marketing away until a person decides. */
export const VERDICT_ACTS = ['suppress', 'hold', 'tag', 'nothing'] as const;
export type VerdictAct = (typeof VERDICT_ACTS)[number];

/**
 * A verifier that says an address is dead or a trap is believed, for it costs little; whatever it doubts is only named.
 */
export const DEFAULT_VERDICT_ACTS: Readonly<Record<OutsideVerdict, VerdictAct>> = {
  good: 'nothing',
  risky: 'tag',
  'catch-all': 'nothing',
  undeliverable: 'suppress',
  trap: 'suppress',
  'no-address': 'suppress',
  unknown: 'nothing',
};
