import {
  guessDelimiter,
  guessEncoding,
  isHeader,
  splitHeader,
  unnamedHeaders,
} from '../../core/import/guess-format.ts';
import { guessMapping, OWN_USES, parseColumnUse, type AttributeType } from '../../core/import/map-columns.ts';
import { makeRowCutter } from '../../core/import/cut-rows.ts';
import type { FileHead } from '../../shared/contract/imports.ts';
import type { Delimiter, Encoding } from '../../shared/words.ts';
import { keepAttributeTypes, listAttributeTypes } from '../../store/statements/contact-attributes.ts';
import { findKeptMapping, keepMapping, type ImportOptions } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { readRows } from './read-import-records.ts';

/** How a file is to be read, as far as somebody said so; the rest is found from its beginning. */
export interface HeadRequest {
  fileName: string;
  /** Header of the file to a use, an attribute's with its type behind a colon; null leaves the column out. */
  mapping?: Record<string, string | null>;
  delimiter?: Delimiter;
  encoding?: Encoding;
  /** Whether the first row names the columns; found by whether it holds an address. */
  header?: boolean;
}

const HEAD_BYTES = 64 * 1024;
const SAMPLES = 3;

/** Shows what is found of a file from its beginning, for correction. Keeps nothing. @throws Problem bad-file */
export async function lookAtFile(
  deps: Deps,
  request: HeadRequest,
  bytes: AsyncIterable<Uint8Array>,
): Promise<FileHead> {
  const head = await beginningOf(bytes);
  const { encoding, delimiter, headers, header, text } = readFormat(head, request);
  const { kept, mapping } = await findMapping(deps, headers, header);
  const known = await listAttributeTypes(deps.database);
  const first = header ? 1 : 0;
  const cutter = makeRowCutter(delimiter);
  const rows: string[][] = [];
  // A plain row is good until the next is asked for.
  // The last row of a short file may have no end of its own.
  const whole = head.length < HEAD_BYTES ? `${text}\n` : text;
  for (const { cells } of readRows(cutter.take(Buffer.from(whole)), cutter)) {
    rows.push(cells ?? []);
    if (rows.length === SAMPLES + first) break;
  }
  const columns = headers.map((header, index) => ({
    header,
    use: usesOf(mapping[header] ?? null, known),
    samples: rows.slice(first).map((cells) => (cells[index] ?? '').slice(0, 100)),
  }));
  return { encoding, delimiter, header, columns, kept };
}

async function beginningOf(bytes: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of bytes) {
    chunks.push(chunk);
    size += chunk.length;
    if (size >= HEAD_BYTES) break;
  }
  return Buffer.concat(chunks);
}

/** A use with the type that its attribute has. */
function usesOf(use: string | null, known: Record<string, AttributeType>): string | null {
  const type = use === null || use.includes(':') ? undefined : known[use];
  return type ? `${use}:${type.type}` : use;
}

/**
 * What can be seen from the beginning of a file that is to be imported: is it text, what parts the columns, what each
 * of them is, of what type. A mapping that is given is kept for later files with this header. @throws Problem bad-file
 */
export async function readHead(deps: Deps, request: HeadRequest, head: Buffer): Promise<ImportOptions> {
  const { fileName } = request;
  const { encoding, delimiter, headers, header } = readFormat(head, request);
  const found = await findMapping(deps, headers, header);
  const said: Record<string, string | null> = { ...found.mapping, ...request.mapping };
  const unknown = Object.keys(request.mapping ?? {}).filter((header) => !headers.includes(header));
  if (unknown.length > 0)
    throw wrongMapping(`${fileName} has no column “${unknown[0]}”. Its columns are: ${headers.join(', ')}.`);
  const { mapping, types } = await resolveUses(deps, headers, said);
  const twice = request.mapping && repeated(headers.map((header) => mapping[header] ?? null));
  if (twice !== undefined)
    throw wrongMapping(
      `Two columns of ${fileName} would be ${twice}: ${headers.filter((header) => mapping[header] === twice).join(', ')}. Say which one it is, and leave the other out: --map "COLUMN=".`,
    );
  if (!headers.some((header) => mapping[header] === 'address'))
    throw wrongMapping(
      `${fileName} has no column of addresses. Its columns are: ${headers.slice(0, 20).join(', ')}. Say which one it is: --map "COLUMN=address".`,
    );
  // Columns without names are other ones in the next file.
  const asFound =
    JSON.stringify(await resolveUses(deps, headers, found.mapping)) === JSON.stringify({ mapping, types });
  if (request.mapping && header && !asFound) await keepMapping(deps.database, headers, said);
  return { delimiter, encoding, header, mapping, types, kept: found.kept && asFound };
}

