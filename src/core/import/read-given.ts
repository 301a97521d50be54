import { parseAddress } from '../address/normal-form.ts';
import { guessMapping } from './map-columns.ts';

/** What somebody gave to be found: an address in its normal form, or the SHA-256 of one. */
export interface Given {
  given: string;
  address: string | null;
  hash: string | null;
}

/** What is kept of a cell. */
export const LONGEST_GIVEN = 300;
const SHA256 = /^[0-9a-f]{64}$/i;
const HASH_HEADER = /^(sha-?256|hash|digest)$/i;

/** Reads one cell. */
export function readGiven(cell: string): Given {
  const given = cell.trim().slice(0, LONGEST_GIVEN);
  if (SHA256.test(given)) return { given, address: null, hash: given.toLowerCase() };
  const parsed = parseAddress(given);
  return { given, address: parsed.ok ? parsed.address : null, hash: null };
}

/**
 * Which column of a list holds what is to be found, seen from its first row: a header that says so, or a cell that is
 * an address or a SHA-256 itself (then there is no header). Nothing when neither is to be seen.
 */
export function findGivenColumn(firstRow: string[]): { column: number; hasHeader: boolean } | undefined {
  const cells = firstRow.map((cell) => cell.replace(/^\ufeff/, '').trim());
  const itself = cells.findIndex((cell) => {
    const { address, hash } = readGiven(cell);
    return address !== null || hash !== null;
  });
  if (itself >= 0) return { column: itself, hasHeader: false };
  const mapping = guessMapping(cells);
  const named = cells.findIndex((cell) => mapping[cell] === 'address' || HASH_HEADER.test(cell));
  return named < 0 ? undefined : { column: named, hasHeader: true };
}
