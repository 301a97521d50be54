import { openAsBlob } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import type { ReconciledRow, Reconciliation } from '../../shared/contract/reconciliations.ts';
import { changedWords } from '../../client/wording/changed.ts';
import { followImport, importLines } from '../follow-import.ts';
import { printRun } from '../follow-run.ts';
import { listNamed, suppressionListNamed } from '../names.ts';
import { count, line, note, printOne, type OutputOptions } from '../output.ts';
import { saveStream } from '../save-stream.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';

/** `contacts reconcile` and `contacts reconciled`, and what can be done with whom the base does not have. */
export function addReconciling(group: Command): void {
  addReconcile(group);
  addReconciled(group);
  addSuppressMissing(group);
  addImportMissing(group);
}

function addReconcile(group: Command): void {
  withOutput(
    group
      .command('reconcile <file>')
      .description(
        'hold a list of addresses or SHA-256 against the base: which of these do we have, which of ours are on it',
      ),
  ).action(async (file: string, options: OutputOptions) => {
    const done = await connect().reconcile({ name: basename(file), file: await openAsBlob(file) });
    printOne(done, options, () => lines(done));
  });
}

function addReconciled(group: Command): void {
  withPaging(withOutput(group.command('reconciled <number>').description('the answer, row by row')))
    .option('--ours', 'contacts of ours, with whether they are on the list; else the rows of the list')
    .option('--found', 'only those that match')
    .option('--missing', 'only those that do not')
    .option('--no-address', 'only rows of the list that are neither an address nor a SHA-256')
    .option('--forget', 'remove this list and its answer from the base')
    .option('--file <file>', 'write all of it into this file as CSV')
    .action(async (id: string, options: ReconciledOptions) => {
      const direction = options.ours ? ('ours' as const) : ('given' as const);
      const found = options.found ? true : options.missing ? false : options.address ? undefined : ('nobody' as const);
      const client = connect();
      if (options.forget) {
        await client.forgetReconciliation({ id: Number(id) });
        return line(`List ${id} is forgotten.`);
      }
      if (options.file !== undefined) {
        await saveStream(await client.exportReconciled({ id: Number(id), direction, found }), options.file);
        if (options.file !== '-') note(`Answer: ${options.file}`);
        return;
      }
      const [{ columns }, page] = await Promise.all([
        client.reconciliation({ id: Number(id) }),
        client.reconciled({ id: Number(id), direction, found, ...pageOf(options) }),
      ]);
      const others = columns.map((head, place) => ({
        head: `their ${head}`,
        cell: (row: ReconciledRow) => row.others[place] ?? '',
      }));
      printPage(
        page,
        [
          { head: 'Given', cell: (row) => row.given },
          { head: 'Contact', cell: (row) => row.address },
          { head: 'Name', cell: (row) => row.name },
          { head: 'Stands', cell: (row) => row.standing },
          ...others,
        ],
        options,
        'Nothing of the kind.',
      );
    });
}

function addSuppressMissing(group: Command): void {
  withOutput(
    group
      .command('suppress-missing <number>')
      .description(
        'put every address and digest of a reconciled list that is not in the base on a suppression list of your own',
      ),
  )
    .requiredOption('--onto <list>', 'suppression list of your own')
    .option('--dry-run', 'count them, and change nothing')
    .option('--expect <number>', 'how many the dry run said')
    .option('--reason <text>', 'why')
    .action((id: string, options: SuppressOptions) => suppressMissing(Number(id), options));
}

function addImportMissing(group: Command): void {
  withOutput(
    group
      .command('import-missing <number>')
      .description('read every address of a reconciled list that is not in the base into an import, as a dry run'),
  )
    .requiredOption('--list <list>', 'list that they would join')
    .action(async (id: string, options: OutputOptions & { list: string }) => {
      const client = connect();
      const list = await listNamed(client, options.list);
      const done = await followImport(client, (await client.takeStrangersIn({ id: Number(id), listId: list.id })).id);
      printOne(done, options, () => importLines(done, list.name));
    });
}

interface SuppressOptions extends OutputOptions {
  onto: string;
  dryRun?: boolean;
  expect?: string;
  reason?: string;
}

async function suppressMissing(id: number, options: SuppressOptions): Promise<void> {
  const client = connect();
  const list = await suppressionListNamed(client, options.onto);
  if (options.dryRun || options.expect === undefined) {
    const one = await client.reconciliation({ id });
    printOne({ wouldSuppress: one.strangers, list: list.name }, options, () => [
      `${count(one.strangers)} of the rows of ${one.name} ${one.strangers === 1 ? 'is' : 'are'} not in the base, and would be put on ${list.name}.`,
    ]);
    if (options.dryRun) return;
    throw new UsageError(`Nothing was changed. To do it: --expect ${one.strangers} --reason "…"`);
  }
  if (options.reason === undefined) throw new UsageError('Say why, with --reason.');
  const run = await client.suppressStrangers({
    id,
    suppressionListId: list.id,
    expect: Number(options.expect),
    reason: options.reason,
  });
  await printRun(client, run, options, ({ id: runId, counts }) => [
    `${changedWords(counts) || 'Nobody changed'}, run ${runId}.`,
    `Undo: avendel runs undo ${runId} --reason "…"`,
  ]);
}

interface ReconciledOptions extends OutputOptions, PagingOptions {
  ours?: boolean;
  found?: boolean;
  missing?: boolean;
  /** False with --no-address. */
  address: boolean;
  forget?: boolean;
  file?: string;
}

const are = (number: number): string => `${count(number)} ${number === 1 ? 'is' : 'are'}`;

function lines(done: Reconciliation): string[] {
  const unreadable = done.unreadable > 0 ? `, ${are(done.unreadable)} neither an address nor a SHA-256` : '';
  return [
    `${done.name}: ${count(done.rows)} rows${unreadable}.`,
    `Of these, ${are(done.known)} in the base, ${are(done.strangers)} not.`,
    `Of our contacts, ${are(done.oursOnIt)} on the list, ${are(done.oursNotOnIt)} not.`,
    `Look: avendel contacts reconciled ${done.id} [--ours] [--found | --missing] [--file FILE]`,
    `Whom we do not have: avendel contacts suppress-missing ${done.id} --onto LIST --dry-run, or import-missing ${done.id} --list LIST`,
    `Act: avendel contacts archive --on-list ${done.id} --dry-run, or --not-on-list ${done.id}`,
  ];
}
