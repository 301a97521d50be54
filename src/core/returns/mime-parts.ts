import { decodeBytes, decodeCharset, quotedPrintableBytes } from './decode-text.ts';
import { MAX_DEPTH, MAX_HEADER_CHARACTERS, MAX_MESSAGE_BYTES, MAX_PARTS } from './limits.ts';

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

/**
 * Takes a message apart as far as reading a return needs (RFC 2045, 2046 and 5322), forgiving broken structure: a
 * missing boundary ends with the text, an unreadable encoding is left as it stands. Never throws. One pass over lines.
 */
export function parseMessage(raw: Uint8Array | string): ParsedMessage {
  const text =
    typeof raw === 'string' ? raw.slice(0, MAX_MESSAGE_BYTES) : decodeBytes(raw.subarray(0, MAX_MESSAGE_BYTES));
  const parts: MimePart[] = [];
  const top = splitHead(text.replace(/\r\n?/g, '\n').replace(/^(?:>?From [^\n]*)?\n*/, ''));
  collect(top.head, top.body, 0, parts);
  const fields = parseFields(top.head);
  return { fields, type: mediaType(fields).type, parts };
}

/** The first value of a field, or an empty text. */
export function field(fields: Fields, name: string): string {
  return fields.get(name)?.[0] ?? '';
}

/** Reads a header block or a block of report fields into names and unfolded values (RFC 5322 section 2.2.3). */
export function parseFields(block: string): Fields {
  const fields = new Map<string, string[]>();
  let current: { name: string; value: string } | undefined;
  const keep = (): void => {
    if (!current) return;
    const values = fields.get(current.name) ?? [];
    values.push(current.value.trim());
    fields.set(current.name, values);
  };
  for (const line of block.slice(0, MAX_HEADER_CHARACTERS).split('\n')) {
    if (/^[ \t]/.test(line) && current) {
      current.value += ` ${line.trim()}`;
      continue;
    }
    const colon = line.indexOf(':');
    if (colon < 1 || /\s/.test(line.slice(0, colon).trimEnd())) continue;
    keep();
    current = { name: line.slice(0, colon).trim().toLowerCase(), value: line.slice(colon + 1) };
  }
  keep();
  return fields;
}

/** Blocks of fields parted by empty lines, as delivery reports hold them. */
export function fieldBlocks(body: string): Fields[] {
  return body
    .split(/\n[ \t]*\n+/)
    .map((block) => parseFields(block))
    .filter((block) => block.size > 0);
}

function collect(head: string, body: string, depth: number, parts: MimePart[]): void {
  if (parts.length >= MAX_PARTS) return;
  const fields = parseFields(head);
  const { type, boundary } = mediaType(fields);
  if (type.startsWith('multipart/') && boundary !== '' && depth < MAX_DEPTH) {
    for (const piece of splitParts(body, boundary)) {
      const inner = splitHead(piece);
      collect(inner.head, inner.body, depth + 1, parts);
    }
    return;
  }
  parts.push({ type, fields, body: decodeBody(body, fields) });
}

function splitParts(body: string, boundary: string): string[] {
  const pieces: string[] = [];
  let lines: string[] | undefined;
  const keep = (): void => {
    if (lines) pieces.push(lines.join('\n'));
  };
  for (const line of body.split('\n')) {
    const mark = line.trimEnd();
    if (mark === `--${boundary}--`) {
      keep();
      return pieces;
    }
    if (mark === `--${boundary}`) {
      keep();
      lines = [];
      if (pieces.length >= MAX_PARTS) return pieces;
    } else lines?.push(line);
  }
  keep();
  return pieces;
}

function splitHead(text: string): { head: string; body: string } {
  if (text.startsWith('\n')) return { head: '', body: text.slice(1) };
  const end = text.search(/\n[ \t]*\n/);
  if (end < 0) return { head: text, body: '' };
  return { head: text.slice(0, end), body: text.slice(text.indexOf('\n', end + 1) + 1) };
}

function mediaType(fields: Fields): { type: string; boundary: string } {
  const value = field(fields, 'content-type');
  const type = value.split(';')[0]!.trim().toLowerCase() || 'text/plain';
  const found = /;\s*boundary\s*=\s*(?:"([^"]{1,200})"|([^\s;]{1,200}))/i.exec(value);
  return { type, boundary: found?.[1] ?? found?.[2] ?? '' };
}

function decodeBody(body: string, fields: Fields): string {
  const charset = /;\s*charset\s*=\s*"?([A-Za-z0-9_.:-]{1,40})/i.exec(field(fields, 'content-type'))?.[1] ?? '';
  switch (field(fields, 'content-transfer-encoding').trim().toLowerCase()) {
    case 'base64':
      return decodeCharset(Buffer.from(body.replace(/[^A-Za-z0-9+/=]/g, ''), 'base64'), charset).replace(
        /\r\n?/g,
        '\n',
      );
    case 'quoted-printable':
      return decodeCharset(quotedPrintableBytes(body), charset);
    default:
      return body;
  }
}
