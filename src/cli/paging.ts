import type { Command } from 'commander';
import type { PageQuery } from '../shared/contract/parts.ts';
import { printRows, note, type Column, type OutputOptions } from './output.ts';

export interface PagingOptions {
  limit: string;
  cursor?: string;
}

/** Adds the options with which a list is read page by page. */
export function withPaging(command: Command): Command {
  return command
    .option('--limit <number>', 'at most this many', '50')
    .option('--cursor <cursor>', 'go on where a page ended');
}

/** What the service is asked for. */
export function pageOf({ limit, cursor }: PagingOptions): PageQuery {
  return { limit: Number(limit), cursor };
}

/** Prints a page, and on standard error how to get the next. */
export function printPage<T>(
  page: { items: T[]; next: string | null },
  columns: Column<T>[],
  options: OutputOptions,
  empty: string,
): void {
  printRows(page.items, columns, options, empty);
  if (page.next) note(`The next page: --cursor ${page.next}`);
}
