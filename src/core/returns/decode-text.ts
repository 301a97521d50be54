/** Turns bytes of whatever charset into text. Never throws. */

/** UTF-8 where it is valid, else Latin-1: every byte string gives a text. */
export function decodeBytes(bytes: Uint8Array): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString('latin1');
  }
}

/** In the charset that is named, if it is one that there is and the bytes are well-formed in it. */
export function decodeCharset(bytes: Uint8Array, charset: string): string {
  if (charset === '' || /^(utf-?8|us-ascii)$/i.test(charset)) return decodeBytes(bytes);
  try {
    return new TextDecoder(charset, { fatal: true }).decode(bytes);
  } catch {
    return decodeBytes(bytes);
  }
}

/** Quoted-printable text as bytes (RFC 2045 section 6.7); what is no valid escape stays as it stands. */
export function quotedPrintableBytes(text: string): Buffer {
  const bytes = Buffer.from(text.replace(/=[ \t]*\n/g, ''), 'utf8').toString('latin1');
  return Buffer.from(
    bytes.replace(/=([0-9A-Fa-f]{2})/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))),
    'latin1',
  );
}

/** RFC 2047 section 2; the charset may carry a language (RFC 2231 section 5). */
const ENCODED_WORD = /=\?([A-Za-z0-9_.:-]{1,40})(?:\*[A-Za-z0-9-]{1,20})?\?([BbQq])\?([^?\s]{0,2000})\?=/g;

/** Decodes the encoded words of a field's value (RFC 2047); white space between two of them is none. */
export function decodeWords(value: string): string {
  if (!value.includes('=?')) return value;
  return value
    .replace(/(\?=)[ \t]+(?==\?)/g, '$1')
    .replace(ENCODED_WORD, (_, charset: string, encoding: string, text: string) =>
      decodeCharset(
        encoding.toLowerCase() === 'b' ? Buffer.from(text, 'base64') : quotedPrintableBytes(text.replace(/_/g, ' ')),
        charset,
      ),
    );
}

/** Some servers write bytes beyond ASCII as `\\303\\251`. Only such bytes are turned back, so nothing else is touched. */
export function decodeOctalEscapes(text: string): string {
  if (!text.includes('\\')) return text;
  return text.replace(/(?:\\[23][0-7]{2}){1,200}/g, (run) =>
    decodeBytes(Uint8Array.from(run.slice(1).split('\\'), (octal) => parseInt(octal, 8))),
  );
}
