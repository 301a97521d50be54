import { stringify } from 'csv-stringify/sync';
import { parseAddress } from '../../core/address/normal-form.ts';
import { ERASED, OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import { inTransaction } from '../../store/database.ts';
import { lockKeptFile } from '../../store/statements/erase.ts';
import { hasLetter } from '../../store/statements/import-rows.ts';
import { changeImportFormat, findImport, replaceImportParts, type ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';
import { readImportRecords, readLetteredRows } from './read-import-records.ts';

/** An import that names people who were erased refuses their rows; then its file must not keep them either. */
export async function eraseRefusedRows(deps: Deps, row: ImportRow): Promise<void> {
  const letter = OUTCOME_LETTERS['refused:erased'];
  if (!(await hasLetter(deps.database, row.id, letter))) return;
  const addresses = new Set<string>();
  const place = row.options.mapping;
  let column = -1;
  for await (const rows of readLetteredRows(deps, row))
    for (const { record, rowNo, letter: became } of rows) {
      const cells = record.cells ?? [];
      if (rowNo === 0) column = cells.findIndex((header) => place[header.trim()] === 'address');
      const parsed = became === letter ? parseAddress(cells[column] ?? '') : undefined;
      if (parsed?.ok) addresses.add(parsed.address);
    }
  await eraseFromFile(deps, row.options.held?.of ?? row.id, addresses);
}

/**
 * Rewrites a kept file without these people: their rows stay, empty, so that the rows after them keep their numbers and
 * outcomes. Read once to see whether there is anything to do; only then is it written anew.
 */
export async function eraseFromFile(deps: Deps, importId: number, addresses: ReadonlySet<string>): Promise<void> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  const isTheirs = (cells: string[] | null, error: string): boolean =>
    (cells ?? [error]).some((cell) => mentions(cell, addresses));
  let any = false;
  for await (const { records } of readImportRecords(deps, row))
    for (const { cells, error } of records) any ||= isTheirs(cells, error);
  if (!any) return;
  await inTransaction(deps.database, async (sql) => {
    await lockKeptFile(sql, importId);
    // As another erasure may just have left it; or the file of a dry run was handed over to the import for real.
    const now = found(await findImport(sql, importId), `import ${importId}`);
    if (now.appliedAs !== null) await lockKeptFile(sql, now.appliedAs);
    const present =
      now.appliedAs === null ? now : found(await findImport(sql, now.appliedAs), `import ${now.appliedAs}`);
    await replaceImportParts(sql, present.id, rewritten(present));
    await changeImportFormat(sql, present.id, { encoding: 'utf-8', header: true });
  });

  async function* rewritten(present: ImportRow): AsyncGenerator<Buffer> {
    for await (const { records } of readImportRecords(deps, present)) {
      const lines: string[][] = [];
      for (const { cells, error } of records)
        lines.push(isTheirs(cells, error) ? (cells ?? ['']).map(() => ERASED) : (cells ?? [error]));
      yield Buffer.from(stringify(lines, { delimiter: present.options.delimiter }));
    }
  }
}

/** Whether a cell is, or holds, one of these addresses in any writing. */
function mentions(cell: string, addresses: ReadonlySet<string>): boolean {
  if (!cell.includes('@')) return false;
  const parsed = parseAddress(cell);
  if (parsed.ok) return addresses.has(parsed.address);
  const lower = cell.toLowerCase();
  return [...addresses].some((address) => lower.includes(address));
}
