/**
 * Texts one after the other in one piece of memory (UTF-8), some of them null: a column of very many rows, without an
 * object for each, which the garbage collector would have to go through again and again.
 */
export interface PackedTexts {
  length(): number;
  push(text: string | null): void;
  /** A text as it stands in UTF-8. */
  pushBytes(bytes: Uint8Array, from: number, to: number): void;
  at(place: number): string | null;
  /** Where a text stands in `bytes()`, without one that is null. */
  from(place: number): number;
  to(place: number): number;
  bytes(): Uint8Array;
  /** How many of them are used. */
  byteLength(): number;
  isNull(place: number): boolean;
  hasNull(): boolean;
  all(): (string | null)[];
  /** Takes all out, and keeps the memory. */
  clear(): void;
}

const NULL = -1;
/** A name or an address, roughly. */
const TEXT_BYTES = 24;

/** An empty column, for some number of texts. */
export function makePackedTexts(texts: number): PackedTexts {
  let buffer = Buffer.allocUnsafe(Math.max(1, texts) * TEXT_BYTES);
  let begins = new Int32Array(Math.max(1, texts));
  let ends = new Int32Array(begins.length);
  let count = 0;
  let used = 0;

  const makeRoom = (bytes: number): void => {
    if (used + bytes > buffer.length) {
      const larger = Buffer.allocUnsafe(Math.max(buffer.length * 2, used + bytes));
      buffer.copy(larger, 0, 0, used);
      buffer = larger;
    }
    if (count < begins.length) return;
    begins = doubled(begins);
    ends = doubled(ends);
  };
  const note = (begin: number, end: number): void => {
    begins[count] = begin;
    ends[count++] = end;
  };
  const at = (place: number): string | null =>
    begins[place] === NULL ? null : buffer.toString('utf8', begins[place], ends[place]);
  return {
    length: () => count,
    push(text) {
      makeRoom(text === null ? 0 : Buffer.byteLength(text));
      if (text === null) return note(NULL, NULL);
      const begin = used;
      used += buffer.write(text, begin);
      note(begin, used);
    },
    pushBytes(bytes, from, to) {
      makeRoom(to - from);
      // Short as they are, they are copied quicker here than by calling out of JavaScript.
      const into = buffer;
      let place = used;
      for (let at = from; at < to; at++) into[place++] = bytes[at]!;
      note(used, place);
      used = place;
    },
    at,
    from: (place) => begins[place]!,
    to: (place) => ends[place]!,
    bytes: () => buffer,
    byteLength: () => used,
    isNull: (place) => begins[place] === NULL,
    hasNull: () => begins.subarray(0, count).includes(NULL),
    all: () => Array.from({ length: count }, (_, place) => at(place)),
    clear() {
      count = 0;
      used = 0;
    },
  };
}

/** Those of a column that stand at these places. */
export function pickTexts(texts: PackedTexts, places: readonly number[]): PackedTexts {
  const picked = makePackedTexts(places.length);
  for (const place of places) {
    if (texts.isNull(place)) picked.push(null);
    else picked.pushBytes(texts.bytes(), texts.from(place), texts.to(place));
  }
  return picked;
}

/** A column of these texts. */
export function packTexts(texts: readonly (string | null)[]): PackedTexts {
  const packed = makePackedTexts(texts.length);
  for (const text of texts) packed.push(text);
  return packed;
}

function doubled(places: Int32Array): Int32Array<ArrayBuffer> {
  const larger = new Int32Array(places.length * 2);
  larger.set(places);
  return larger;
}
