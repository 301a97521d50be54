import type { ResultsQuery } from '../../shared/contract/imports.ts';
import type { SettableCode } from '../../shared/words.ts';
import type { Command } from 'commander';
import type { HeldDecision, HeldRows } from '../../shared/contract/imports.ts';
import { followImport, importLines, saveResults } from '../follow-import.ts';
import { count, line, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

const DECIDED: Record<HeldDecision['decided'], string> = {
  'as-is': 'taken as they are',
  mended: 'taken mended',
  'left-out': 'left out',
};

export function addCommands(group: Command): void {
  addList(group);
  addShow(group);
  addResults(group);
  addHeld(group);
  addRelease(group);
  addLeaveOut(group);
  addApply(group);
  addCancel(group);
}

function addList(group: Command): void {
  withPaging(withOutput(group.command('list').description('imports, latest first'))).action(
    async (options: OutputOptions & PagingOptions) => {
      printPage(
        await connect().imports(pageOf(options)),
        [
          { head: 'No', cell: (row) => row.id, right: true },
          { head: 'File', cell: (row) => row.fileName },
          { head: 'State', cell: (row) => (row.dryRun ? `${row.state} (dry run)` : row.state) },
          { head: 'Rows', cell: (row) => row.rowsExpected, right: true },
          { head: 'When', cell: (row) => moment(row.createdAt) },
        ],
        options,
        'Nothing was imported yet.',
      );
    },
  );
}

function addShow(group: Command): void {
  withOutput(group.command('show <number>').description('one import and its outcome')).action(
    async (id: string, options: OutputOptions) => {
      const client = connect();
      const row = await client.import({ id: Number(id) });
      const list = (await client.lists()).find((one) => one.id === row.listId);
      printOne(row, options, () => importLines(row, list?.name ?? `list ${row.listId}`));
    },
  );
}

function addResults(group: Command): void {
  group
    .command('results <number>')
    .description('the result file: the original columns, then row, outcome, code and words')
    .option('--only <outcome>', 'rows of this outcome')
    .option('--file <file>', 'where to write it', '-')
    .action((id: string, options: { only?: ResultsQuery['only']; file: string }) =>
      saveResults(connect(), Number(id), options.file, options.only),
    );
}

function addHeld(group: Command): void {
  withOutput(group.command('held <number>').description('rows that wait for a decision, by why and by domain')).action(
    async (id: string, options: OutputOptions) => {
      const held = await connect().heldRows({ id: Number(id) });
      const rows = held.flatMap(({ code, decision, domains }) => domains.map((one) => ({ code, decision, ...one })));
      printRows(
        rows,
        [
          { head: 'Why', cell: (one) => one.code },
          {
            head: 'Decided',
            cell: ({ decision }) => (decision ? `${DECIDED[decision.decided]}, ${decision.actor}` : 'waits'),
          },
          { head: 'Domain', cell: (one) => one.domain },
          { head: 'Rows', cell: (one) => one.rows, right: true },
          { head: 'Meant', cell: (one) => one.proposal ?? '' },
          { head: 'For example', cell: (one) => one.sample.slice(0, 2).join(', ') },
        ],
        options,
        'Nothing waits for a decision.',
      );
      if (!options.json && !options.jsonl)
        note(
          `Decide: avendel imports release ${id} [--mend] [--only CODE] [--dry-run], or imports leave-out ${id} [--only CODE]`,
        );
    },
  );
}

function addRelease(group: Command): void {
  withOutput(group.command('release <number>').description('take held rows in after all, as an import of its own'))
    .option('--only <code>', 'only rows held for this', (value, all: string[]) => [...all, value], [])
    .option('--mend', 'mend slips of a domain on the way')
    .option('--dry-run', 'count what would happen, and change nothing')
    .action(async (id: string, options: OutputOptions & { only: SettableCode[]; mend?: boolean; dryRun?: boolean }) => {
      const client = connect();
      const codes = options.only.length > 0 ? options.only : undefined;
      const begun = await client.releaseHeldRows({
        id: Number(id),
        codes,
        mend: options.mend === true,
        dryRun: options.dryRun === true,
      });
      const done = await followImport(client, begun.id);
      const list = (await client.lists()).find((one) => one.id === done.listId);
      printOne(done, options, () => importLines(done, list?.name ?? `list ${done.listId}`));
    });
}

function addLeaveOut(group: Command): void {
  withOutput(
    group.command('leave-out <number>').description('leave held rows out; they can be released later all the same'),
  )
    .option('--only <code>', 'only rows held for this', (value, all: string[]) => [...all, value], [])
    .action(async (id: string, options: OutputOptions & { only: SettableCode[] }) => {
      const held = await connect().leaveHeldRowsOut({
        id: Number(id),
        codes: options.only.length > 0 ? options.only : undefined,
      });
      const rows = (wanted: (one: HeldRows) => boolean): number =>
        held.filter(wanted).reduce((sum, one) => sum + one.rows, 0);
      printOne(held, options, () => [
        `${count(rows((one) => one.decision?.decided === 'left-out'))} held rows are left out, ${count(rows((one) => one.decision === null))} wait.`,
      ]);
    });
}

function addApply(group: Command): void {
  withOutput(group.command('apply <number>').description('import for real what a dry run has read')).action(
    async (id: string, options: OutputOptions) => {
      const client = connect();
      const done = await followImport(client, (await client.importDryRun({ id: Number(id) })).id);
      const list = (await client.lists()).find((one) => one.id === done.listId);
      printOne(done, options, () => importLines(done, list?.name ?? `list ${done.listId}`));
    },
  );
}

function addCancel(group: Command): void {
  group
    .command('cancel <number>')
    .description('stop an import')
    .action(async (id: string) => {
      const row = await connect().cancelImport({ id: Number(id) });
      line(
        `Import ${row.id} is cancelled after ${row.rowsDone} of about ${row.rowsExpected} rows; what was taken in stays.`,
      );
    });
}
