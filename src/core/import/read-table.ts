import { parseAddress, type AddressProblem } from '../address/normal-form.ts';
import { dayOrInstant } from '../time/days.ts';
import { readAttributeValue, readInstant, type AttributeValue } from './attribute-value.ts';
import { OWN_USES, type AttributeType, type ColumnUse } from './map-columns.ts';

/** Why a row of a file was refused. */
export type RowProblem =
  | AddressProblem
  | 'column-count'
  | 'unreadable-row'
  | 'bad-date'
  | 'future-date'
  | 'bad-value'
  | 'unknown-list'
  | 'erased';

export type TableRow =
  /** `column` is the place of the cell that is wrong, if it is one. */
  | WrongCell
  | ({
      code: null;
      address: string;
      domain: string;
      name: string | null;
      /** The list that the row names; null when it names none. */
      list: number | null;
      joinedAt: string | null;
    } & RowDetails);

interface WrongCell {
  code: RowProblem;
  column?: number;
}

/** What else a row says of a person. */
export interface RowDetails {
  attributes: Record<string, AttributeValue> | null;
  tags: string[] | null;
  /** What the file says of the consent: where it was given, and to what. */
  consent: { source: string | null; evidence: string | null } | null;
  /** The file says that they want no more, of this list or of anything from the brand. */
  leaving: RowLeaving | null;
}

/** What a row says of somebody's leaving, with the cell that says so as its proof. */
export interface RowLeaving {
  everything: boolean;
  /** RFC 3339; null when the file does not say when. */
  at: string | null;
  said: string;
}

/** What the columns of a file are. Attributes without a type are text. */
export interface TableColumns {
  headers: string[];
  mapping: Record<string, ColumnUse>;
  types: Record<string, AttributeType>;
  /** The lists that a row may name, by `listKey` of their names; none when no column names them. */
  lists?: Record<string, number>;
  /** In which days begin: the IANA name of the brand's zone. */
  zone: string;
}

/** Dates come again and again in a file; so many are remembered before starting over. */
const REMEMBERED_DATES = 5000;
/** Clocks and time zones differ by less; whoever joins later than this joins in the future. */
const DAY_MS = 86_400_000;

/** The place of the column with this use, or -1. */
export function columnOf({ headers, mapping }: TableColumns, use: string): number {
  return headers.findIndex((header) => mapping[header] === use);
}

/** Makes a reader of rows for one file: what each column is, worked out once. `now` in milliseconds. */
export function makeRowReader(columns: TableColumns, now: number): (cells: string[]) => TableRow {
  const { headers, lists = {} } = columns;
  const dateOf = makeDateReader(now, columns.zone);
  const { read: detailsOf } = makeDetailsReader(columns, now);
  const [address, name, joined, list] = ['address', 'name', 'joined_at', 'list'].map((use) =>
    columnOf(columns, use),
  ) as [number, number, number, number];
  // A file has few of these columns, and asking an array for its place -1 is no quick way to nothing.
  return (cells) => {
    if (cells.length !== headers.length) return { code: 'column-count' };
    const parsed = parseAddress(cells[address] ?? '');
    if (!parsed.ok) return { code: parsed.problem, column: address };
    const named = list < 0 ? null : textOf(cells[list]);
    const onList = named === null ? null : lists[listKey(named)];
    if (onList === undefined) return { code: 'unknown-list', column: list };
    const joinedAt = joined < 0 ? null : dateOf(cells[joined]);
    if (joinedAt === 'bad-date' || joinedAt === 'future-date') return { code: joinedAt, column: joined };
    const details = detailsOf(cells);
    if ('code' in details) return details;
    return {
      code: null,
      address: parsed.address,
      domain: parsed.domain,
      name: name < 0 ? null : textOf(cells[name]),
      list: onList,
      joinedAt,
      ...details,
    };
  };
}

/**
 * Makes a reader of what a row says besides address, name, list and date; `columns` are those it looks at. `now` in
 * milliseconds.
 */
export function makeDetailsReader(
  columns: TableColumns,
  now: number,
): {
  columns: number[];
  read: (cells: readonly string[]) => RowDetails | WrongCell;
} {
  const { headers, mapping, types } = columns;
  const [tags, source, evidence, unsubscribed, optedOut] = [
    'tags',
    'consent_source',
    'consent_evidence',
    'unsubscribed',
    'opted_out',
  ].map((use) => columnOf(columns, use)) as [number, number, number, number, number];
  const attributes = headers.flatMap((header, index) => {
    const use = mapping[header];
    return use && !OWN_USES.has(use) ? [{ index, use, type: types[use] }] : [];
  });
  return {
    columns: [tags, source, evidence, unsubscribed, optedOut, ...attributes.map(({ index }) => index)].filter(
      (place) => place >= 0,
    ),
    read(cells) {
      const own = attributes.length === 0 ? null : attributesOf(cells, attributes);
      if (typeof own === 'number') return { code: 'bad-value', column: own };
      let leaving: RowLeaving | null = null;
      // The wider one last: it holds where both are said.
      for (const place of [unsubscribed, optedOut]) {
        const said = place < 0 ? null : leavingOf(cells[place], now, columns.zone);
        if (typeof said === 'string') return { code: said, column: place };
        if (said)
          leaving = {
            everything: place === optedOut,
            at: said.at,
            said: `“${headers[place]}” says “${cells[place]!.trim()}”`,
          };
      }
      return {
        attributes: own,
        tags: tags < 0 ? null : tagsOf(cells[tags]),
        consent: source < 0 && evidence < 0 ? null : consentOf(cells[source], cells[evidence]),
        leaving,
      };
    },
  };
}

