import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { parse, type CsvError } from 'csv-parse';
import { makeQuoteMender, type BrokenLine } from '../../core/import/mend-quotes.ts';
import { guessEncoding } from '../../core/import/read-table.ts';
import { findImportPart, type ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';

/** One record of an imported file: its cells, or why it cannot be read. */
export interface ImportRecord {
  cells: string[] | null;
  error: string;
}

/** A record longer than this is taken for a quotation mark that was never closed. */
const MAX_RECORD_CHARACTERS = 64 * 1024;

/**
 * Reads the records of a kept import file, the header first, in the same order and number each time it is read.
 * Streamed: neither the file nor its records are ever held whole.
 */
export async function* readImportRecords(deps: Deps, row: ImportRow): AsyncGenerator<ImportRecord> {
  const skipped: BrokenLine[] = [];
  const parser = parse({
    delimiter: row.options.delimiter,
    relax_column_count: true,
    relax_quotes: true,
    skip_empty_lines: true,
    skip_records_with_error: true,
    max_record_size: MAX_RECORD_CHARACTERS,
    bom: true,
    info: true,
  });
  parser.on('skip', (error: CsvError) => skipped.push({ after: Number(error['records'] ?? 0), error: error.message }));
  pipeline(
    Readable.from(
      wholeRows(deps, row.id, (line) => skipped.push(line)),
      { objectMode: false },
    ),
    parser,
  ).catch((error: Error) => parser.destroy(error));
  for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: { records: number } }>) {
    // Broken lines are told ahead of the records still in the buffer; the count of records before puts them in place.
    while (skipped[0] && skipped[0].after < info.records) yield { cells: null, error: skipped.shift()!.error };
    yield { cells: record, error: '' };
  }
  for (const { error } of skipped) yield { cells: null, error };
}

async function* wholeRows(deps: Deps, importId: number, report: (line: BrokenLine) => void): AsyncGenerator<string> {
  const mender = makeQuoteMender(report);
  for await (const text of decodedParts(deps, importId)) yield mender.take(text);
  yield mender.end();
}

async function* decodedParts(deps: Deps, importId: number): AsyncGenerator<string> {
  let decoder: InstanceType<typeof TextDecoder> | undefined;
  for (let seq = 0; ; seq++) {
    const part = await findImportPart(deps.database, importId, seq);
    if (!part) break;
    decoder ??= new TextDecoder(guessEncoding(part) ?? 'utf-8');
    yield decoder.decode(part, { stream: true });
  }
  yield decoder?.decode() ?? '';
}
