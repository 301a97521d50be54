import { makePlainAddressReader, type PlainAddressReader } from '../address/plain-address.ts';
import { makePackedTexts, type PackedTexts } from '../text/packed-texts.ts';
import type { PlainRow } from './plain-row.ts';
import { LONGEST_GIVEN, readGiven } from './read-given.ts';

/** Rows of a list of which somebody is to be found, as columns: what only a few lists have is null where no row has it. */
export interface GivenRows {
  addresses: PackedTexts;
  /** What was given, where it is not the address itself. */
  given: PackedTexts | null;
  /** SHA-256 of addresses. */
  hashes: PackedTexts | null;
  /** How many are neither an address nor a SHA-256. */
  unreadable: number;
}

/** No rows yet, for about so many. */
export function makeGivenRows(rows: number): GivenRows {
  return { addresses: makePackedTexts(rows), given: null, hashes: null, unreadable: 0 };
}

/** Puts what stands in one column of a list into rows, one by one. */
export interface GivenTaker {
  takePlain(row: PlainRow, into: GivenRows): void;
  take(cell: string, into: GivenRows): void;
  /** A row that cannot be read. */
  takeBroken(error: string, into: GivenRows): void;
}

export function makeGivenTaker(column: number): GivenTaker {
  const address = makePlainAddressReader();
  const take = (cell: string, into: GivenRows): void => {
    const read = readGiven(cell);
    put(into, read.address, read.given === read.address ? null : read.given, read.hash);
  };
  return {
    take,
    takePlain(row, into) {
      if (column >= row.count) return take('', into);
      const [from, to] = [row.begins[column]!, row.ends[column]!];
      if (!address.read(row.bytes, from, to)) return take(row.cell(column), into);
      into.addresses.pushBytes(address.bytes, 0, address.length());
      const given = isAsGiven(address, row.bytes, from, to) ? null : row.cell(column).trim().slice(0, LONGEST_GIVEN);
      putRarer(into, given, null);
    },
    takeBroken: (error, into) => put(into, null, error.slice(0, LONGEST_GIVEN), null),
  };
}

function put(into: GivenRows, address: string | null, given: string | null, hash: string | null): void {
  into.addresses.push(address);
  if (address === null && hash === null) into.unreadable++;
  putRarer(into, given, hash);
}

/** A column that begins with this row is empty for those before it. */
function putRarer(into: GivenRows, given: string | null, hash: string | null): void {
  const before = into.addresses.length() - 1;
  if (given !== null) into.given ??= nulls(before);
  // A text of PostgreSQL holds no zero character.
  into.given?.push(given && given.replaceAll('\0', ''));
  if (hash !== null) into.hashes ??= nulls(before);
  into.hashes?.push(hash);
}

function nulls(rows: number): PackedTexts {
  const texts = makePackedTexts(rows);
  for (let row = 0; row < rows; row++) texts.push(null);
  return texts;
}

function isAsGiven(address: PlainAddressReader, bytes: Uint8Array, from: number, to: number): boolean {
  if (address.length() !== to - from) return false;
  for (let at = 0; at < to - from; at++) if (address.bytes[at] !== bytes[from + at]) return false;
  return true;
}