/** A list's name as files write it: without regard to case, quotation marks and blanks. */
export function listKey(name: string): string {
  return name.normalize('NFKC').replace(/[’‘`]/g, "'").trim().toLowerCase();
}

/**
 * Makes a reader of when somebody joined: an instant of RFC 3339, null for an empty cell, or what is wrong with it. A
 * day begins in `zone`.
 */
export function makeDateReader(now: number, zone: string): (cell: string | undefined) => string | null {
  const dates = new Map<string, string | null>();
  return (cell) => {
    if (cell === undefined) return null;
    let date = dates.get(cell);
    if (date === undefined) {
      if (dates.size >= REMEMBERED_DATES) dates.clear();
      dates.set(cell, (date = readDate(cell, now, zone)));
    }
    return date;
  };
}

const NOT_IN_TAGS = /[^\p{L}\p{N} ._:-]|^[ ._:-]+/gu;
const LONGEST_TAG = 60;
const MOST_TAGS = 50;

/**
 * Tags with commas, semicolons or bars between; what cannot stand in a tag is left out of it. Null when there are none.
 */
function tagsOf(cell: string | undefined): string[] | null {
  if (cell === undefined || cell.trim() === '') return null;
  const tags = cell.split(/[,;|]/).map((one) => one.replace(NOT_IN_TAGS, '').trim().slice(0, LONGEST_TAG));
  const given = [...new Set(tags.filter((one) => one !== ''))].slice(0, MOST_TAGS);
  return given.length === 0 ? null : given;
}

function consentOf(
  source: string | undefined,
  evidence: string | undefined,
): { source: string | null; evidence: string | null } | null {
  if (source === undefined && evidence === undefined) return null;
  const given = { source: textOf(source), evidence: textOf(evidence) };
  return given.source === null && given.evidence === null ? null : given;
}

const WORDS_FOR_LEFT: ReadonlySet<string> = new Set([
  'yes',
  'y',
  'true',
  'on',
  '1',
  'x',
  'unsubscribed',
  'opted out',
  'opted-out',
  'out',
  'left',
]);
const WORDS_FOR_STAYED: ReadonlySet<string> = new Set([
  'no',
  'n',
  'false',
  'off',
  '0',
  '-',
  'never',
  'none',
  'null',
  'subscribed',
  'opted in',
  'opted-in',
  'in',
  'active',
]);

/**
 * What a cell says of leaving: yes, or since when; null for no or nothing. What is neither is refused: guessed wrong
 * one way, somebody would be written to who asked for no more.
 */
function leavingOf(
  cell: string | undefined,
  now: number,
  zone: string,
): { at: string | null } | null | 'bad-value' | 'bad-date' | 'future-date' {
  const word = cell?.trim().toLowerCase() ?? '';
  if (word === '' || WORDS_FOR_STAYED.has(word)) return null;
  if (WORDS_FOR_LEFT.has(word)) return { at: null };
  const at = readDate(word.toUpperCase(), now, zone);
  if (at === 'bad-date') return /^\d/.test(word) ? 'bad-date' : 'bad-value';
  return at === 'future-date' ? at : { at };
}

/** The attributes of a row, or the place of the cell that is not of its column's type. */
function attributesOf(
  cells: readonly string[],
  columns: { index: number; use: string; type: AttributeType | undefined }[],
): Record<string, AttributeValue> | null | number {
  let found: Record<string, AttributeValue> | null = null;
  for (const { index, use, type } of columns) {
    const text = textOf(cells[index]);
    if (text === null) continue;
    const value = type ? readAttributeValue(text, type) : text;
    if (value === undefined) return index;
    (found ??= {})[use] = value;
  }
  return found;
}

/** Of a name or an attribute, in UTF-16 units; what is beyond is cut off. */
export const LONGEST_TEXT = 1000;
const VISIBLE_ASCII = /^[\x20-\x7e]*$/;

function textOf(cell: string | undefined): string | null {
  const text = cell?.trim() ?? '';
  if (text === '') return null;
  if (text.length <= LONGEST_TEXT && VISIBLE_ASCII.test(text)) return text;
  // A limit can cut a character in two; half of one cannot stand in JSON.
  const kept = text
    .replaceAll('\u0000', '')
    .normalize('NFC')
    .slice(0, LONGEST_TEXT)
    .replace(/\p{Surrogate}/gu, '');
  return kept === '' ? null : kept;
}

/** When somebody joined, by RFC 3339; null when the cell is empty. */
function readDate(cell: string, now: number, zone: string): string | null {
  const text = cell.trim();
  if (text === '') return null;
  if (readInstant(text) === undefined) return 'bad-date';
  const instant = readInstant(dayOrInstant(text, zone));
  if (instant === undefined || instant < '1970') return 'bad-date';
  return Date.parse(instant) > now + DAY_MS ? 'future-date' : instant;
}
