import { makePlainAddressReader, type PlainAddressReader } from '../import-engine/plain-address.ts';
import { makeInterned } from '../import-engine/interned.ts';
import type { PlainRow } from '../import-engine/plain-row.ts';
import {
  columnOf,
  LONGEST_TEXT,
  makeDateReader,
  makeDetailsReader,
  type RowDetails,
  type TableColumns,
} from './read-table.ts';

/** What a plain row says of a person. */
export interface PlainPerson {
  address: PlainAddressReader;
  /** Where the name stands in the bytes of the row; nowhere when there is none. */
  nameFrom: number;
  nameTo: number;
  joinedAt: string | null;
  details: RowDetails;
}

const BLANK = 0x20;
const NO_DETAILS: RowDetails = { attributes: null, tags: null, consent: null, leaving: null };

/**
 * Makes a reader of plain rows for one file. It says what the reader of rows (makeRowReader) says of the same cells,
 * without making texts of addresses and names; or nothing, when the row is refused or there is anything else about it
 * that is not plain: then that one has to read it. The answer is the same object each time, good until the next row is
 * read.
 */
export function makePlainRowReader(columns: TableColumns, now: number): (row: PlainRow) => PlainPerson | undefined {
  const [address, name, joined, list] = ['address', 'name', 'joined_at', 'list'].map((use) =>
    columnOf(columns, use),
  ) as [number, number, number, number];
  const dateOf = makeInterned(makeDateReader(now, columns.zone));
  const details = makeDetailsReader(columns, now);
  const cells = columns.headers.map(() => '');
  const person: PlainPerson = {
    address: makePlainAddressReader(),
    nameFrom: 0,
    nameTo: 0,
    joinedAt: null,
    details: NO_DETAILS,
  };

  const readName = ({ bytes, begins, ends }: PlainRow): boolean => {
    let [from, to] = [begins[name]!, ends[name]!];
    while (from < to && bytes[from] === BLANK) from++;
    while (to > from && bytes[to - 1] === BLANK) to--;
    person.nameFrom = from;
    person.nameTo = to;
    return to - from <= LONGEST_TEXT;
  };
  const readDetails = (row: PlainRow): boolean => {
    for (const place of details.columns) cells[place] = row.cell(place);
    const read = details.read(cells);
    if ('code' in read) return false;
    person.details = read;
    return true;
  };
  return (row) => {
    if (row.count !== columns.headers.length || list >= 0) return undefined;
    if (!person.address.read(row.bytes, row.begins[address]!, row.ends[address]!)) return undefined;
    if (joined >= 0) {
      person.joinedAt = dateOf(row.bytes, row.begins[joined]!, row.ends[joined]!);
      if (person.joinedAt === 'bad-date' || person.joinedAt === 'future-date') return undefined;
    }
    if (name >= 0 && !readName(row)) return undefined;
    return details.columns.length === 0 || readDetails(row) ? person : undefined;
  };
}
