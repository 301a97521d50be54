import { Problem } from '../../operations/problem.ts';
import { isStorable } from './storable.ts';

export interface PageQuery {
  cursor?: string;
  limit: number;
}

export interface Page<T> {
  items: T[];
  /** Cursor of the next page; null at the end. */
  next: string | null;
}

/** The number a cursor stands for. Cursors are opaque to callers: base64url of a number, or of a text. */
export function readCursor(cursor: string | undefined, start: number): number {
  const text = readTextCursor(cursor);
  if (text === null) return start;
  const number = /^\d+$/.test(text) ? Number(text) : NaN;
  if (!Number.isSafeInteger(number)) throw notOurs();
  return number;
}

/** The text a cursor stands for; null at the beginning. */
export function readTextCursor(cursor: string | undefined): string | null {
  if (cursor === undefined) return null;
  const text = Buffer.from(cursor, 'base64url').toString();
  if (!isStorable(text)) throw notOurs();
  return text;
}

function notOurs(): Problem {
  return new Problem('invalid-input', 'This cursor is not one of ours.', { field: 'cursor' });
}

/** One page: `rows` were asked for with one more than the limit, which tells whether there is a next page. */
export function pageOf<T>(rows: T[], limit: number, key: (row: T) => number | string): Page<T> {
  const items = rows.slice(0, limit);
  const last = items[items.length - 1];
  return {
    items,
    next: rows.length > limit && last ? Buffer.from(String(key(last))).toString('base64url') : null,
  };
}

/** Where a list that runs from the newest begins. */
export const NEWEST = Number.MAX_SAFE_INTEGER;
export const NEWEST_INT = 2_147_483_647;
