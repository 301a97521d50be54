import type { PackedTexts } from '../../core/import-engine/packed-texts.ts';
import { makeByteWriter, writePacked } from './byte-writer.ts';

/** Object identifier of the type text (pg_type.dat of PostgreSQL). */
const TEXT_OID = 25;
const DIMENSIONS = 1;
const LOWER_BOUND = 1;
const HEAD_BYTES = 20;

/**
 * A column of texts as PostgreSQL receives a text array in its binary format (array_recv): nothing is escaped by us or
 * looked for by the server. The driver sends what is a Buffer in binary.
 */
export function textArray(texts: PackedTexts): Buffer {
  const count = texts.length();
  const out = makeByteWriter(HEAD_BYTES + texts.byteLength() + 4 * count);
  out.int4(DIMENSIONS);
  out.int4(texts.hasNull() ? 1 : 0);
  out.int4(TEXT_OID);
  out.int4(count);
  out.int4(LOWER_BOUND);
  for (let place = 0; place < count; place++) writePacked(out, texts, place);
  return out.all();
}
