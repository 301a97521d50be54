import { beginningOf } from '../../client/send.ts';
import { openAsBlob } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import type { Verification } from '../../shared/contract/verifications.ts';
import type { OutsideVerdict } from '../../shared/words.ts';
import { printRun } from '../follow-run.ts';
import { count, line, printOne, tableText, type OutputOptions } from '../output.ts';
import { changedWords } from '../../client/wording/changed.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { readPairs } from '../pairs.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { day } from '../zone.ts';

/** What outside verifiers say of addresses. */
export function addCommands(group: Command): void {
  addRead(group);
  addList(group);
  addShow(group);
  addWords(group);
  addActs(group);
  addApply(group);
  addForget(group);
}

function addRead(group: Command): void {
  withOutput(
    group.command('read <file>').description('take in what an outside verifier says of addresses; marks nobody yet'),
  )
    .option('--source <name>', 'who verified, where the file does not say; what their words mean is said once')
    .option('--checked <day>', 'when they did, as 2026-11-02; what the file says, or today, if left out')
    .option('--column <header>', 'column of verdicts, if it is not found by itself')
    .action(async (file: string, options: OutputOptions & { source?: string; checked?: string; column?: string }) => {
      const [client, body, name] = [connect(), await openAsBlob(file), basename(file)];
      const said = await client.lookAtVerdicts({ name, file: beginningOf(body) });
      const source = options.source ?? said.source;
      if (source === null) throw new UsageError(`${name} does not say who verified: --source NAME`);
      const checkedAt = options.checked ?? said.checkedOn ?? undefined;
      show(await client.verify({ name, source, checkedAt, column: options.column, file: body }), options);
    });
}

function addList(group: Command): void {
  withPaging(withOutput(group.command('list').description('files of verifiers'))).action(
    async (options: OutputOptions & PagingOptions) => {
      printPage(
        await connect().verifications(pageOf(options)),
        [
          { head: 'Number', cell: (one) => one.id, right: true },
          { head: 'File', cell: (one) => one.name },
          { head: 'Verifier', cell: (one) => one.source },
          { head: 'Checked', cell: (one) => day(one.checkedAt) },
          { head: 'Rows', cell: (one) => one.rows, right: true },
          { head: 'Applied', cell: (one) => (one.runId === null ? 'no' : `run ${one.runId}`) },
        ],
        options,
        'No verifier has said anything yet: avendel verifications read FILE --source NAME',
      );
    },
  );
}

function addShow(group: Command): void {
  withOutput(
    group.command('show <number>').description('its words, what they mean, and what its verdicts would do'),
  ).action(async (id: string, options: OutputOptions) =>
    show(await connect().verification({ id: Number(id) }), options),
  );
}

function addWords(group: Command): void {
  withOutput(
    group
      .command('words <number> [word=verdict...]')
      .description('say what words of this verifier mean, now and in later files'),
  )
    .option('--others <verdict>', 'what all words mean that nobody has said yet')
    .action(async (id: string, pairs: string[], options: OutputOptions & { others?: string }) => {
      const client = connect();
      const said = readPairs(pairs);
      if (options.others === undefined && pairs.length === 0)
        throw new UsageError('Say what they mean: WORD=VERDICT, or --others VERDICT.');
      const { words } = await client.verification({ id: Number(id) });
      const unsaid =
        options.others === undefined
          ? []
          : words.filter(({ word, verdict }) => verdict === null && !Object.hasOwn(said, word));
      const others = Object.fromEntries(unsaid.map(({ word }) => [word, options.others!]));
      show(
        await client.mapWords({ id: Number(id), words: { ...said, ...others } as Record<string, OutsideVerdict> }),
        options,
      );
    });
}

function addActs(group: Command): void {
  withOutput(
    group.command('acts [verdict=act...]').description('what verdicts do to contacts: suppress, hold, tag or nothing'),
  ).action(async (pairs: string[], options: OutputOptions) => {
    const client = connect();
    const acts = pairs.length === 0 ? await client.verdictActs() : await client.saveVerdictActs(readPairs(pairs));
    printOne(acts, options, () => Object.entries(acts).map(([verdict, act]) => `${verdict}: ${act}`));
  });
}

function addApply(group: Command): void {
  withOutput(group.command('apply <number>').description('give contacts their verdicts, and do what these ask'))
    .requiredOption('--expect <number>', 'how many would change, as `show` said')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: OutputOptions & { expect: string; reason: string }) => {
      const client = connect();
      await printRun(
        client,
        await client.applyVerification({ id: Number(id), expect: Number(options.expect), reason: options.reason }),
        options,
        (run) => [
          `${changedWords(run.counts) || 'Nobody changed'}, run ${run.id}.`,
          `Undo: avendel runs undo ${run.id} --reason "…"`,
        ],
      );
    });
}

function addForget(group: Command): void {
  group
    .command('forget <number>')
    .description('remove a file and its rows; what it did to contacts stays')
    .action(async (id: string) => {
      await connect().forgetVerification({ id: Number(id) });
      line(`File ${id} is forgotten.`);
    });
}

function show(one: Verification, options: OutputOptions): void {
  printOne(one, options, () => {
    const unsaid = one.words.filter((word) => word.verdict === null);
    const proposal = unsaid.map(({ word, proposed }) => `"${word}=${proposed ?? '…'}"`).join(' ');
    return [
      `${one.name}, checked by ${one.source} on ${day(one.checkedAt)}: ${count(one.rows)} rows${one.unreadable > 0 ? `, ${count(one.unreadable)} are no address` : ''}.`,
      tableText(one.words, [
        { head: 'Their word', cell: (row) => (row.word === '' ? '(empty)' : row.word) },
        { head: 'Rows', cell: (row) => row.rows, right: true },
        { head: 'Contacts', cell: (row) => row.contacts, right: true },
        { head: 'Means', cell: (row) => row.verdict ?? (row.proposed ? `${row.proposed}?` : '?') },
      ]),
      ...(one.verdicts.length === 0
        ? []
        : [
            tableText(one.verdicts, [
              { head: 'Verdict', cell: (row) => row.verdict },
              { head: 'Contacts', cell: (row) => row.contacts, right: true },
              { head: 'Act', cell: (row) => (row.onto === null ? row.act : `${row.act}: ${row.onto}`) },
              { head: 'Would change', cell: (row) => row.willChange, right: true },
            ]),
          ]),
      unsaid.length > 0
        ? `Say what their words mean: avendel verifications words ${one.id} ${proposal}`
        : one.runId === null
          ? `To do it: avendel verifications apply ${one.id} --expect ${one.willChange} --reason "…"`
          : `Applied by run ${one.runId}.`,
    ];
  });
}
