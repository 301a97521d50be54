import { readFileSync } from 'node:fs';
import { parse } from 'csv-parse/sync';
import { guessDelimiter } from '../core/import/guess-format.ts';
import { findGivenColumn } from '../core/import/read-given.ts';
import { UsageError } from './usage-error.ts';

/**
 * The addresses of a file: one a line, or the column of them in a table, with or without a header. Whatever else stands
 * in that column comes along, to be told as no address.
 * @throws UsageError when no column holds addresses
 */
export function readAddresses(path: string): string[] {
  const text = readFileSync(path, 'utf8').replace(/^\ufeff/, '');
  const delimiter = guessDelimiter(text.split(/\r?\n/, 1)[0]!);
  const rows = parse(text, {
    delimiter,
    relax_column_count: true,
    relax_quotes: true,
    skip_empty_lines: true,
    trim: true,
  });
  const [first = []] = rows;
  const place = findGivenColumn(first);
  if (!place) {
    if (rows.length === 0) return [];
    // A list without columns may begin with something that is no address: then that is told with its row.
    if (first.length === 1) return rows.map((row) => row[0]!);
    throw new UsageError(`${path} has no column of addresses. Its first row is: ${first.join(', ').slice(0, 200)}.`);
  }
  return rows
    .slice(place.hasHeader ? 1 : 0)
    .map((row) => row[place.column] ?? '')
    .filter((one) => one !== '');
}
