import type { EntriesQuery } from '../../shared/contract/suppression.ts';
import type { Reach } from '../../shared/words.ts';
import { readFileSync } from 'node:fs';
import { Option, type Command } from 'commander';
import type { EnteredEntries } from '../../shared/contract/suppression.ts';
import { UsageError } from '../usage-error.ts';
import { brandNamed, listNamed, suppressionListNamed } from '../names.ts';
import { count, line, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { saveStream } from '../save-stream.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { day, moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addLists(group);
  addEntering(group);
  addEntries(group);
}

function addLists(group: Command): void {
  withOutput(group.command('lists').description('suppression lists')).action(async (options: OutputOptions) => {
    printRows(
      await connect().suppressionLists(),
      [
        { head: 'List', cell: (list) => list.name },
        { head: 'Filled by', cell: (list) => (list.builtIn ? 'rules' : 'people') },
        { head: 'Scope', cell: (list) => list.scopeName ?? list.scope },
        { head: 'Stops', cell: (list) => list.reach },
        { head: 'In effect', cell: (list) => list.inEffect, right: true },
        { head: 'Ended', cell: (list) => list.ended, right: true },
      ],
      options,
      'There is no suppression list.',
    );
  });
  withOutput(group.command('create <name>').description('create a list of your own'))
    .option('--brand <brand>', 'only for this brand')
    .option('--list <list>', 'only for this list')
    .option('--reach <reach>', 'what it stops: marketing or everything', 'everything')
    .option('--exact', 'compare addresses with their sub-address')
    .action(
      async (
        name: string,
        options: OutputOptions & { brand?: string; list?: string; reach: Reach; exact?: boolean },
      ) => {
        const client = connect();
        const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
        const listId = options.list === undefined ? undefined : (await listNamed(client, options.list)).id;
        const scope = listId !== undefined ? 'list' : brandId !== undefined ? 'brand' : 'organisation';
        const list = await client.createSuppressionList({
          name,
          scope,
          scopeId: listId ?? brandId ?? null,
          reach: options.reach,
          exact: options.exact === true,
        });
        printOne(list, options, () => [
          `Suppression list “${list.name}” created: stops ${list.reach}, ${list.scopeName ?? 'whole organisation'}.`,
        ]);
      },
    );
}

function addEntering(group: Command): void {
  addAdd(group);
  addImport(group);
  addLift(group);
}

function addAdd(group: Command): void {
  withOutput(
    group
      .command('add <list> <values...>')
      .description('enter addresses, domains (a leading dot takes in subdomains) or SHA-256 hashes'),
  )
    .requiredOption('--reason <text>', 'why')
    .option('--until <date>', 'end of the entry, as 2027-01-31')
    .action(async (name: string, values: string[], options: OutputOptions & { reason: string; until?: string }) => {
      const client = connect();
      const list = await suppressionListNamed(client, name);
      printEntered(
        await client.addEntries({ id: list.id, values, reason: options.reason, expiresAt: options.until ?? null }),
        list.name,
        options,
      );
    });
}

function addImport(group: Command): void {
  withOutput(group.command('import <list> <file>').description('enter the first column of a CSV file'))
    .requiredOption('--reason <text>', 'why')
    .option('--until <date>', 'end of the entries, as 2027-01-31')
    .action(async (name: string, file: string, options: OutputOptions & { reason: string; until?: string }) => {
      const client = connect();
      const list = await suppressionListNamed(client, name);
      const values = await firstColumn(file);
      if (values.length === 0) throw new UsageError(`${file} has no rows.`, 1);
      for (let from = 0; from < values.length; from += BATCH) {
        printEntered(
          await client.addEntries({
            id: list.id,
            values: values.slice(from, from + BATCH),
            reason: options.reason,
            expiresAt: options.until ?? null,
          }),
          list.name,
          options,
        );
      }
    });
}

