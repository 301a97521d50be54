import { makePlainAddressReader, type PlainAddressReader } from '../import-engine/plain-address.ts';
import { makePackedTexts, type PackedTexts } from '../import-engine/packed-texts.ts';
import type { PlainRow } from '../import-engine/plain-row.ts';
import { LONGEST_GIVEN, readGiven } from './read-given.ts';

/** The unit separator of ASCII: it has no other use in a table, and stands as a blank where one holds it. */
const OTHERS_PARTED = '\x1f';
/** A text of PostgreSQL holds no zero character. */
const NOT_KEPT = /[\0\x1f]/g; // eslint-disable-line no-control-regex
/**
 * What is kept of a row beside the address: so many columns, of each cell so many characters, and of all of them so
 * many.
 */
const MOST_COLUMNS = 50;
const LONGEST_OTHER = 300;
const LONGEST_OTHERS = 4000;
const LONGEST_NAME = 100;

/**
 * Rows of a list of which somebody is to be found, as columns: what only a few lists have is null where no row has it.
 */
export interface GivenRows {
  addresses: PackedTexts;
  /** What was given, where it is not the address itself. */
  given: PackedTexts | null;
  /** SHA-256 of addresses. */
  hashes: PackedTexts | null;
  /** The other cells of a row, parted by OTHERS_PARTED; null where it has none, or cannot be read. */
  others: PackedTexts | null;
  /** How many are neither an address nor a SHA-256. */
  unreadable: number;
}

/** No rows yet, for about so many. */
export function makeGivenRows(rows: number): GivenRows {
  return { addresses: makePackedTexts(rows), given: null, hashes: null, others: null, unreadable: 0 };
}

/** Puts what stands in one column of a list into rows, one by one, and the cells beside it. */
export interface GivenTaker {
  /** The most columns that a row had until now; those behind MOST_COLUMNS are not kept. */
  width(): number;
  takePlain(row: PlainRow, into: GivenRows): void;
  take(cells: readonly string[], into: GivenRows): void;
  /** A row that cannot be read. */
  takeBroken(error: string, into: GivenRows): void;
}

export function makeGivenTaker(column: number): GivenTaker {
  const address = makePlainAddressReader();
  const beside = makeCellJoiner();
  let width = 0;
  const take = (cells: readonly string[], into: GivenRows): void => {
    const read = readGiven(cells[column] ?? '');
    put(into, read.address, read.given === read.address ? null : read.given, read.hash);
    putOthers(into, joinOthers(cells.slice(0, MOST_COLUMNS), column));
    width = Math.max(width, cells.length);
  };
  return {
    width: () => Math.min(width, MOST_COLUMNS),
    take,
    takePlain(row, into) {
      const [from, to] = [row.begins[column]!, row.ends[column]!];
      if (column >= row.count || !address.read(row.bytes, from, to)) return take(row.cells, into);
      into.addresses.pushBytes(address.bytes, 0, address.length());
      const given = isAsGiven(address, row.bytes, from, to) ? null : row.cell(column).trim().slice(0, LONGEST_GIVEN);
      putRarer(into, given, null);
      width = Math.max(width, row.count);
      if (row.count === 1) return putOthers(into, null);
      into.others ??= nulls(into.addresses.length() - 1);
      beside.join(row, column);
      into.others.pushBytes(beside.bytes, 0, beside.length());
    },
    takeBroken(error, into) {
      put(into, null, error.slice(0, LONGEST_GIVEN), null);
      putOthers(into, null);
    },
  };
}

/** The cells of a row beside one of them, in their order, as one text; null when there are none. */
function joinOthers(cells: readonly string[], column: number): string | null {
  const others = cells.filter((_, place) => place !== column);
  if (others.length === 0) return null;
  const kept = others.map((cell) => cell.replace(NOT_KEPT, ' ').slice(0, LONGEST_OTHER));
  return kept.join(OTHERS_PARTED).slice(0, LONGEST_OTHERS);
}

/** What the other columns are called: by the first row where that is a header, else by their place. */
export function nameOthers(firstRow: readonly string[], hasHeader: boolean, column: number, width: number): string[] {
  const names = hasHeader
    ? firstRow.map((cell) =>
        cell
          .replace(/^\ufeff/, '')
          .replace(NOT_KEPT, ' ')
          .trim(),
      )
    : [];
  const all = Array.from(
    { length: width },
    (_, place) => names[place]?.slice(0, LONGEST_NAME) || `column ${place + 1}`,
  );
  return all.filter((_, place) => place !== column);
}

/** The other cells of a row again. */
export function partOthers(joined: string | null): string[] {
  return joined === null ? [] : joined.split(OTHERS_PARTED);
}

interface CellJoiner {
  bytes: Buffer;
  length(): number;
  join(row: PlainRow, column: number): void;
}

/** Does for rows that are plain what joinOthers does, without a text for each cell. */
function makeCellJoiner(): CellJoiner {
  const bytes = Buffer.allocUnsafe(MOST_COLUMNS * (LONGEST_OTHER + 1));
  let length = 0;
  return {
    bytes,
    length: () => Math.min(length, LONGEST_OTHERS),
    join(row, column) {
      length = 0;
      for (let place = 0; place < Math.min(row.count, MOST_COLUMNS); place++) {
        if (place === column) continue;
        const begin = row.begins[place]!;
        const end = Math.min(row.ends[place]!, begin + LONGEST_OTHER);
        if (place > (column === 0 ? 1 : 0)) bytes[length++] = OTHERS_PARTED.charCodeAt(0);
        for (let at = begin; at < end; at++) bytes[length++] = row.bytes[at]!;
      }
    },
  };
}

function putOthers(into: GivenRows, others: string | null): void {
  if (others !== null) into.others ??= nulls(into.addresses.length() - 1);
  into.others?.push(others);
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