/**
 * What each column is: as it was said for an earlier file with this header, or guessed. Of columns without names only
 * the addresses are.
 */
async function findMapping(
  deps: Deps,
  headers: string[],
  header: boolean,
): Promise<{ mapping: Record<string, string | null>; kept: boolean }> {
  if (!header)
    return {
      mapping: Object.fromEntries(headers.map((name) => [name, name === 'address' ? name : null])),
      kept: false,
    };
  const kept = await findKeptMapping(deps.database, headers);
  return { mapping: { ...guessMapping(headers), ...kept }, kept: kept !== undefined };
}

/**
 * Keeps the types of an import's attributes, once it is for real.
 * @throws Problem bad-file when somebody gave one another type meanwhile
 */
export async function settleTypes(deps: Deps, { types = {} }: ImportOptions): Promise<void> {
  const [other] = await keepAttributeTypes(deps.database, types);
  if (other !== undefined) throw otherType(other, (await listAttributeTypes(deps.database))[other]!);
}

function readFormat(
  head: Buffer,
  request: HeadRequest,
): { encoding: Encoding; delimiter: Delimiter; headers: string[]; header: boolean; text: string } {
  const encoding = request.encoding ?? guessEncoding(head.subarray(0, HEAD_BYTES));
  if (!encoding)
    throw new Problem('bad-file', `${request.fileName} is not a text file. Save the table as CSV and import that.`);
  const text = new TextDecoder(encoding).decode(head.subarray(0, HEAD_BYTES));
  const firstLine = text.split(/\r?\n/).find((line) => line.trim() !== '') ?? '';
  const delimiter = request.delimiter ?? guessDelimiter(firstLine);
  const cells = splitHeader(firstLine, delimiter);
  const header = request.header ?? isHeader(cells);
  return { encoding, delimiter, headers: header ? cells : unnamedHeaders(cells), header, text };
}

/** Takes what was said of each column apart into its use and its type; an attribute that has a type keeps it. */
async function resolveUses(
  deps: Deps,
  headers: string[],
  said: Record<string, string | null>,
): Promise<{ mapping: Record<string, string | null>; types: Record<string, AttributeType> }> {
  const known = await listAttributeTypes(deps.database);
  const mapping: Record<string, string | null> = {};
  const types: Record<string, AttributeType> = {};
  for (const header of headers) {
    const text = said[header] ?? null;
    const use = text === null ? undefined : parseColumnUse(text);
    if (typeof use === 'string') throw wrongMapping(`What “${header}” is cannot be: ${use}.`);
    mapping[header] = use?.use ?? null;
    if (use && !OWN_USES.has(use.use)) types[use.use] = typeOf(use.use, use.type, known[use.use]);
  }
  return { mapping, types };
}

function typeOf(name: string, said: AttributeType | undefined, known: AttributeType | undefined): AttributeType {
  if (said && known && said.type !== known.type) throw otherType(name, known);
  const type = said ?? known ?? { type: 'text' };
  if (type.type !== 'choice') return type;
  const choices = [...new Set([...(known?.choices ?? []), ...(type.choices ?? [])])];
  if (choices.length === 0) throw wrongMapping(`Which words can ${name} be? Say them: “${name}:choice(one|another)”.`);
  return { type: 'choice', choices };
}

function otherType(name: string, known: AttributeType): Problem {
  return wrongMapping(
    `The attribute ${name} is ${known.type} already. Take it as that, or give the column another name.`,
  );
}

function wrongMapping(detail: string): Problem {
  return new Problem('bad-file', detail, { field: 'mapping' });
}

function repeated(uses: (string | null)[]): string | undefined {
  return uses.find((use, index): use is string => use !== null && uses.indexOf(use) !== index);
}
