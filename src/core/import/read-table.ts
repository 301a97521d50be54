import { parseAddress, type AddressProblem } from '../address/normal-form.ts';

/** Why a row of a file was refused. */
export type RowProblem = AddressProblem | 'column-count' | 'unreadable-row' | 'bad-date' | 'erased';

/** What a column of a file is: one of Avendel's own, an attribute by its name, or left out. */
export type ColumnUse = string | null;

const KNOWN_HEADERS: readonly { use: string; pattern: RegExp }[] = [
  { use: 'address', pattern: /^(e-?mail([ _-]?address)?|address|mail|contact email)$/i },
  { use: 'name', pattern: /^(full[ _-]?)?name$/i },
  { use: 'tags', pattern: /^tags?$/i },
  {
    use: 'joined_at',
    pattern: /^(joined([ _-]?(at|on))?|subscribed([ _-]?(at|on))?|signed[ _-]?up([ _-]?(at|on))?|since)$/i,
  },
];

/** Guesses what each column is from its header; an unknown one becomes an attribute of its own name. */
export function guessMapping(headers: string[]): Record<string, ColumnUse> {
  const mapping: Record<string, ColumnUse> = {};
  const taken = new Set<string>();
  for (const header of headers) {
    const known = KNOWN_HEADERS.find(({ use, pattern }) => pattern.test(header.trim()) && !taken.has(use));
    if (known) taken.add(known.use);
    mapping[header] = known?.use ?? attributeName(header);
  }
  return mapping;
}

/** The name under which a column is kept as an attribute, usable as a merge field; null for one without a name. */
export function attributeName(header: string): string | null {
  const name = header
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '')
    .slice(0, 64);
  return name === '' ? null : name;
}

const DELIMITERS = [',', ';', '\t', '|'];

/** The delimiter that parts the header line most often. */
export function guessDelimiter(firstLine: string): string {
  const outsideQuotes = firstLine.replace(/"[^"]*"/g, '');
  const counts = DELIMITERS.map((delimiter) => outsideQuotes.split(delimiter).length);
  return DELIMITERS[counts.indexOf(Math.max(...counts))]!;
}

/** A stray control character is a slip in a cell; more than this share of them is no text. */
const MOST_CONTROLS = 0.01;

/** Encoding of a file by its first bytes: byte order marks, zero bytes of UTF-16, else UTF-8; undefined when it is no text. */
export function guessEncoding(head: Uint8Array): 'utf-8' | 'utf-16le' | 'utf-16be' | undefined {
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
  return controls > sample.length * MOST_CONTROLS ? undefined : 'utf-8';
}

export type TableRow =
  | { code: RowProblem }
  | { code: null; address: string; name: string | null; attributes: Record<string, string> | null; joinedAt: string | null; tags: string[] | null }; // prettier-ignore

/** Dates come again and again in a file; so many are remembered before starting over. */
const REMEMBERED_DATES = 5000;

/** Makes a reader of rows for one file: what each column is, worked out once. */
export function makeRowReader(headers: string[], mapping: Record<string, ColumnUse>): (cells: string[]) => TableRow {
  const dates = new Map<string, string | null | undefined>();
  const dateOf = (cell: string | undefined): string | null | undefined => {
    if (cell === undefined) return null;
    if (!dates.has(cell)) {
      if (dates.size >= REMEMBERED_DATES) dates.clear();
      dates.set(cell, readDate(cell));
    }
    return dates.get(cell);
  };
  const place = (use: string): number => headers.findIndex((header) => mapping[header] === use);
  const [address, name, joined, tags] = [place('address'), place('name'), place('joined_at'), place('tags')];
  const attributes = headers.flatMap((header, index) => {
    const use = mapping[header];
    return use && !OWN_USES.has(use) ? [{ index, use }] : [];
  });
  return (cells) => {
    if (cells.length !== headers.length) return { code: 'column-count' };
    const parsed = parseAddress(cells[address] ?? '');
    if (!parsed.ok) return { code: parsed.problem };
    const joinedAt = dateOf(cells[joined]);
    if (joinedAt === undefined) return { code: 'bad-date' };
    return { code: null, address: parsed.address, name: textOf(cells[name]), attributes: attributesOf(cells, attributes), joinedAt, tags: tagsOf(cells[tags]) }; // prettier-ignore
  };
}

/** What a column can be besides an attribute. */
const OWN_USES: ReadonlySet<string> = new Set(['address', 'name', 'joined_at', 'tags']);

const NOT_IN_TAGS = /[^\p{L}\p{N} ._:-]|^[ ._:-]+/gu;
const LONGEST_TAG = 60;
const MOST_TAGS = 50;

/** Tags with commas, semicolons or bars between; what cannot stand in a tag is left out of it. Null when there are none. */
function tagsOf(cell: string | undefined): string[] | null {
  if (cell === undefined || cell.trim() === '') return null;
  const tags = cell.split(/[,;|]/).map((one) => one.replace(NOT_IN_TAGS, '').trim().slice(0, LONGEST_TAG));
  const given = [...new Set(tags.filter((one) => one !== ''))].slice(0, MOST_TAGS);
  return given.length === 0 ? null : given;
}

function attributesOf(cells: string[], columns: { index: number; use: string }[]): Record<string, string> | null {
  let found: Record<string, string> | null = null;
  for (const { index, use } of columns) {
    const value = textOf(cells[index]);
    if (value !== null) (found ??= {})[use] = value;
  }
  return found;
}

const LONGEST_TEXT = 1000;
const VISIBLE_ASCII = /^[\x20-\x7e]*$/;

function textOf(cell: string | undefined): string | null {
  const text = cell?.trim() ?? '';
  if (text === '') return null;
  if (text.length <= LONGEST_TEXT && VISIBLE_ASCII.test(text)) return text;
  const kept = text.replaceAll('\u0000', '').normalize('NFC').slice(0, LONGEST_TEXT);
  return kept === '' ? null : kept;
}

/** RFC 3339 dates and date-times; null when there is none, undefined when it cannot be read. */
function readDate(cell: string): string | null | undefined {
  const text = cell.trim();
  if (text === '') return null;
  if (!/^\d{4}-\d{2}-\d{2}(?:[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?)?$/.test(text))
    return undefined;
  const instant = new Date(
    /[Zz]$|[+-]\d{2}:?\d{2}$/.test(text) || text.length === 10 ? text : `${text.replace(' ', 'T')}Z`,
  );
  return Number.isNaN(instant.getTime()) || instant.getUTCFullYear() < 1970 ? undefined : instant.toISOString();
}
