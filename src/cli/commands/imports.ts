import type { Command } from 'commander';
import { importLines, saveResults } from '../follow-import.ts';
import { line, moment, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withOutput(group.command('list').description('imports, latest first')).action(async (options: OutputOptions) => {
    printRows((await connect().imports()).items, [
      { head: 'No', cell: (row) => row.id, right: true },
      { head: 'File', cell: (row) => row.fileName },
      { head: 'State', cell: (row) => (row.dryRun ? `${row.state} (dry run)` : row.state) },
      { head: 'Rows', cell: (row) => row.rowsExpected, right: true },
      { head: 'When', cell: (row) => moment(row.createdAt) },
    ], options, 'Nothing was imported yet.'); // prettier-ignore
  });
  withOutput(group.command('show <number>').description('one import and its outcome')).action(
    async (id: string, options: OutputOptions) => {
      const client = connect();
      const row = await client.import(Number(id));
      const list = (await client.lists()).find((one) => one.id === row.listId);
      printOne(row, options, () => importLines(row, list?.name ?? `list ${row.listId}`));
    },
  );
  group
    .command('results <number>')
    .description('the result file: the original columns, then row, outcome, code and words')
    .option('--only <outcome>', 'rows of this outcome')
    .option('--file <file>', 'where to write it', '-')
    .action((id: string, options: { only?: string; file: string }) =>
      saveResults(connect(), Number(id), options.file, options.only),
    );
  group.command('cancel <number>').description('stop an import').action(async (id: string) => {
    const row = await connect().cancelImport(Number(id));
    line(`Import ${row.id} is cancelled after ${row.rowsDone} of about ${row.rowsExpected} rows; what was taken in stays.`);
  }); // prettier-ignore
}
