import { stringify } from 'csv-stringify/sync';
import { ROW_WORDS } from '../../shared/row-words.ts';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { makeRowReader } from '../../core/import/read-table.ts';
import { ERASED, outcomeOf } from '../../core/import/row-outcomes.ts';
import { findImport } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { tableColumns } from './read-row-chunks.ts';
import { findStanding } from '../marks/find-standing.ts';
import { readLetteredRows, type ImportRecord, type LetteredRow } from './read-import-records.ts';

/** The result file of an import, as CSV text in pieces: the original columns, then row, outcome, code and words. */
export async function* exportImportResults(deps: Deps, importId: number, only?: string): AsyncGenerator<string> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  if (row.state !== 'finished')
    throw new Problem(
      'wrong-state',
      `Import ${importId} is ${row.state}; its result file is there when it is finished.`,
    );
  let read: ReturnType<typeof makeRowReader> | undefined;
  for await (const rows of readLetteredRows(deps, row)) {
    if (rows.length === 0) continue;
    // The header comes first of all.
    read ??= makeRowReader(tableColumns(rows[0]!.record, row), row.createdAt.getTime());
    const why = await whySuppressed(deps, rows, read);
    const lines: string[][] = [];
    for (const { record, rowNo, letter } of rows) {
      if (rowNo === 0) {
        lines.push([...(record.cells ?? []), 'row', 'outcome', 'code', 'explanation']);
        continue;
      }
      const [outcome, ...line] = resultLine(record, rowNo, letter, read, why.get(rowNo));
      if (only === undefined || only === outcome) lines.push(line);
    }
    yield stringify(lines);
  }
}

/** The outcome, then the cells of the row's line in the result file. */
function resultLine(
  { cells, error }: ImportRecord,
  rowNo: number,
  letter: string,
  read: ReturnType<typeof makeRowReader>,
  why = '',
): string[] {
  const [outcome = '', code = ''] = (outcomeOf(letter) ?? '').split(':');
  const words = ROW_WORDS[code === '' ? outcome : `${outcome}:${code}`] ?? '';
  const wrong = outcome === 'refused' && cells ? wrongCell(cells, read) : '';
  return [
    outcome,
    ...[...(cells ?? []), String(rowNo), outcome, code, (error || words) + wrong + why].map(withoutFormula),
  ];
}

/** For rows that were suppressed: on which list their address stands, and why, as it is now. */
async function whySuppressed(
  deps: Deps,
  rows: LetteredRow[],
  read: ReturnType<typeof makeRowReader>,
): Promise<Map<number, string>> {
  const addresses = new Map<number, string>();
  for (const { record, rowNo, letter } of rows) {
    if (outcomeOf(letter) !== 'suppressed' || !record.cells) continue;
    const known = read(record.cells);
    if (known.code === null) addresses.set(rowNo, known.address);
  }
  const standing = await findStanding(deps, [...new Set(addresses.values())]);
  return new Map(
    [...addresses].map(([rowNo, address]) => {
      const on = standing.get(address)!.map(({ listName, reason }) => `“${listName}”${reason ? `: ${reason}` : ''}`);
      return [rowNo, on.length === 0 ? ' No list holds it now.' : ` It stands on ${on.join('; on ')}.`];
    }),
  );
}

/** What stands in the cell for which a row was refused, in quotation marks. */
function wrongCell(cells: string[], read: ReturnType<typeof makeRowReader>): string {
  // Who was erased is not named again.
  if (cells.every((cell) => cell === ERASED)) return '';
  const known = read(cells);
  const cell = known.code === null || known.column === undefined ? undefined : cells[known.column];
  return cell === undefined || cell.trim() === '' ? '' : ` It says “${cell.trim().slice(0, 100)}”.`;
}
