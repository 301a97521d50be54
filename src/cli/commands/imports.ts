import type { Command } from 'commander';
import { followImport, importLines, saveResults } from '../follow-import.ts';
import { line, moment, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withPaging(withOutput(group.command('list').description('imports, latest first'))).action(
    async (options: OutputOptions & PagingOptions) => {
      printPage(await connect().imports(pageOf(options)), [
      { head: 'No', cell: (row) => row.id, right: true },
      { head: 'File', cell: (row) => row.fileName },
      { head: 'State', cell: (row) => (row.dryRun ? `${row.state} (dry run)` : row.state) },
      { head: 'Rows', cell: (row) => row.rowsExpected, right: true },
      { head: 'When', cell: (row) => moment(row.createdAt) },
    ], options, 'Nothing was imported yet.'); // prettier-ignore
    },
  );
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
  withOutput(group.command('held <number>').description('rows that wait for a decision, by why and by domain')).action(
    async (id: string, options: OutputOptions) => {
      printRows(await connect().heldRows(Number(id)), [
        { head: 'Why', cell: (one) => one.code },
        { head: 'Domain', cell: (one) => one.domain },
        { head: 'Rows', cell: (one) => one.rows, right: true },
        { head: 'Meant', cell: (one) => one.proposal ?? '' },
        { head: 'For example', cell: (one) => one.sample.slice(0, 2).join(', ') },
      ], options, 'Nothing waits for a decision.');
      if (!options.json && !options.jsonl) note(`Take them in: avendel imports release ${id} [--mend] [--only CODE] [--dry-run]`);
    }); // prettier-ignore
  withOutput(group.command('release <number>').description('take held rows in after all, as an import of its own'))
    .option('--only <code>', 'only rows held for this', (value, all: string[]) => [...all, value], [])
    .option('--mend', 'mend slips of a domain on the way')
    .option('--dry-run', 'count what would happen, and change nothing')
    .action(async (id: string, options: OutputOptions & { only: string[]; mend?: boolean; dryRun?: boolean }) => {
      const client = connect();
      const codes = options.only.length > 0 ? options.only : undefined;
      const begun = await client.releaseHeldRows(Number(id), { codes, mend: options.mend === true, dryRun: options.dryRun === true });
      const done = await followImport(client, begun.id);
      const list = (await client.lists()).find((one) => one.id === done.listId);
      printOne(done, options, () => importLines(done, list?.name ?? `list ${done.listId}`));
    }); // prettier-ignore
  group.command('cancel <number>').description('stop an import').action(async (id: string) => {
    const row = await connect().cancelImport(Number(id));
    line(`Import ${row.id} is cancelled after ${row.rowsDone} of about ${row.rowsExpected} rows; what was taken in stays.`);
  }); // prettier-ignore
}
