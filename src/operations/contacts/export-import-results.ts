import { stringify } from 'csv-stringify/sync';
import { ROW_WORDS } from '../../shared/row-words.ts';
import { findImport, findOutcomes } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { CHUNK_ROWS } from './import-contacts.ts';
import { readImportRecords } from './read-import-records.ts';

/** The result file of an import, as CSV text in pieces: the original columns, then row, outcome, code and words. */
export async function* exportImportResults(deps: Deps, importId: number, only?: string): AsyncGenerator<string> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  if (row.state !== 'finished')
    throw new Problem(
      'wrong-state',
      `Import ${importId} is ${row.state}; its result file is there when it is finished.`,
    );
  let outcomes: string[] = [];
  let rowNo = 0;
  let lines: string[][] = [];
  for await (const { cells, error } of readImportRecords(deps, row)) {
    if (rowNo === 0) {
      lines.push([...(cells ?? []), 'row', 'outcome', 'code', 'explanation']);
    } else {
      if ((rowNo - 1) % CHUNK_ROWS === 0) outcomes = (await findOutcomes(deps.database, importId, rowNo)) ?? [];
      const [outcome = '', code = ''] = (outcomes[(rowNo - 1) % CHUNK_ROWS] ?? '').split(':');
      const words = ROW_WORDS[code === '' ? outcome : `${outcome}:${code}`] ?? '';
      if (only === undefined || only === outcome)
        lines.push([...(cells ?? []), String(rowNo), outcome, code, error || words].map(withoutFormula));
    }
    rowNo++;
    if (lines.length < 500) continue;
    yield stringify(lines);
    lines = [];
  }
  yield stringify(lines);
}

/** A cell that a spreadsheet would take for a formula is written with a leading apostrophe. */
function withoutFormula(cell: string): string {
  return /^[=+@\t\r-]/.test(cell) ? `'${cell}` : cell;
}
