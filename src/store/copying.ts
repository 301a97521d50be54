import type { PoolClient } from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import type { EntityManager } from 'typeorm';
import type { Database } from './database.ts';

/** Rows in the binary format of COPY; a row is begun with its number of fields, which follow in their order. */
export interface CopyRows {
  begin(fields: number): void;
  int4(value: number): void;
  /** Up to 2^53. */
  int8(value: number): void;
  text(value: string | null): void;
  /** A JSON text. */
  jsonb(value: string): void;
  /** Milliseconds since 1970; exact between the years 1715 and 2285. */
  instant(value: number): void;
  /** Fields that encodeFields made. */
  encoded(fields: Buffer): void;
  /** All rows; nothing can be added afterwards. */
  end(): Buffer;
}

/** Signature, no flags, no extension (PostgreSQL's manual, COPY, File Formats, Binary Format). */
const HEADER = Buffer.from('PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0', 'latin1');
const TRAILER = -1;
const TRAILER_BYTES = 2;
/** A row with its texts, as most are. */
export const ROW_BYTES = 100;
const NULL = -1;
const JSONB_VERSION = 1;
/** Instants are microseconds since 2000. */
const EPOCH_MS = Date.UTC(2000, 0, 1);
const TWO_TO_32 = 2 ** 32;
/** UTF-8 takes at most three bytes for a UTF-16 unit. */
const MOST_BYTES_A_UNIT = 3;
const FIXED_ROOM = 16;

/**
 * Makes rows for COPY (FORMAT binary): the server reads a number or an instant of it several times as fast as its text.
 * `bytes` is what they will take, roughly.
 */
export function makeCopyRows(bytes: number): CopyRows {
  let buffer = Buffer.allocUnsafe(HEADER.length + bytes);
  let at = HEADER.copy(buffer);
  const room = (more: number): void => {
    if (at + more <= buffer.length) return;
    const larger = Buffer.allocUnsafe(Math.max(buffer.length * 2, at + more));
    buffer.copy(larger, 0, 0, at);
    buffer = larger;
  };
  const put2 = (value: number): void => {
    buffer[at++] = value >>> 8;
    buffer[at++] = value;
  };
  const put4 = (value: number): void => {
    buffer[at++] = value >>> 24;
    buffer[at++] = value >>> 16;
    buffer[at++] = value >>> 8;
    buffer[at++] = value;
  };
  const put8 = (value: number): void => {
    const high = Math.floor(value / TWO_TO_32);
    put4(high);
    put4(value - high * TWO_TO_32);
  };
  /** Text of which most is ASCII: written unit by unit, which for a short text is quicker than calling out of JavaScript. */
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
  /** The length goes before what it is the length of, and is known after it. */
  const endSized = (begun: number): void => {
    const end = at;
    at = begun;
    put4(end - begun - 4);
    at = end;
  };
  return {
    begin(fields) {
      room(FIXED_ROOM);
      put2(fields);
    },
    int4(value) {
      room(FIXED_ROOM);
      put4(4);
      put4(value);
    },
    int8(value) {
      room(FIXED_ROOM);
      put4(8);
      put8(value);
    },
    text(value) {
      room(FIXED_ROOM + (value?.length ?? 0) * MOST_BYTES_A_UNIT);
      if (value === null) return put4(NULL);
      const begun = at;
      at += 4;
      putText(value);
      endSized(begun);
    },
    jsonb(value) {
      room(FIXED_ROOM + value.length * MOST_BYTES_A_UNIT);
      const begun = at;
      at += 4;
      buffer[at++] = JSONB_VERSION;
      putText(value);
      endSized(begun);
    },
    instant(value) {
      room(FIXED_ROOM);
      put4(8);
      put8((value - EPOCH_MS) * 1000);
    },
    encoded(fields) {
      room(fields.length);
      buffer.set(fields, at);
      at += fields.length;
    },
    end() {
      room(FIXED_ROOM);
      put2(TRAILER);
      return buffer.subarray(0, at);
    },
  };
}

/** Fields that are the same in every row, made once. */
export function encodeFields(put: (rows: CopyRows) => void): Buffer {
  const rows = makeCopyRows(ROW_BYTES);
  put(rows);
  return rows.end().subarray(HEADER.length, -TRAILER_BYTES);
}

/** Copies rows into `target`, a table with its columns, within the transaction of `sql`. */
export async function copyInto(sql: EntityManager, target: string, rows: CopyRows): Promise<void> {
  const client = (await sql.queryRunner!.connect()) as PoolClient;
  const stream = client.query(copyFrom(`COPY ${target} FROM STDIN (FORMAT binary)`));
  await new Promise<void>((resolve, reject) => stream.on('finish', resolve).on('error', reject).end(rows.end()));
}

/** Number of fields and length of the first, after the header. */
const BEFORE_VALUE = HEADER.length + 2 + 4;

/**
 * The one value of a query's one row as bytes, or nothing when there is no row: as a result it would come as text, a bytea
 * as two hexadecimal digits a byte. COPY takes no parameters: the query is whole.
 */
export async function copyBytes(database: Database, query: string): Promise<Buffer | undefined> {
  const runner = database.createQueryRunner();
  try {
    const client = (await runner.connect()) as PoolClient;
    const pieces: Buffer[] = [];
    for await (const piece of client.query(copyTo(`COPY (${query}) TO STDOUT (FORMAT binary)`)))
      pieces.push(piece as Buffer);
    const all = Buffer.concat(pieces);
    if (all.length < BEFORE_VALUE) return undefined;
    return all.subarray(BEFORE_VALUE, BEFORE_VALUE + all.readInt32BE(BEFORE_VALUE - 4));
  } finally {
    await runner.release();
  }
}
