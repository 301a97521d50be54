import type { Encoding } from '../../shared/words.ts';

/** Brings a text into UTF-8 (RFC 3629), in pieces cut anywhere, without its byte order mark. */
export interface Recoder {
  take(piece: Buffer): Buffer;
  end(): Buffer;
}

const MARK = Buffer.from('\ufeff');

/** What is in UTF-8 already stays as it is, also where it is malformed: whoever reads it as text sees U+FFFD there. */
export function makeRecoder(encoding: Encoding): Recoder {
  if (encoding === 'utf-8') return makeMarkTaker();
  const decoder = new TextDecoder(encoding);
  return {
    take: (piece) => Buffer.from(decoder.decode(piece, { stream: true })),
    end: () => Buffer.from(decoder.decode()),
  };
}

/** The mark can be cut in two like everything else. */
function makeMarkTaker(): Recoder {
  let held: Buffer | undefined = Buffer.alloc(0);
  const give = (bytes: Buffer): Buffer => {
    held = undefined;
    return bytes.subarray(0, MARK.length).equals(MARK) ? bytes.subarray(MARK.length) : bytes;
  };
  return {
    take(piece) {
      if (held === undefined) return piece;
      const bytes = held.length === 0 ? piece : Buffer.concat([held, piece]);
      if (bytes.length >= MARK.length) return give(bytes);
      held = bytes;
      return Buffer.alloc(0);
    },
    end: () => (held === undefined ? Buffer.alloc(0) : give(held)),
  };
}
