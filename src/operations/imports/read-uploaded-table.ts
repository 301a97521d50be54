import { makeRowCutter } from '../../core/import/cut-rows.ts';
import { guessEncoding } from '../../core/import/guess-format.ts';
import { makeRecoder, type Recoder } from '../../core/text/recode.ts';
import type { Encoding } from '../../shared/words.ts';
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
  const cutter = makeRowCutter();
  let recoder: Recoder | undefined;
  for await (const chunk of bytes) {
    recoder ??= makeRecoder(encodingOf(name, chunk));
    yield readRows(cutter.take(recoder.take(Buffer.from(chunk.buffer, chunk.byteOffset, chunk.length))), cutter);
  }
  if (recoder) yield readRows(cutter.take(recoder.end()), cutter);
  yield readRows(cutter.end(), cutter);
}

function encodingOf(name: string, chunk: Uint8Array): Encoding {
  const encoding = guessEncoding(chunk);
  if (!encoding) throw new Problem('bad-file', `${name} is not a text file. Save the table as CSV.`);
  return encoding;
}
