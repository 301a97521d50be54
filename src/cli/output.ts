import { visible } from '../core/text/visible.ts';

/** How results are printed: tables for people, one JSON document or one record a line for programs. */
export interface OutputOptions {
  json?: boolean;
  jsonl?: boolean;
}

export interface Column<T> {
  head: string;
  cell: (row: T) => string | number | null | undefined;
  /** Figures stand at the right. */
  right?: boolean;
}

const WIDEST_CELL = 64;

/** Prints rows as a table, or as JSON where it was asked for; `empty` is what to say when there are none. */
export function printRows<T>(rows: T[], columns: Column<T>[], options: OutputOptions, empty: string): void {
  if (options.jsonl) for (const row of rows) line(JSON.stringify(row));
  else if (options.json) line(JSON.stringify(rows, null, 2));
  else if (rows.length === 0) line(empty);
  else line(tableText(rows, columns));
}

/** Prints one thing: its JSON, or the lines that `lines` makes of it. */
export function printOne<T>(value: T, options: OutputOptions, lines: (value: T) => string[]): void {
  if (options.jsonl) line(JSON.stringify(value));
  else if (options.json) line(JSON.stringify(value, null, 2));
  else for (const text of lines(value)) line(text);
}

/** Rows as aligned columns under a ruled head. */
export function tableText<T>(rows: T[], columns: Column<T>[]): string {
  const cells = rows.map((row) => columns.map((column) => clip(textOf(column.cell(row)))));
  const widths = columns.map((column, index) =>
    Math.max(column.head.length, ...cells.map((row) => [...row[index]!].length)),
  );
  const draw = (row: string[]): string =>
    row
      .map((cell, index) => pad(cell, widths[index]!, columns[index]!.right === true))
      .join('  ')
      .trimEnd();
  return [
    draw(columns.map((column) => column.head)),
    widths.map((width) => '─'.repeat(width)).join('  '),
    ...cells.map(draw),
  ].join('\n');
}

/** A result, on standard output. Nothing in it tells the terminal what to do: much of it was written by strangers. */
export function line(text: string): void {
  process.stdout.write(`${visible(text)}\n`);
}

/** Says something that is no result: on standard error, so that a pipe stays clean. */
export function note(text: string): void {
  process.stderr.write(`${visible(text)}\n`);
}

/** A whole number as a person reads it. */
export function count(number: number): string {
  return number.toLocaleString('en-GB');
}

/** A part of a whole in per cent, to two places; a dash where there is no whole. */
export function share(part: number, whole: number): string {
  return whole === 0 ? '–' : `${((100 * part) / whole).toFixed(2)} %`;
}

function pad(cell: string, width: number, right: boolean): string {
  const space = ' '.repeat(Math.max(0, width - [...cell].length));
  return right ? space + cell : cell + space;
}

function textOf(value: string | number | null | undefined): string {
  if (typeof value === 'number') return count(value);
  return visible((value ?? '').replace(/\s+/g, ' '));
}

function clip(text: string): string {
  const characters = [...text];
  return characters.length <= WIDEST_CELL ? text : `${characters.slice(0, WIDEST_CELL - 1).join('')}…`;
}
