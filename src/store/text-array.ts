import type { PackedTexts } from '../core/text/packed-texts.ts';
import { makeByteWriter } from './byte-writer.ts';

/** Object identifier of the type text (pg_type.dat of PostgreSQL). */
const TEXT_OID = 25;
const NULL = -1;
const DIMENSIONS = 1;
const LOWER_BOUND = 1;
const HEAD_BYTES = 20;

/**
 * A column of texts as PostgreSQL receives a text array in its binary format (array_recv): nothing is escaped by us or
 * looked for by the server. The driver sends what is a Buffer in binary.
 */
export function textArray(texts: PackedTexts): Buffer {
  const count = texts.length();
  const out = makeByteWriter(HEAD_BYTES + count * (texts.byteLength() / Math.max(1, count) + 4));
  out.int4(DIMENSIONS);
  const flags = out.skip(4);
  out.int4(TEXT_OID);
  out.int4(count);
  out.int4(LOWER_BOUND);
  let hasNull = 0;
  const bytes = texts.bytes();
  for (let place = 0; place < count; place++) {
    if (texts.isNull(place)) {
      out.int4(NULL);
      hasNull = 1;
      continue;
    }
    const [from, to] = [texts.from(place), texts.to(place)];
    out.int4(to - from);
    out.bytes(bytes, from, to);
  }
  out.int4At(flags, hasNull);
  return out.all();
}
