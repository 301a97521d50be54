import { parse } from 'csv-parse/sync';
import { makeRowCutter, type CutRow, type RowCutter } from '../../core/import/cut-rows.ts';
import { guessEncoding, unnamedHeaders } from '../../core/import/guess-format.ts';
import { PlainRow } from '../../core/import-engine/plain-row.ts';
import { makeRecoder, type Recoder } from '../../core/text/recode.ts';
import { heldLetters } from '../../core/import/row-outcomes.ts';
import { findLetters } from '../../store/statements/import-rows.ts';
import { findImport, findImportPart, type ImportRow } from '../../store/statements/imports.ts';
import type { Encoding } from '../../shared/words.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/**
 * One record of an imported file: its cells, or why it cannot be read. A plain row is good until the next is asked for.
 */
export interface ImportRecord {
  cells: string[] | null;
  error: string;
}

/** Reads the records an import is about: those of its kept file, or those of another's that were held. */
export async function* readImportRecords(deps: Deps, row: ImportRow): AsyncGenerator<ImportRecords> {
  const { held } = row.options;
  if (!held) {
    yield* readKeptFile(deps, await fileOf(deps, row));
    return;
  }
  const file = await fileOf(deps, found(await findImport(deps.database, held.of), `import ${held.of}`));
  const wanted = heldLetters(held.codes);
  for await (const { rows, bytes } of besideLetters(deps, held.of, readKeptFile(deps, file)))
    yield {
      records: rows.filter(({ rowNo, letter }) => rowNo === 0 || wanted.has(letter)).map(({ record }) => record),
      bytes,
    };
}

/**
 * The import that has the file of another: how it is read now says that one, for which it may have been written anew.
 */
async function fileOf(deps: Deps, row: ImportRow): Promise<ImportRow> {
  return row.appliedAs === null
    ? row
    : found(await findImport(deps.database, row.appliedAs), `import ${row.appliedAs}`);
}

/** A record with its number, the header being 0, and the letter of what became of it; empty where nothing did yet. */
export interface LetteredRow {
  record: ImportRecord;
  rowNo: number;
  letter: string;
}

/** Reads the records an import is about, beside what became of each. */
export async function* readLetteredRows(deps: Deps, row: ImportRow): AsyncGenerator<LetteredRow[]> {
  for await (const { rows } of besideLetters(deps, row.id, readImportRecords(deps, row))) yield rows;
}

async function* besideLetters(
  deps: Deps,
  importId: number,
  from: AsyncGenerator<ImportRecords>,
): AsyncGenerator<{ rows: LetteredRow[]; bytes: number }> {
  let chunk: Awaited<ReturnType<typeof findLetters>>;
  let after = 1;
  let rowNo = 0;
  for await (const { records, bytes } of from) {
    const rows: LetteredRow[] = [];
    for (const record of records) {
      if (rowNo === after) {
        chunk = await findLetters(deps.database, importId, rowNo);
        after = chunk ? chunk.firstRow + chunk.letters.length : Infinity;
      }
      rows.push({ record: kept(record), rowNo, letter: chunk?.letters[rowNo - chunk.firstRow] ?? '' });
      rowNo++;
    }
    yield { rows, bytes };
  }
}

function kept({ cells, error }: ImportRecord): ImportRecord {
  return { cells, error };
}

export interface ImportRecords {
  records: Iterable<ImportRecord>;
  /** How far the file is read. */
  bytes: number;
}

/**
 * Reads the records of a kept import file, the header first, in the same order and number each time it is read; some
 * thousand at once, each made when it is asked for. Streamed: neither the file nor its records are ever held whole.
 */
async function* readKeptFile(
  deps: Deps,
  { id, dryRun, bytes: bytesOfFile, options: { delimiter, encoding, header } }: ImportRow,
): AsyncGenerator<ImportRecords> {
  if (bytesOfFile > 0 && (await findImportPart(deps.database, id, 0)) === undefined)
    throw new Problem(
      'not-found',
      `The file of ${dryRun ? 'dry run' : 'import'} ${id} is not kept any more; its counts are. The settings say how long files are kept.`,
    );
  const cutter = makeRowCutter(delimiter);
  const named = header === false ? makeNamer() : undefined;
  const read = (rows: Iterable<CutRow>): Iterable<ImportRecord> =>
    named ? named(readRows(rows, cutter)) : readRows(rows, cutter);
  let bytes = 0;
  for await (const part of partsOf(deps, id, encoding)) {
    bytes += part.bytes;
    yield { records: read(cutter.take(part.utf8)), bytes };
  }
  yield { records: read(cutter.end()), bytes };
}

/** Puts a header before the first record of a file that has none. */
function makeNamer(): (records: Iterable<ImportRecord>) => Generator<ImportRecord> {
  let isFirst = true;
  return function* (records) {
    for (const record of records) {
      if (isFirst) yield { cells: unnamedHeaders(record.cells ?? []), error: '' };
      isFirst = false;
      yield record;
    }
  };
}

/**
 * Rows without a quotation mark are cut at the delimiter (RFC 4180 section 2.4), ten times as fast as by the parser;
 * the others go to the parser, as many at once as stand together.
 */
export function* readRows(rows: Iterable<CutRow>, cutter: RowCutter): Generator<ImportRecord> {
  let quoted: string[] = [];
  for (const row of rows) {
    const isQuoted = typeof row === 'string' && row.includes('"');
    if (quoted.length > 0 && (!isQuoted || quoted.length >= MOST_AT_ONCE)) {
      yield* parseQuoted(quoted, cutter.delimiter()!);
      quoted = [];
    }
    if (isQuoted) quoted.push(row);
    else if (row instanceof PlainRow) yield row;
    else yield typeof row === 'string' ? { cells: cut(row, cutter.delimiter()!), error: '' } : { cells: null, ...row };
  }
  if (quoted.length > 0) yield* parseQuoted(quoted, cutter.delimiter()!);
}

/** Twice as fast as split, which makes a list of places first. */
function cut(row: string, delimiter: string): string[] {
  const cells: string[] = [];
  let begun = 0;
  for (let end = row.indexOf(delimiter); end >= 0; end = row.indexOf(delimiter, begun)) {
    cells.push(row.slice(begun, end));
    begun = end + delimiter.length;
  }
  cells.push(row.slice(begun));
  return cells;
}

const MOST_AT_ONCE = 1000;

function parseQuoted(rows: string[], delimiter: string): ImportRecord[] {
  try {
    const parsed = parse(`${rows.join('\n')}\n`, { delimiter, relax_column_count: true, relax_quotes: true });
    if (parsed.length === rows.length) return parsed.map((cells) => ({ cells, error: '' }));
  } catch (error) {
    if (rows.length === 1) return [{ cells: null, error: (error as Error).message }];
  }
  if (rows.length === 1) return [{ cells: null, error: `the row cannot be read: ${rows[0]!.slice(0, 200)}` }];
  // One of them is broken: each for itself.
  return rows.flatMap((row) => parseQuoted([row], delimiter));
}

async function* partsOf(
  deps: Deps,
  importId: number,
  encoding: Encoding | undefined,
): AsyncGenerator<{ utf8: Buffer; bytes: number }> {
  let recoder: Recoder | undefined;
  for (let seq = 0; ; seq++) {
    const part = await findImportPart(deps.database, importId, seq);
    if (!part) break;
    recoder ??= makeRecoder(encoding ?? guessEncoding(Buffer.concat(part)) ?? 'utf-8');
    for (const piece of part) yield { utf8: recoder.take(piece), bytes: piece.length };
  }
  if (recoder) yield { utf8: recoder.end(), bytes: 0 };
}
