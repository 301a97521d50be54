import type { PoolClient } from 'pg';
import { from as copyFrom, to as copyTo } from 'pg-copy-streams';
import { DataSource, type EntityManager } from 'typeorm';
import type { PackedTexts } from '../../core/import-engine/packed-texts.ts';
import { makeByteWriter, NULL, writePacked } from './byte-writer.ts';
import type { Database } from '../database.ts';

/** Rows in the binary format of COPY; a row is begun with its number of fields, which follow in their order. */
export interface CopyRows {
  begin(fields: number): void;
  int4(value: number): void;
  /** Up to 2^53. */
  int8(value: number): void;
  text(value: string | null): void;
  /** One text of a column. */
  packed(texts: PackedTexts, place: number): void;
  /** A JSON text. */
  jsonb(value: string): void;
  /** Milliseconds since 1970; exact between the years 1715 and 2285. */
  instant(value: number): void;
  /** So many rows that are alike, as encodeRow made one; tells where they begin, for what differs to be put in. */
  repeated(row: Buffer, times: number): number;
  int8At(place: number, value: number): void;
  instantAt(place: number, value: number): void;
  /** All rows; nothing can be added afterwards. */
  end(): Buffer;
  /** Begins anew in the same memory: not before the rows that ended are copied. */
  clear(): void;
}

/** Signature, no flags, no extension (PostgreSQL's manual, COPY, File Formats, Binary Format). */
const HEADER = Buffer.from('PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0', 'latin1');
const TRAILER = Buffer.from([0xff, 0xff]);
/** A row with its texts, as most are. */
export const ROW_BYTES = 100;
const JSONB_VERSION = 1;
/** Instants are microseconds since 2000. */
const EPOCH_MS = Date.UTC(2000, 0, 1);
/** The length of a field goes before it. */
const LENGTH_BYTES = 4;

/**
 * Makes rows for COPY (FORMAT binary): the server takes a row of numbers and instants in half the time of its text.
 * `bytes` is what they will take, roughly.
 */
export function makeCopyRows(bytes: number): CopyRows {
  const out = makeByteWriter(HEADER.length + bytes);
  const begin = (): void => out.bytes(HEADER, 0, HEADER.length);
  begin();
  /** A field whose length is known once it is written. */
  const sized = (value: string, before?: number): void => {
    const begun = out.skip(LENGTH_BYTES);
    if (before !== undefined) out.uint1(before);
    out.text(value);
    out.int4At(begun, out.length() - begun - LENGTH_BYTES);
  };
  return {
    begin: (fields) => out.int2(fields),
    int4(value) {
      out.int4(4);
      out.int4(value);
    },
    int8(value) {
      out.int4(8);
      out.int8(value);
    },
    text(value) {
      if (value === null) out.int4(NULL);
      else sized(value);
    },
    packed: (texts, place) => writePacked(out, texts, place),
    jsonb: (value) => sized(value, JSONB_VERSION),
    instant(value) {
      out.int4(8);
      out.int8(microseconds(value));
    },
    repeated: (row, times) => out.repeat(row, times),
    int8At: (place, value) => out.int8At(place, value),
    instantAt: (place, value) => out.int8At(place, microseconds(value)),
    end() {
      out.bytes(TRAILER, 0, TRAILER.length);
      return out.all();
    },
    clear() {
      out.clear();
      begin();
    },
  };
}

function microseconds(instant: number): number {
  return (instant - EPOCH_MS) * 1000;
}

/** Where the fields of a row begin: after their number; and what a number or an instant takes. */
export const ROW_HEAD_BYTES = 2;
export const INT8_FIELD_BYTES = LENGTH_BYTES + 8;

/** One row as it is copied. */
export function encodeRow(put: (rows: CopyRows) => void): Buffer {
  const rows = makeCopyRows(ROW_BYTES);
  put(rows);
  return rows.end().subarray(HEADER.length, -TRAILER.length);
}

/** The server reads a message whole before it takes its first row. */
const MESSAGE_BYTES = 64 * 1024;

/** Copies rows into `target`, a table with its columns, within the transaction of `sql`. */
export async function copyInto(sql: EntityManager, target: string, rows: CopyRows): Promise<void> {
  const bytes = rows.end();
  const messages: Buffer[] = [];
  for (let at = 0; at < bytes.length; at += MESSAGE_BYTES) messages.push(bytes.subarray(at, at + MESSAGE_BYTES));
  await sendCopy(sql, target, messages);
}

/** Copies one row into `target`: numbers of four bytes, then bytes that come in pieces and are not put together. */
export async function copyBytesInto(
  on: Database | EntityManager,
  target: string,
  numbers: number[],
  pieces: readonly Uint8Array[],
): Promise<void> {
  const out = makeByteWriter(ROW_BYTES);
  out.bytes(HEADER, 0, HEADER.length);
  out.int2(numbers.length + 1);
  for (const number of numbers) {
    out.int4(4);
    out.int4(number);
  }
  out.int4(pieces.reduce((bytes, piece) => bytes + piece.length, 0));
  await sendCopy(on, target, [out.all(), ...pieces, TRAILER]);
}

async function sendCopy(on: Database | EntityManager, target: string, messages: readonly Uint8Array[]): Promise<void> {
  await withClient(on, async (client) => {
    const stream = client.query(copyFrom(`COPY ${target} FROM STDIN (FORMAT binary)`));
    await new Promise<void>((resolve, reject) => {
      stream.on('finish', resolve).on('error', reject);
      for (const message of messages) stream.write(message);
      stream.end();
    });
  });
}

/** Number of fields and length of the first, after the header. */
const BEFORE_VALUE = HEADER.length + 2 + 4;

/**
 * The one value of a query's one row as bytes, in the pieces in which they come, or nothing when there is no row: as a
 * result it would come as text, a bytea as two hexadecimal digits a byte. COPY takes no parameters: the query is whole.
 */
export async function copyBytes(database: Database, query: string): Promise<Buffer[] | undefined> {
  const pieces = await withClient(database, async (client) => {
    const given: Buffer[] = [];
    for await (const piece of client.query(copyTo(`COPY (${query}) TO STDOUT (FORMAT binary)`)))
      given.push(piece as Buffer);
    return given;
  });
  // Where the value begins is looked for in one piece.
  while (pieces.length > 1 && pieces[0]!.length < BEFORE_VALUE)
    pieces.splice(0, 2, Buffer.concat([pieces[0]!, pieces[1]!]));
  const [first, ...others] = pieces;
  if (!first || first.length < BEFORE_VALUE) return undefined;
  const value: Buffer[] = [];
  let left = first.readInt32BE(BEFORE_VALUE - 4);
  for (const piece of [first.subarray(BEFORE_VALUE), ...others]) {
    value.push(piece.subarray(0, left));
    left -= Math.min(left, piece.length);
  }
  return value;
}

/** Runs work on the connection of a transaction, or on one of its own. */
async function withClient<T>(on: Database | EntityManager, work: (client: PoolClient) => Promise<T>): Promise<T> {
  if (!(on instanceof DataSource)) return work((await on.queryRunner!.connect()) as PoolClient);
  const runner = on.createQueryRunner();
  try {
    return await work((await runner.connect()) as PoolClient);
  } finally {
    await runner.release();
  }
}
