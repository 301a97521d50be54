import type { PackedTexts } from '../../core/import-engine/packed-texts.ts';

/** Writes numbers (big-endian) and texts (UTF-8) one after the other into a buffer that grows. */
export interface ByteWriter {
  uint1: (value: number) => void;
  int2: (value: number) => void;
  int4: (value: number) => void;
  /** Up to 2^53. */
  int8: (value: number) => void;
  text: (value: string) => void;
  /** Those of a piece of memory between two places. */
  bytes: (of: Uint8Array, from: number, to: number) => void;
  /** The same bytes so many times, one after the other; tells where they begin. */
  repeat: (of: Uint8Array, times: number) => number;
  /** Leaves bytes free, and tells where they begin. */
  skip: (bytes: number) => number;
  int4At: (place: number, value: number) => void;
  int8At: (place: number, value: number) => void;
  length: () => number;
  all: () => Buffer;
  /** Begins anew in the same memory: what `all` gave is written over. */
  clear: () => void;
}

/** One text of a column behind its length, as PostgreSQL's binary formats have a field or an element; -1 is null. */
export function writePacked(out: ByteWriter, texts: PackedTexts, place: number): void {
  if (texts.isNull(place)) return out.int4(NULL);
  const [from, to] = [texts.from(place), texts.to(place)];
  out.int4(to - from);
  out.bytes(texts.bytes(), from, to);
}

export const NULL = -1;
const TWO_TO_32 = 2 ** 32;
/** UTF-8 takes at most three bytes for a UTF-16 unit. */
const MOST_BYTES_A_UNIT = 3;
const WIDEST_NUMBER = 8;

/** `bytes` is what will be written, roughly. */
export function makeByteWriter(bytes: number): ByteWriter {
  let buffer = Buffer.allocUnsafe(bytes + WIDEST_NUMBER);
  let view = viewOf(buffer);
  let at = 0;
  const room = (more: number): void => {
    if (at + more <= buffer.length) return;
    const larger = Buffer.allocUnsafe(Math.max(buffer.length * 2, at + more));
    buffer.copy(larger, 0, 0, at);
    buffer = larger;
    view = viewOf(larger);
  };
  const putInt8 = (place: number, value: number): void => {
    const high = Math.floor(value / TWO_TO_32);
    view.setInt32(place, high);
    view.setUint32(place + 4, value - high * TWO_TO_32);
  };
  return {
    uint1(value) {
      room(WIDEST_NUMBER);
      view.setUint8(at, value);
      at += 1;
    },
    int2(value) {
      room(WIDEST_NUMBER);
      view.setInt16(at, value);
      at += 2;
    },
    int4(value) {
      room(WIDEST_NUMBER);
      view.setInt32(at, value);
      at += 4;
    },
    int8(value) {
      room(WIDEST_NUMBER);
      putInt8(at, value);
      at += 8;
    },
    text(value) {
      room(value.length * MOST_BYTES_A_UNIT);
      at += buffer.write(value, at);
    },
    bytes(of, from, to) {
      room(to - from);
      // Mostly a few: quicker one by one than by calling out of JavaScript; in variables of their own, quicker than in
      // shared ones.
      const into = buffer;
      let place = at;
      for (let next = from; next < to; next++) into[place++] = of[next]!;
      at = place;
    },
    repeat(of, times) {
      const [begun, end] = [at, at + of.length * times];
      room(end - begun);
      if (times > 0) buffer.set(of, begun);
      // Each copy doubles what there is.
      for (at = Math.min(end, begun + of.length); at < end; at = Math.min(end, 2 * at - begun))
        buffer.copyWithin(at, begun, Math.min(at, begun + end - at));
      return begun;
    },
    skip(more) {
      room(more);
      at += more;
      return at - more;
    },
    int4At(place, value) {
      view.setInt32(place, value);
    },
    int8At: putInt8,
    length: () => at,
    all: () => buffer.subarray(0, at),
    clear: () => void (at = 0),
  };
}

function viewOf({ buffer, byteOffset, length }: Buffer): DataView {
  return new DataView(buffer, byteOffset, length);
}
