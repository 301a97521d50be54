/** Turns bytes of whatever charset into text. Never throws. */
import libmime from 'libmime';
import { MAX_WORDS_CHARACTERS } from './limits.ts';

/** UTF-8 where it is valid, else Latin-1: every byte string gives a text. */
export function decodeBytes(bytes: Uint8Array): string {
  return (
    decodeStrictly(bytes, 'utf-8') ?? Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1')
  );
}

/** In the charset that is named, if it is one that there is and the bytes are well-formed in it. */
export function decodeCharset(bytes: Uint8Array, charset: string): string {
  if (charset === '' || /^(utf-?8|us-ascii)$/i.test(charset)) return decodeBytes(bytes);
  return decodeStrictly(bytes, charset) ?? decodeBytes(bytes);
}

/** So many charsets are remembered before starting over; there are some forty, with several names each. */
const MOST_DECODERS = 100;
const decoders = new Map<string, InstanceType<typeof TextDecoder>>();

/** Nothing where there is no such charset, or the bytes are not well-formed in it. */
function decodeStrictly(bytes: Uint8Array, charset: string): string | undefined {
  try {
    let decoder = decoders.get(charset);
    if (!decoder) {
      if (decoders.size >= MOST_DECODERS) decoders.clear();
      decoders.set(charset, (decoder = new TextDecoder(charset, { fatal: true })));
    }
    return decoder.decode(bytes);
  } catch {
    return undefined;
  }
}

const [LINE_END, RETURN, BLANK, TAB, EQUALS] = [0x0a, 0x0d, 0x20, 0x09, 0x3d];

/**
 * Quoted-printable text as bytes (RFC 2045 section 6.7), one character a byte; what is no valid escape stays as it
 * stands. Ours, and not libmime's, which took twice as long (median of 15 rounds in turn): every body passes here.
 */
export function quotedPrintableBytes(text: string): Buffer {
  const given = Buffer.from(text, 'latin1');
  const bytes = Buffer.allocUnsafe(given.length);
  let length = 0;
  for (let at = 0; at < given.length; at++) {
    if (given[at] !== EQUALS) {
      bytes[length++] = given[at]!;
      continue;
    }
    const [high, low] = [hexDigit(given[at + 1]), hexDigit(given[at + 2])];
    const end = high >= 0 && low >= 0 ? -1 : softLineEnd(given, at + 1);
    if (high >= 0 && low >= 0) bytes[length++] = high * 16 + low;
    else if (end < 0) bytes[length++] = EQUALS;
    if (high >= 0 && low >= 0) at += 2;
    else if (end >= 0) at = end;
  }
  return bytes.subarray(0, length);
}

/** Where the line ends after white space alone, or -1. */
function softLineEnd(bytes: Uint8Array, from: number): number {
  let at = from;
  while (bytes[at] === BLANK || bytes[at] === TAB) at++;
  return bytes[at] === LINE_END ? at : -1;
}

function hexDigit(byte: number | undefined): number {
  if (byte === undefined) return -1;
  const digit = byte <= 0x39 ? byte - 0x30 : (byte | 0x20) - 0x61 + 10;
  return byte >= 0x30 && digit >= 0 && digit < 16 && (byte <= 0x39 || digit >= 10) ? digit : -1;
}

/** Bytes as text with `\n` for every line end, one character a byte: so that places in it are cheap to find and cut. */
export function plainLines(bytes: Uint8Array): string {
  if (!bytes.includes(RETURN)) return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  const plain = Buffer.allocUnsafe(bytes.length);
  let length = 0;
  for (let at = 0; at < bytes.length; at++) {
    const byte = bytes[at]!;
    plain[length++] = byte === RETURN ? LINE_END : byte;
    if (byte === RETURN && bytes[at + 1] === LINE_END) at++;
  }
  return plain.toString('latin1', 0, length);
}

const BEYOND_ASCII = /[\u0080-\u00ff]/;

/** What plainLines made of a text in this charset. */
export function decodePlain(text: string, charset = ''): string {
  return BEYOND_ASCII.test(text) ? decodeCharset(Buffer.from(text, 'latin1'), charset) : text;
}

/**
 * Decodes the encoded words of a field's value (RFC 2047), of a long one those at its beginning; white space between
 * two of them is none.
 */
export function decodeWords(value: string): string {
  if (!value.includes('=?')) return value;
  return libmime.decodeWords(value.slice(0, MAX_WORDS_CHARACTERS)) + value.slice(MAX_WORDS_CHARACTERS);
}

/**
 * Some servers write bytes beyond ASCII as `\\303\\251`. Only such bytes are turned back, so nothing else is touched.
 */
export function decodeOctalEscapes(text: string): string {
  if (!text.includes('\\')) return text;
  return text.replace(/(?:\\[23][0-7]{2}){1,200}/g, (run) =>
    decodeBytes(Uint8Array.from(run.slice(1).split('\\'), (octal) => parseInt(octal, 8))),
  );
}
