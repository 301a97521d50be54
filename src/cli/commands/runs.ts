import type { Command } from 'commander';
import type { Run } from '../../shared/contract/runs.ts';
import { count, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { changedWords } from '../../client/wording/changed.ts';
import { followRun, printRun } from '../follow-run.ts';
import { withCondition } from '../condition-problems.ts';
import { brandNamed } from '../names.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addList(group);
  addShow(group);
  addContacts(group);
  addEndings(group);
}

function addList(group: Command): void {
  withPaging(withOutput(group.command('list').description('runs, latest first'))).action(
    async (options: OutputOptions & PagingOptions) => {
      printPage(
        await connect().runs(pageOf(options)),
        [
          { head: 'Run', cell: (run) => run.id, right: true },
          { head: 'What', cell: (run) => run.kind },
          { head: 'By', cell: (run) => run.actor },
          { head: 'Why', cell: (run) => run.reason },
          { head: 'Changed', cell: (run) => changedWords(run.counts) },
          { head: 'So far', cell: standing },
          { head: 'When', cell: (run) => moment(run.startedAt) },
          { head: 'Undone', cell: (run) => (run.undoneByRunId === null ? '' : `by run ${run.undoneByRunId}`) },
        ],
        options,
        'Nothing has run yet.',
      );
    },
  );
}

function addShow(group: Command): void {
  withPaging(withOutput(group.command('show <number>').description('what a run changed')))
    .option('--where <condition>', 'only of those whom a condition matches now')
    .option('--brand <brand>', 'the brand for which the condition is asked')
    .action(async (id: string, options: OutputOptions & PagingOptions & { where?: string; brand?: string }) => {
      const client = connect();
      const { where } = options;
      const brandId = where === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      const page = await withCondition(where ?? '', () =>
        client.runJournal({ id: Number(id), where, brandId, ...pageOf(options) }),
      );
      printRows(
        page.items,
        [
          { head: 'Number', cell: (row) => row.id, right: true },
          { head: 'Contact', cell: (row) => (row.contacts === null ? row.address : `${count(row.contacts)} contacts`) },
          { head: 'What', cell: (row) => row.subject },
          { head: 'Before', cell: (row) => words(row.before) },
          { head: 'After', cell: (row) => words(row.after) },
        ],
        options,
        where === undefined
          ? 'This run changed nothing.'
          : 'It changed nothing of those whom the condition matches now.',
      );
      if (page.items.some((row) => row.contacts !== null)) note('Who they are: avendel runs contacts NUMBER');
      if (page.next) note(`The next page: --cursor ${page.next}`);
    });
}

function addContacts(group: Command): void {
  withPaging(
    withOutput(
      group.command('contacts <number>').description('who a line of “runs show” speaks of, when it speaks of many'),
    ),
  ).action(async (id: string, options: OutputOptions & PagingOptions) => {
    printPage(
      await connect().journalContacts({ id: Number(id), ...pageOf(options) }),
      [
        { head: 'Contact', cell: (row) => row.address },
        { head: 'Name', cell: (row) => row.name },
      ],
      options,
      'That line speaks of one contact, or is none.',
    );
  });
}

/** Following a run to its end, ending it early, and undoing it. */
function addEndings(group: Command): void {
  addUndo(group);
  addLeft(group);
  addWatch(group);
  addStop(group);
}

function addUndo(group: Command): void {
  withOutput(
    group.command('undo <number>').description('put back what a run changed, except what was changed again since'),
  )
    .requiredOption('--reason <text>', 'why')
    .option('--rule-too', 'of a run that changed the ladder: put that back as well')
    .action(async (id: string, options: OutputOptions & { reason: string; ruleToo?: boolean }) => {
      const client = connect();
      await printRun(
        client,
        await client.undoRun({ id: Number(id), reason: options.reason, ruleToo: options.ruleToo }),
        options,
        ({ id: undo, counts }) => [
          `Run ${id} is undone by run ${undo}: ${count(counts['restored'] ?? 0)} put back, ${count(counts['leftAlone'] ?? 0)} left as they are because they changed again since.`,
          ...(counts['removed']
            ? [`${count(counts['removed'])} whom it had brought in, and of whom nothing else is known, are removed.`]
            : []),
          ...(counts['leftAlone'] ? [`What was left: avendel runs left ${undo}`] : []),
        ],
      );
    });
}

function addLeft(group: Command): void {
  withPaging(
    withOutput(group.command('left <number>').description('what an undo left as it is, because it had changed again')),
  ).action(async (id: string, options: OutputOptions & PagingOptions) => {
    printPage(
      await connect().leftAlone({ id: Number(id), ...pageOf(options) }),
      [
        { head: 'Contact', cell: (row) => row.address },
        { head: 'Name', cell: (row) => row.name },
        { head: 'What', cell: (row) => row.subject },
      ],
      options,
      'This run left nothing alone.',
    );
  });
}

function addWatch(group: Command): void {
  withOutput(
    group.command('watch <number>').description('follow a run that is under way to its end; it goes on without you'),
  ).action(async (id: string, options: OutputOptions) => {
    const client = connect();
    await printRun(client, await client.run({ id: Number(id) }), options, (run) => [
      `Run ${run.id}, ${run.kind}: ${changedWords(run.counts) || 'nobody changed'}.`,
    ]);
  });
}

function addStop(group: Command): void {
  withOutput(
    group
      .command('stop <number>')
      .description('stop a run that is under way; what it has changed stays, and can be undone'),
  ).action(async (id: string, options: OutputOptions) => {
    const client = connect();
    const run = await followRun(client, await client.stopRun({ id: Number(id) }));
    printOne(run, options, () => [
      `Run ${run.id} ${run.stopped === null ? 'had come to its end' : 'is stopped'}: ${count(run.done)} of ${count(run.whole)} dealt with, ${changedWords(run.counts) || 'nobody changed'}.`,
      ...(run.kind === 'erase' ? [] : [`What it changed can be put back: avendel runs undo ${run.id} --reason "…"`]),
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

/** How far a run is, where that is not its end. */
function standing({ finishedAt, stopped, done, whole }: Run): string {
  if (finishedAt !== null && stopped === null) return '';
  return whole === 0 ? 'under way' : `${count(done)} of ${count(whole)}${stopped === null ? '' : ', stopped'}`;
}
