import { openAsBlob } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import type { Reconciliation } from '../../shared/api-permission.ts';
import { count, line, note, printOne, type OutputOptions } from '../output.ts';
import { saveStream } from '../save-stream.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

/** `contacts reconcile` and `contacts reconciled`. */
export function addReconcile(group: Command): void {
  withOutput(
    group
      .command('reconcile <file>')
      .description(
        'hold a list of addresses or SHA-256 against the base: which of these do we have, which of ours are on it',
      ),
  ).action(async (file: string, options: OutputOptions) => {
    const done = await connect().reconcile(basename(file), await openAsBlob(file));
    printOne(done, options, () => lines(done));
  });
  withPaging(withOutput(group.command('reconciled <number>').description('the answer, row by row')))
    .option('--ours', 'contacts of ours, with whether they are on the list; else the rows of the list')
    .option('--found', 'only those that match')
    .option('--missing', 'only those that do not')
    .option('--forget', 'remove this list and its answer from the base')
    .option('--file <file>', 'write all of it into this file as CSV')
    .action(async (id: string, options: ReconciledOptions) => {
      const direction = options.ours ? ('ours' as const) : ('given' as const);
      const found = options.found ? true : options.missing ? false : undefined;
      const client = connect();
      if (options.forget) {
        await client.forgetReconciliation(Number(id));
        return line(`List ${id} is forgotten.`);
      }
      if (options.file !== undefined) {
        await saveStream(await client.exportReconciled(Number(id), { direction, found }), options.file);
        if (options.file !== '-') note(`Answer: ${options.file}`);
        return;
      }
      printPage(await client.reconciled(Number(id), { direction, found, ...pageOf(options) }), [
        { head: 'Given', cell: (row) => row.given },
        { head: 'Contact', cell: (row) => row.address },
        { head: 'Name', cell: (row) => row.name },
        { head: 'Stands', cell: (row) => row.standing },
      ], options, 'Nothing of the kind.'); // prettier-ignore
    });
}

interface ReconciledOptions extends OutputOptions, PagingOptions {
  ours?: boolean;
  found?: boolean;
  missing?: boolean;
  forget?: boolean;
  file?: string;
}

function lines(done: Reconciliation): string[] {
  const unreadable = done.unreadable > 0 ? `, ${count(done.unreadable)} are neither an address nor a SHA-256` : '';
  return [
    `${done.name}: ${count(done.rows)} rows${unreadable}.`,
    `Of these, ${count(done.known)} are in the base, ${count(done.rows - done.known)} are not.`,
    `Of our contacts, ${count(done.oursOnIt)} are on the list, ${count(done.oursNotOnIt)} are not.`,
    `Look: avendel contacts reconciled ${done.id} [--ours] [--found | --missing] [--file FILE]`,
    `Act: avendel contacts archive --on-list ${done.id} --dry-run, or --not-on-list ${done.id}`,
  ];
}
