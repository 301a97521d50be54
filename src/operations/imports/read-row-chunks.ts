import { setImmediate } from 'node:timers/promises';
import { MOST_CHUNK_ROWS, planChunks, type DoneChunks } from '../../core/import/chunk-plan.ts';
import { OWN_USES } from '../../core/import/map-columns.ts';
import { PlainRow } from '../../core/import-engine/plain-row.ts';
import { makePlainRowReader } from '../../core/import/read-plain-row.ts';
import { makeRowReader, type RowDetails, type RowLeaving, type TableColumns } from '../../core/import/read-table.ts';
import { OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import { makeSeenAddresses, type SeenAddresses } from '../../core/import-engine/seen-addresses.ts';
import { makePackedTexts, type PackedTexts } from '../../core/import-engine/packed-texts.ts';
import type { RowColumns } from '../../store/statements/import-rows.ts';
import type { ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { readImportRecords, type ImportRecord } from './read-import-records.ts';

/** What one file may hold: two and a half times what we promise, and 128 MB to remember which addresses have passed. */
const MOST_ROWS = 5_000_000;

/**
 * So many rows take some milliseconds; then what waits meanwhile (answers of the server, other requests) has its turn.
 */
const ROWS_A_TURN = 500;

/** A row of an address, a name and a date, roughly. */
export const BYTES_A_ROW = 50;

/**
 * Rows `firstRow` and on of a file. `letters` has the outcome of those that are settled by reading (refused, repeated);
 * the others stand in `columns`.
 */
export interface RowChunk {
  firstRow: number;
  letters: (string | null)[];
  columns: RowColumns;
  /** The domain of each address. */
  domains: string[];
  /**
   * When rows name their lists: which one each row of `columns` is for, and whether its address stood in an earlier row
   * for another.
   */
  lists: { id: number; again: boolean }[] | null;
  /**
   * Rows that say that somebody leaves, repeated ones too; `place` is where a row stands in `columns`, null for a
   * repeated one.
   */
  leavings: ChunkLeaving[];
  /** How much of the file is read, above 0, at most 1. */
  fraction: number;
  /** Says that the chunk is not read any more: a later one takes its memory. */
  done: () => void;
}

/** A row that says that somebody leaves. */
export interface ChunkLeaving extends RowLeaving {
  place: number | null;
  rowNo: number;
  address: string;
  listId: number;
}

/** Reads the kept file of an import in chunks, those that are done among them. */
export async function* readRowChunks(deps: Deps, row: ImportRow, done: DoneChunks): AsyncGenerator<RowChunk> {
  const rowsFrom = planChunks(done);
  const seen = makeSeenAddresses(row.id, row.bytes / BYTES_A_ROW);
  let take: ((record: ImportRecord, rowNo: number, into: ChunkBuilder) => void) | undefined;
  const spare: ChunkTexts[] = [];
  const begin = (firstRow: number): ChunkBuilder => makeChunk(firstRow, row, spare.pop() ?? makeTexts(row));
  const finish = (chunk: ChunkBuilder, fraction: number): RowChunk => ({
    ...finished(chunk, fraction),
    done: () => void spare.push(cleared(chunk)),
  });
  let chunk = begin(1);
  let rows = rowsFrom(1);
  for await (const { records, bytes } of readImportRecords(deps, row)) {
    const fraction = Math.min(1, bytes / row.bytes);
    for (const record of records) {
      if (!take) {
        take = makeTaker(record, row, seen);
        continue;
      }
      take(record, chunk.firstRow + chunk.letters.length, chunk);
      if (chunk.letters.length % ROWS_A_TURN === 0) await setImmediate();
      if (chunk.letters.length < rows) continue;
      yield finish(chunk, fraction);
      chunk = begin(chunk.firstRow + rows);
      rows = rowsFrom(chunk.firstRow);
      if (chunk.firstRow > MOST_ROWS) throw tooManyRows(row);
    }
  }
  if (chunk.letters.length > 0) yield finish(chunk, 1);
}

type ChunkBuilder = ReturnType<typeof makeChunk>;

/** What is kept of a chunk in memory of its own. */
interface ChunkTexts {
  addresses: PackedTexts;
  names: PackedTexts | null;
}

function makeTexts({ options: { mapping } }: ImportRow): ChunkTexts {
  const hasNames = Object.values(mapping).includes('name');
  return { addresses: makePackedTexts(MOST_CHUNK_ROWS), names: hasNames ? makePackedTexts(MOST_CHUNK_ROWS) : null };
}

function cleared({ addresses, names }: ChunkTexts): ChunkTexts {
  addresses.clear();
  names?.clear();
  return { addresses, names };
}

/** Columns that the file does not have are null. */
function makeChunk(firstRow: number, { options: { mapping } }: ImportRow, texts: ChunkTexts) {
  const uses = Object.values(mapping);
  const column = (has: boolean): (string | null)[] | null => (has ? [] : null);
  return {
    firstRow,
    letters: [] as (string | null)[],
    ...texts,
    domains: [] as string[],
    attributes: column(uses.some((use) => use !== null && !OWN_USES.has(use))),
    joinedAt: column(uses.includes('joined_at')),
    tags: column(uses.includes('tags')),
    consentSources: column(uses.includes('consent_source')),
    consentEvidence: column(uses.includes('consent_evidence')),
    lists: [] as { id: number; again: boolean }[],
    leavings: [] as ChunkLeaving[],
  };
}

/** The header says what each column is; what is left is a function that puts one record into a chunk. */
function makeTaker(
  header: ImportRecord,
  row: ImportRow,
  seen: SeenAddresses,
): (record: ImportRecord, rowNo: number, into: ChunkBuilder) => void {
  const columns = tableColumns(header, row);
  const takeAny = makeAnyTaker(columns, row, seen);
  const readPlain = makePlainRowReader(columns, row.createdAt.getTime());
  const isMended = row.options.held?.mend !== undefined;
  return (record, rowNo, into) => {
    const plain = record instanceof PlainRow && !isMended ? readPlain(record) : undefined;
    if (!plain) return takeAny(record, rowNo, into);
    const { address, nameFrom, nameTo } = plain;
    const length = address.length();
    const repeated = seen.firstRowOfBytes(address.bytes, length, rowNo) !== undefined;
    noteLeaving(into, plain.details, {
      repeated,
      rowNo,
      address: () => Buffer.from(address.bytes.subarray(0, length)).toString('latin1'),
      listId: row.listId,
    });
    if (repeated) return void into.letters.push(OUTCOME_LETTERS.duplicate);
    into.letters.push(null);
    into.addresses.pushBytes(address.bytes, 0, length);
    into.domains.push(address.domain());
    into.joinedAt?.push(plain.joinedAt);
    if (nameFrom === nameTo) into.names?.push(null);
    else into.names?.pushBytes((record as PlainRow).bytes, nameFrom, nameTo);
    pushDetails(into, plain.details);
  };
}

function makeAnyTaker(
  columns: TableColumns,
  row: ImportRow,
  seen: SeenAddresses,
): (record: ImportRecord, rowNo: number, into: ChunkBuilder) => void {
  const read = makeRowReader(columns, row.createdAt.getTime());
  const mend = row.options.held?.mend;
  const { lists } = row.options;
  return ({ cells }, rowNo, into) => {
    if (!cells) return void into.letters.push(OUTCOME_LETTERS['refused:unreadable-row']);
    const known = read(cells);
    if (known.code !== null) return void into.letters.push(OUTCOME_LETTERS[`refused:${known.code}`]);
    const address = mend ? mended(known.address, mend) : known.address;
    const again = seen.firstRow(address, rowNo) !== undefined;
    const listId = known.list ?? row.listId;
    const repeated = lists ? seen.firstRow(`${address} ${listId}`, rowNo) !== undefined : again;
    noteLeaving(into, known, { repeated, rowNo, address: () => address, listId });
    if (repeated) return void into.letters.push(OUTCOME_LETTERS.duplicate);
    if (lists) into.lists.push({ id: listId, again });
    into.letters.push(null);
    into.addresses.push(address);
    into.domains.push(mend ? address.slice(address.lastIndexOf('@') + 1) : known.domain);
    into.joinedAt?.push(known.joinedAt);
    // What is said of a person is taken from their first row; later ones name further lists.
    into.names?.push(again ? null : known.name);
    pushDetails(into, again ? { ...known, attributes: null, tags: null } : known);
  };
}

/** Whatever row says that somebody leaves is heard, also one that only repeats an address. */
function noteLeaving(
  into: ChunkBuilder,
  { leaving }: RowDetails,
  row: { repeated: boolean; rowNo: number; address: () => string; listId: number },
): void {
  if (!leaving) return;
  const place = row.repeated ? null : into.addresses.length();
  into.leavings.push({ ...leaving, place, rowNo: row.rowNo, address: row.address(), listId: row.listId });
}

function pushDetails(into: ChunkBuilder, { attributes, tags, consent }: RowDetails): void {
  into.attributes?.push(attributes && JSON.stringify(attributes));
  // None of a tag's letters needs escaping in the text of an array.
  into.tags?.push(tags && `{"${tags.join('","')}"}`);
  into.consentSources?.push(consent && consent.source);
  into.consentEvidence?.push(consent && consent.evidence);
}

/** What the columns of an import's file are. */
export function tableColumns(header: ImportRecord, row: ImportRow): TableColumns {
  const headers = (header.cells ?? []).map((cell) => cell.trim());
  return {
    headers,
    mapping: row.options.mapping,
    types: row.options.types ?? {},
    lists: row.options.lists,
    zone: row.zone,
  };
}

function mended(address: string, mend: Record<string, string>): string {
  const at = address.lastIndexOf('@') + 1;
  return address.slice(0, at) + (mend[address.slice(at)] ?? address.slice(at));
}

function finished(chunk: ChunkBuilder, fraction: number): Omit<RowChunk, 'done'> {
  const { firstRow, letters, addresses, domains, leavings } = chunk;
  const used = (column: (string | null)[] | null): (string | null)[] | null =>
    column?.some((cell) => cell !== null) ? column : null;
  const columns = {
    addresses,
    names: usedTexts(chunk.names),
    attributes: used(chunk.attributes),
    joinedAt: used(chunk.joinedAt),
    tags: used(chunk.tags),
    consentSources: used(chunk.consentSources),
    consentEvidence: used(chunk.consentEvidence),
  };
  return {
    firstRow,
    letters,
    columns,
    domains,
    lists: chunk.lists.length > 0 ? chunk.lists : null,
    leavings,
    fraction,
  };
}

function usedTexts(texts: PackedTexts | null): PackedTexts | null {
  for (let place = 0; texts && place < texts.length(); place++) if (!texts.isNull(place)) return texts;
  return null;
}

function tooManyRows(row: ImportRow): Problem {
  const most = MOST_ROWS.toLocaleString('en-GB');
  return new Problem(
    'bad-file',
    `${row.fileName} has more than ${most} rows. The first ${most} are taken in; split off the others and import them as a file of their own.`,
  );
}