function addLift(group: Command): void {
  withOutput(group.command('lift <entries...>').description('lift entries by their number; they stay on record'))
    .requiredOption('--reason <text>', 'why')
    .action(async (entries: string[], options: OutputOptions & { reason: string }) => {
      const lifted = await connect().lift({ entryIds: entries.map(Number), reason: options.reason });
      printOne(lifted, options, () => [
        `${count(lifted.lifted)} lifted in run ${lifted.runId}. Undo: avendel runs undo ${lifted.runId} --reason "…"`,
      ]);
    });
}

const BATCH = 20_000;

async function firstColumn(file: string): Promise<string[]> {
  const { parse } = await import('csv-parse/sync');
  const rows: string[][] = parse(readFileSync(file), { relax_column_count: true, skip_empty_lines: true, bom: true });
  const values = rows.map((row) => row[0]!.trim());
  return /^(entry|e-?mail|address|domain|hash|sha-?256)$/i.test(values[0] ?? '') ? values.slice(1) : values;
}

function printEntered(entered: EnteredEntries, listName: string, options: OutputOptions): void {
  printOne(entered, options, () => [
    `${count(entered.entered)} entered on “${listName}” in run ${entered.runId}, ${count(entered.known)} stood there already, ${count(entered.refused.length)} refused.`,
    ...entered.refused.slice(0, 20).map((row) => `  row ${row.row}: “${row.value}” is ${row.detail}`),
  ]);
  if (entered.onTheirWay > 0)
    note(`${entered.onTheirWay} messages were leaving at that instant and could not be stopped.`);
  if (entered.refused.length > 0) process.exitCode = 3;
}

function addEntries(group: Command): void {
  addEntriesOf(group);
  addExport(group);
  addCheck(group);
}

function addEntriesOf(group: Command): void {
  withPaging(withOutput(group.command('entries <list>').description('entries of a list')))
    .option('--standing <standing>', 'in-effect, past or all', 'in-effect')
    .option('--part <text>', 'part of the entry')
    .addOption(
      new Option('--order <order>', 'by when they were entered').choices(['oldest', 'newest']).default('oldest'),
    )
    .action(
      async (
        name: string,
        options: OutputOptions &
          PagingOptions & { standing: EntriesQuery['standing']; part?: string; order: 'oldest' | 'newest' },
      ) => {
        const client = connect();
        const list = await suppressionListNamed(client, name);
        const page = await client.entries({
          id: list.id,
          standing: options.standing,
          part: options.part,
          order: options.order,
          ...pageOf(options),
        });
        printPage(
          page,
          [
            { head: 'No', cell: (entry) => String(entry.id), right: true },
            { head: 'Entry', cell: (entry) => entry.value },
            { head: 'Reason', cell: (entry) => entry.reason },
            { head: 'Source', cell: (entry) => entry.source },
            { head: 'Since', cell: (entry) => moment(entry.enteredAt) },
            {
              head: 'Until',
              cell: (entry) =>
                entry.liftedAt ? `lifted ${day(entry.liftedAt)}` : entry.expiresAt ? day(entry.expiresAt) : 'no end',
            },
          ],
          options,
          'No entry.',
        );
      },
    );
}

function addExport(group: Command): void {
  group
    .command('export <list>')
    .description('all entries as CSV')
    .option('--standing <standing>', 'in-effect, past or all', 'all')
    .option('--file <file>', 'where to write it', '-')
    .action(async (name: string, options: { standing: EntriesQuery['standing']; file: string }) => {
      const client = connect();
      const response = await client.exportEntries({
        id: (await suppressionListNamed(client, name)).id,
        standing: options.standing,
      });
      await saveStream(response, options.file);
    });
}

function addCheck(group: Command): void {
  withOutput(group.command('check <address>').description('may we write to this address, and why')).action(
    async (address: string, options: OutputOptions) => {
      const check = await connect().check({ address });
      printOne(check, options, () =>
        check.brands.map(
          (verdict) =>
            `${verdict.brandName}: ${verdict.eligible ? 'yes' : `no, ${verdict.because.map(({ text }) => text).join('; ')}`}`,
        ),
      );
      if (!options.json && !options.jsonl && check.entries.length === 0) line('No suppression entry names it.');
    },
  );
}
