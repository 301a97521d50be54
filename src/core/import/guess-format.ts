import { DELIMITERS, type Delimiter, type Encoding } from '../../shared/words.ts';
import { parseAddress } from '../address/normal-form.ts';

/** The delimiter that parts the header line most often. */
export function guessDelimiter(firstLine: string): Delimiter {
  const outsideQuotes = firstLine.replace(/"[^"]*"/g, '');
  const counts = DELIMITERS.map((delimiter) => outsideQuotes.split(delimiter).length);
  return DELIMITERS[counts.indexOf(Math.max(...counts))]!;
}

/** A stray control character is a slip in a cell; more than this share of them is no text. */
const MOST_CONTROLS = 0.01;

/**
 * Encoding of a file by its first bytes: byte order marks, zero bytes of UTF-16, then whether more of what is beyond
 * ASCII is well-formed UTF-8 (RFC 3629) or not; undefined when it is no text.
 */
export function guessEncoding(head: Uint8Array): Encoding | undefined {
  if (head[0] === 0xff && head[1] === 0xfe) return 'utf-16le';
  if (head[0] === 0xfe && head[1] === 0xff) return 'utf-16be';
  const sample = head.subarray(0, 4096);
  const zeros = [0, 0];
  sample.forEach((byte, index) => {
    if (byte === 0) zeros[index % 2]!++;
  });
  if (zeros[1]! > sample.length / 4 && zeros[0] === 0) return 'utf-16le';
  if (zeros[0]! > sample.length / 4 && zeros[1] === 0) return 'utf-16be';
  const controls = sample.filter((byte) => byte < 9 || (byte > 13 && byte < 32)).length;
  if (controls > sample.length * MOST_CONTROLS) return undefined;
  return speaksUtf8(head) ? 'utf-8' : 'windows-1252';
}

/**
 * Whether at least as many characters beyond ASCII are well-formed as bytes that are none. A character cut off at the
 * end is left out.
 */
function speaksUtf8(bytes: Uint8Array): boolean {
  let formed = 0;
  let stray = 0;
  for (let at = 0; at < bytes.length; at++) {
    const lead = bytes[at]!;
    if (lead < 0x80) continue;
    const more = lead >= 0xf0 && lead < 0xf5 ? 3 : lead >= 0xe0 ? 2 : 1;
    if (at + more >= bytes.length) break;
    const follows =
      lead >= 0xc2 && lead < 0xf5 && bytes.subarray(at + 1, at + 1 + more).every((byte) => byte >> 6 === 2);
    if (follows) {
      formed++;
      at += more;
    } else stray++;
  }
  return formed >= stray;
}

/** The cells of a header line: quotation marks taken off, blanks around taken off. */
export function splitHeader(line: string, delimiter: string): string[] {
  const cells = line
    .replace(/^\ufeff/, '')
    .split(new RegExp(`${delimiter === '|' ? '\\|' : delimiter}(?=(?:[^"]*"[^"]*")*[^"]*$)`));
  return cells.map((cell) =>
    cell
      .trim()
      .replace(/^"(.*)"$/, '$1')
      .replaceAll('""', '"'),
  );
}

/**
 * Whether the first line of a table names its columns. It does not when it holds an address: that is the first contact.
 */
export function isHeader(cells: readonly string[]): boolean {
  return !cells.some((cell) => parseAddress(cell).ok);
}

/**
 * Names for the columns of a table without a header, from its first line: the first column with an address, the others
 * by their place.
 */
export function unnamedHeaders(cells: readonly string[]): string[] {
  const address = cells.findIndex((cell) => parseAddress(cell).ok);
  return cells.map((_, index) => (index === address ? 'address' : `column ${index + 1}`));
}
