import { decodeCharset, decodePlain, plainLines, quotedPrintableBytes } from './decode-text.ts';
import {
  MAX_DEPTH,
  MAX_FIELD_CHARACTERS,
  MAX_FIELDS,
  MAX_HEADER_CHARACTERS,
  MAX_MESSAGE_BYTES,
  MAX_PART_CHARACTERS,
  MAX_PARTS,
  MAX_RECIPIENTS,
} from './limits.ts';
import { withoutComments } from './without-comments.ts';

/** Header fields by lower-case name, unfolded, in order; a field may occur more than once. */
export type Fields = ReadonlyMap<string, readonly string[]>;

/** One part of a message that holds no parts itself. */
export interface MimePart {
  type: string;
  fields: Fields;
  body: string;
}

export interface ParsedMessage {
  fields: Fields;
  type: string;
  parts: MimePart[];
}

/** A piece of the message: characters from here on, up to there. */
interface Piece {
  from: number;
  to: number;
}

/**
 * Takes a message apart as far as reading a return needs (RFC 2045, 2046 and 5322), forgiving broken structure: a
 * boundary that is missing or wrong is told from the lines that look like one, a part without an end ends with the
 * text, an unreadable encoding is left as it stands. Never throws. The message is kept once, one character a byte, and
 * its pieces are places in it; each part is decoded in its own charset.
 */
export function parseMessage(raw: Uint8Array | string): ParsedMessage {
  const given = typeof raw === 'string' ? Buffer.from(raw.slice(0, MAX_MESSAGE_BYTES)) : raw;
  const text = plainLines(given.subarray(0, MAX_MESSAGE_BYTES));
  const parts: MimePart[] = [];
  const fields = collect(text, { from: beginning(text), to: text.length }, 0, parts);
  return { fields, type: mediaType(fields).type, parts };
}

/** Behind the line of an mbox and empty lines. */
function beginning(text: string): number {
  let at = /^>?From /.test(text) ? lineEnd(text, 0, text.length) : 0;
  while (text[at] === '\n') at++;
  return at;
}

/** Where the line ends that this place stands in. */
function lineEnd(text: string, at: number, end: number): number {
  const found = text.indexOf('\n', at);
  return found < 0 || found > end ? end : found;
}

/** The first value of a field, or an empty text. */
export function field(fields: Fields, name: string): string {
  return fields.get(name)?.[0] ?? '';
}

/** Reads a header block or a block of report fields into names and unfolded values (RFC 5322 section 2.2.3). */
export function parseFields(block: string): Fields {
  const fields = new Map<string, string[]>();
  const end = Math.min(block.length, MAX_HEADER_CHARACTERS);
  let current: { name: string; value: string } | undefined;
  let count = 0;
  const keep = (): void => {
    if (!current) return;
    const values = fields.get(current.name) ?? [];
    values.push(current.value.slice(0, MAX_FIELD_CHARACTERS).trim());
    fields.set(current.name, values);
    count++;
  };
  for (let at = 0; at < end && count < MAX_FIELDS;) {
    const to = lineEnd(block, at, end);
    const line = block.slice(at, to);
    at = to + 1;
    if (/^[ \t]/.test(line) && current) {
      if (current.value.length < MAX_FIELD_CHARACTERS) current.value += ` ${line.trim()}`;
      continue;
    }
    const colon = line.indexOf(':');
    if (colon < 1 || /\s/.test(line.slice(0, colon).trimEnd())) continue;
    keep();
    current = { name: line.slice(0, colon).trim().toLowerCase(), value: line.slice(colon + 1) };
  }
  if (count < MAX_FIELDS) keep();
  return fields;
}

/** More blocks than recipients are read, since one speaks of the message as a whole and some of nobody. */
const MAX_BLOCKS = 2 * MAX_RECIPIENTS;

/** Blocks of fields parted by empty lines, as delivery reports hold them. */
export function fieldBlocks(body: string): Fields[] {
  return body
    .split(/\n[ \t]*\n+/, MAX_BLOCKS)
    .map((block) => parseFields(block))
    .filter((block) => block.size > 0);
}

/** Collects the parts of a piece, and gives its own fields. */
function collect(text: string, piece: Piece, depth: number, parts: MimePart[]): Fields {
  const { head, body } = splitHead(text, piece);
  const fields = parseFields(decodePlain(text.slice(head.from, Math.min(head.to, head.from + MAX_HEADER_CHARACTERS))));
  const { type, boundary } = mediaType(fields);
  const pieces = type.startsWith('multipart/') && depth < MAX_DEPTH ? splitParts(text, body, boundary) : [];
  for (const one of pieces) {
    if (parts.length >= MAX_PARTS) return fields;
    collect(text, one, depth + 1, parts);
  }
  if (pieces.length === 0) parts.push({ type, fields, body: decodeBody(text, body, fields) });
  return fields;
}

