/** Writes numbers (big-endian) and texts (UTF-8) one after the other into a buffer that grows. */
export interface ByteWriter {
  uint1: (value: number) => void;
  int2: (value: number) => void;
  int4: (value: number) => void;
  /** Up to 2^53. */
  int8: (value: number) => void;
  text: (value: string) => void;
  bytes: (value: Buffer) => void;
  /** Leaves bytes free, and tells where they begin. */
  skip: (bytes: number) => number;
  int4At: (place: number, value: number) => void;
  length: () => number;
  all: () => Buffer;
}

const TWO_TO_32 = 2 ** 32;
/** UTF-8 takes at most three bytes for a UTF-16 unit. */
const MOST_BYTES_A_UNIT = 3;
const WIDEST_NUMBER = 8;

/** `bytes` is what will be written, roughly. */
export function makeByteWriter(bytes: number): ByteWriter {
  let buffer = Buffer.allocUnsafe(bytes);
  let at = 0;
  const room = (more: number): void => {
    if (at + more <= buffer.length) return;
    const larger = Buffer.allocUnsafe(Math.max(buffer.length * 2, at + more));
    buffer.copy(larger, 0, 0, at);
    buffer = larger;
  };
  const put4 = (value: number): void => {
    buffer[at++] = value >>> 24;
    buffer[at++] = value >>> 16;
    buffer[at++] = value >>> 8;
    buffer[at++] = value;
  };
  /** Most is ASCII: written unit by unit, which for a short text is quicker than calling out of JavaScript. */
  const putText = (value: string): void => {
    const begun = at;
    for (let index = 0; index < value.length; index++) {
      const unit = value.charCodeAt(index);
      if (unit > 0x7f) {
        at = begun + buffer.write(value, begun);
        return;
      }
      buffer[at++] = unit;
    }
  };
  return {
    uint1(value) {
      room(WIDEST_NUMBER);
      buffer[at++] = value;
    },
    int2(value) {
      room(WIDEST_NUMBER);
      buffer[at++] = value >>> 8;
      buffer[at++] = value;
    },
    int4(value) {
      room(WIDEST_NUMBER);
      put4(value);
    },
    int8(value) {
      room(WIDEST_NUMBER);
      const high = Math.floor(value / TWO_TO_32);
      put4(high);
      put4(value - high * TWO_TO_32);
    },
    text(value) {
      room(value.length * MOST_BYTES_A_UNIT);
      putText(value);
    },
    bytes(value) {
      room(value.length);
      buffer.set(value, at);
      at += value.length;
    },
    skip(more) {
      room(more);
      at += more;
      return at - more;
    },
    int4At(place, value) {
      buffer.writeInt32BE(value, place);
    },
    length: () => at,
    all: () => buffer.subarray(0, at),
  };
}
