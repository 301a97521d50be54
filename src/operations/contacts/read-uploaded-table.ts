import { makeQuoteMender } from '../../core/import/mend-quotes.ts';
import { guessDelimiter, guessEncoding } from '../../core/import/guess-format.ts';
import { Problem } from '../problem.ts';
import { readRows, type ImportRecord } from './read-import-records.ts';

/**
 * Reads a table as it arrives, some records at once: encoding and delimiter found by themselves, rows whose quotation
 * marks went wrong told apart. Nothing is held whole. @throws Problem bad-file when it is no text
 */
export async function* readUploadedTable(
  name: string,
  bytes: AsyncIterable<Uint8Array>,
): AsyncGenerator<Iterable<ImportRecord>> {
  const mender = makeQuoteMender();
  let decoder: InstanceType<typeof TextDecoder> | undefined;
  let delimiter: string | undefined;
  const read = (rows: ReturnType<typeof mender.take>): Iterable<ImportRecord> => {
    const [first] = rows;
    if (first !== undefined) delimiter ??= guessDelimiter(typeof first === 'string' ? first : '');
    return readRows(rows, delimiter ?? ',');
  };
  for await (const chunk of bytes) {
    if (!decoder) {
      const encoding = guessEncoding(chunk);
      if (!encoding) throw new Problem('bad-file', `${name} is not a text file. Save the table as CSV.`);
      decoder = new TextDecoder(encoding);
    }
    yield read(mender.take(decoder.decode(chunk, { stream: true })));
  }
  yield read(mender.take(decoder?.decode() ?? ''));
  yield read(mender.end());
}
