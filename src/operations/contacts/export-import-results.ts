import { stringify } from 'csv-stringify/sync';
import { ROW_WORDS } from '../../shared/row-words.ts';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { outcomeOf } from '../../core/import/row-outcomes.ts';
import { findImport } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { readLetteredRows, type ImportRecord } from './read-import-records.ts';

/** The result file of an import, as CSV text in pieces: the original columns, then row, outcome, code and words. */
export async function* exportImportResults(deps: Deps, importId: number, only?: string): AsyncGenerator<string> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  if (row.state !== 'finished')
    throw new Problem(
      'wrong-state',
      `Import ${importId} is ${row.state}; its result file is there when it is finished.`,
    );
  for await (const rows of readLetteredRows(deps, row)) {
    const lines: string[][] = [];
    for (const { record, rowNo, letter } of rows) {
      if (rowNo === 0) lines.push([...(record.cells ?? []), 'row', 'outcome', 'code', 'explanation']);
      else {
        const [outcome, ...line] = resultLine(record, rowNo, letter);
        if (only === undefined || only === outcome) lines.push(line);
      }
    }
    yield stringify(lines);
  }
}

/** The outcome, then the cells of the row's line in the result file. */
function resultLine({ cells, error }: ImportRecord, rowNo: number, letter: string): string[] {
  const [outcome = '', code = ''] = (outcomeOf(letter) ?? '').split(':');
  const words = ROW_WORDS[code === '' ? outcome : `${outcome}:${code}`] ?? '';
  return [outcome, ...[...(cells ?? []), String(rowNo), outcome, code, error || words].map(withoutFormula)];
}
