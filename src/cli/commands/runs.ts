import type { Command } from 'commander';
import { changedWords, count, moment, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { withCondition } from '../condition-problems.ts';
import { brandNamed } from '../names.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withPaging(withOutput(group.command('list').description('runs, latest first'))).action(
    async (options: OutputOptions & PagingOptions) => {
      printPage(await connect().runs(pageOf(options)), [
      { head: 'Run', cell: (run) => run.id, right: true },
      { head: 'What', cell: (run) => run.kind },
      { head: 'By', cell: (run) => run.actor },
      { head: 'Why', cell: (run) => run.reason },
      { head: 'Changed', cell: (run) => changedWords(run.counts) },
      { head: 'When', cell: (run) => moment(run.startedAt) },
      { head: 'Undone', cell: (run) => (run.undoneByRunId === null ? '' : `by run ${run.undoneByRunId}`) },
    ], options, 'Nothing has run yet.'); // prettier-ignore
    },
  );
  withPaging(withOutput(group.command('show <number>').description('what a run changed')))
    .option('--where <condition>', 'only of those whom a condition matches now')
    .option('--brand <brand>', 'the brand for which the condition is asked')
    .action(async (id: string, options: OutputOptions & PagingOptions & { where?: string; brand?: string }) => {
      const client = connect();
      const { where } = options;
      const brandId = where === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      const page = await withCondition(where ?? '', () =>
        client.runJournal(Number(id), { where, brandId, ...pageOf(options) }),
      );
      printRows(page.items, [
      { head: 'Number', cell: (row) => row.id, right: true },
      { head: 'Contact', cell: (row) => (row.contacts === null ? row.address : `${count(row.contacts)} contacts`) },
      { head: 'What', cell: (row) => row.subject },
      { head: 'Before', cell: (row) => words(row.before) },
      { head: 'After', cell: (row) => words(row.after) },
    ], options, 'This run changed nothing.'); // prettier-ignore
      if (page.items.some((row) => row.contacts !== null)) note('Who they are: avendel runs contacts NUMBER');
      if (page.next) note(`The next page: --cursor ${page.next}`);
    });
  withPaging(
    withOutput(
      group.command('contacts <number>').description('who a line of “runs show” speaks of, when it speaks of many'),
    ),
  ).action(async (id: string, options: OutputOptions & PagingOptions) => {
    printPage(await connect().journalContacts(Number(id), pageOf(options)), [
      { head: 'Contact', cell: (row) => row.address },
      { head: 'Name', cell: (row) => row.name },
    ], options, 'That line speaks of one contact, or is none.'); // prettier-ignore
  });
  withOutput(
    group.command('undo <number>').description('put back what a run changed, except what was changed again since'),
  )
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: OutputOptions & { reason: string }) => {
      const undone = await connect().undoRun(Number(id), options.reason);
      printOne(undone, options, () => [
        `Run ${id} is undone by run ${undone.runId}: ${count(undone.restored)} put back, ${count(undone.leftAlone)} left as they are because they changed again since.`,
        ...(undone.removed > 0
          ? [`${count(undone.removed)} whom it had brought in, and of whom nothing else is known, are removed.`]
          : []),
        ...undone.movedOn.map((row) => `  ${row.address ?? ''} ${row.subject}`),
      ]);
    });
}

function words(state: Record<string, unknown> | null): string {
  if (state === null) return '–';
  const {
    stage,
    deliverability,
    state: subscription,
    inEffect,
    list,
  } = state as { stage?: string; deliverability?: string; state?: string; inEffect?: boolean; list?: string };
  if (inEffect !== undefined) return inEffect ? `on “${list}”` : `lifted from “${list}”`;
  return stage ?? deliverability ?? subscription ?? JSON.stringify(state);
}