/** The header, up to a line that is empty but for white space, and the body behind that. */
function splitHead(text: string, { from, to }: Piece): { head: Piece; body: Piece } {
  if (text[from] === '\n') return { head: { from, to: from }, body: { from: Math.min(from + 1, to), to } };
  for (let end = lineEnd(text, from, to); end < to;) {
    let next = end + 1;
    while (text[next] === ' ' || text[next] === '\t') next++;
    if (text[next] === '\n' && next < to) return { head: { from, to: end }, body: { from: next + 1, to } };
    end = lineEnd(text, next, to);
  }
  return { head: { from, to }, body: { from: to, to } };
}

/** The header of a message that was returned: without what stands before it. */
export function headerOf(body: string): string {
  let at = 0;
  for (
    let end = lineEnd(body, at, body.length);
    end < body.length && body.slice(at, end).trim() === '';
    end = lineEnd(body, at, body.length)
  )
    at = end + 1;
  if (/^>?From /.test(body.slice(at, at + 6))) at = Math.min(body.length, lineEnd(body, at, body.length) + 1);
  const { head } = splitHead(body, { from: at, to: body.length });
  return body.slice(head.from, head.to);
}

function splitParts(text: string, body: Piece, boundary: string): Piece[] {
  const declared = boundary === '' ? [] : splitAt(text, body, boundary);
  if (declared.length > 0) return declared;
  const guessed = guessBoundary(text, body);
  return guessed === undefined ? [] : splitAt(text, body, guessed);
}

/** The pieces between lines of this boundary, as far as the line that ends them. */
function splitAt(text: string, { from, to }: Piece, boundary: string): Piece[] {
  const pieces: Piece[] = [];
  let begun: number | undefined;
  for (const mark of marks(text, { from, to }, `--${boundary}`)) {
    const end = lineEnd(text, mark, to);
    const rest = text.slice(mark + boundary.length + 2, Math.min(end, mark + boundary.length + 2 + 200)).trimEnd();
    if (rest !== '' && rest !== '--') continue;
    if (begun !== undefined) pieces.push({ from: begun, to: Math.max(begun, mark - 1) });
    begun = Math.min(to, end + 1);
    if (rest === '--' || pieces.length >= MAX_PARTS) return pieces;
  }
  if (begun !== undefined) pieces.push({ from: begun, to });
  return pieces;
}

/** Where lines begin that begin with this. */
function* marks(text: string, { from, to }: Piece, beginning: string): Generator<number> {
  if (text.startsWith(beginning, from)) yield from;
  const line = `\n${beginning}`;
  for (let at = text.indexOf(line, from); at >= 0 && at + 1 < to; at = text.indexOf(line, at + 1)) yield at + 1;
}

/** Lines that begin with two dashes are looked at as far as this many for one that parts begin behind. */
const MAX_GUESSES = 200;
const BOUNDARY = /^--(\S(?:.{0,198}\S)?)[ \t]*\n(?:content-[a-z-]{1,40}[ \t]*:|\n[a-z-]{1,40}[ \t]*:)/i;

/**
 * The boundary that a message uses which declares none, or another: a line with two dashes before the fields of a part.
 */
function guessBoundary(text: string, body: Piece): string | undefined {
  let tries = 0;
  for (const mark of marks(text, body, '--')) {
    const found = BOUNDARY.exec(text.slice(mark, mark + 300))?.[1];
    if (found !== undefined) return found;
    if (++tries >= MAX_GUESSES) return undefined;
  }
  return undefined;
}

function mediaType(fields: Fields): { type: string; boundary: string } {
  const value = withoutComments(field(fields, 'content-type'));
  const type = value.split(';', 1)[0]!.trim().toLowerCase() || 'text/plain';
  const found = /;\s*boundary\s*=\s*(?:"([^"]{1,200})"|"?([^\s;"]{1,200}))/i.exec(value);
  return { type, boundary: (found?.[1] ?? found?.[2] ?? '').trimEnd() };
}

function decodeBody(text: string, { from, to }: Piece, fields: Fields): string {
  const body = text.slice(from, to - from > MAX_PART_CHARACTERS ? from + MAX_PART_CHARACTERS : to);
  const charset = /;\s*charset\s*=\s*"?([A-Za-z0-9_.:-]{1,40})/i.exec(field(fields, 'content-type'))?.[1] ?? '';
  switch (field(fields, 'content-transfer-encoding').slice(0, 100).trim().toLowerCase()) {
    case 'base64':
      return withPlainLines(decodeCharset(Buffer.from(body, 'base64'), charset));
    case 'quoted-printable':
      return decodeCharset(quotedPrintableBytes(body), charset);
    default:
      return decodePlain(body, charset);
  }
}

/** Line ends of a text that was encoded with its own. */
function withPlainLines(text: string): string {
  return text.includes('\r') ? text.replaceAll('\r\n', '\n').replaceAll('\r', '\n') : text;
}
