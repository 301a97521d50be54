import type { ResultsQuery } from '../shared/contract/imports.ts';
import type { Client } from '../client/client.ts';
import type { Import } from '../shared/contract/imports.ts';
import { ROW_WORDS } from '../shared/row-words.ts';
import { saveStream } from './save-stream.ts';
import { count, note, tableText } from './output.ts';
import { makeProgress } from './progress.ts';

const LOOK_EVERY_MS = 150;

/** Waits for an import's end and draws its progress. It goes on by itself if this program is stopped. */
export async function followImport(client: Client, id: number): Promise<Import> {
  const progress = makeProgress();
  for (;;) {
    const row = await client.import({ id });
    if (['finished', 'failed', 'cancelled'].includes(row.state)) {
      progress.end();
      return row;
    }
    progress.draw('taking in', row.rowsDone, row.rowsExpected);
    await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
  }
}

/** The outcome of an import in words. */
export function importLines(row: Import, listName: string): string[] {
  const outcomes = Object.entries(row.counts).map(([outcome, rows]) => ({
    outcome,
    rows,
    words: ROW_WORDS[outcome] ?? OUTCOME_WORDS[outcome] ?? '',
  }));
  const { mapping, types = {}, encoding } = row.options;
  const uses = Object.entries(mapping).map(
    ([header, use]) => `${header} → ${use === null ? 'left out' : typed(use, types[use]?.type)}`,
  );
  return [
    `${row.fileName} into ${listName}: ${count(row.state === 'finished' ? row.rowsExpected : row.rowsDone)} rows${row.dryRun ? ', dry run: nothing was changed' : `, import ${row.id}, ${row.state}`}`,
    `Encoding: ${encoding ?? 'found by itself'}, columns parted by ${DELIMITER_WORDS[row.options.delimiter] ?? row.options.delimiter}${row.options.header === false ? ', no header: the first row is a contact' : ''}`,
    `Columns${row.options.kept ? ', as you said for an earlier file with this header' : ''}: ${uses.join(', ')}`,
    ...(outcomes.length === 0
      ? []
      : [
          tableText(outcomes, [
            { head: 'Outcome', cell: (one) => one.outcome },
            { head: 'Rows', cell: (one) => one.rows, right: true },
            { head: 'Meaning', cell: (one) => one.words },
          ]),
        ]),
    ...(row.runId === null || row.dryRun || !changedAnything(row)
      ? []
      : [`Undo: avendel runs undo ${row.runId} --reason "…"`]),
  ];
}

const DELIMITER_WORDS: Record<string, string> = { ',': 'commas', ';': 'semicolons', '\t': 'tabs', '|': 'bars' };

function typed(use: string, type: string | undefined): string {
  return type === undefined || type === 'text' ? use : `${use} (${type})`;
}

const OUTCOME_WORDS: Record<string, string> = { refused: 'The row cannot be used; the result file says why.' };

/** Saves the result file of an import, of all rows or of those with one outcome; `-` is standard output. */
export async function saveResults(
  client: Client,
  id: number,
  file: string,
  only?: ResultsQuery['only'],
): Promise<void> {
  await saveStream(await client.importResults({ id, only }), file);
  if (file !== '-') note(`Result file: ${file}`);
}

/** Whether anybody is on the list, or a contact, or known otherwise than before. */
function changedAnything({ counts }: Import): boolean {
  return ['created', 'updated', 'suppressed'].some((outcome) => (counts[outcome] ?? 0) > 0);
}
