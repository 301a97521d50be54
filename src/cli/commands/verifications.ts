import { openAsBlob } from 'node:fs';
import { basename } from 'node:path';
import type { Command } from 'commander';
import type { Verification } from '../../shared/api-addresses.ts';
import type { OutsideVerdict } from '../../shared/words.ts';
import { printRun } from '../follow-run.ts';
import { count, line, printOne, tableText, type OutputOptions } from '../output.ts';
import { changedWords } from '../../shared/changed-words.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { readPairs } from '../pairs.ts';
import { withOutput } from '../with-output.ts';

/** What outside verifiers say of addresses. */
export function addCommands(group: Command): void {
  withOutput(group.command('read <file>').description('take in what an outside verifier says of addresses; marks nobody yet'))
    .requiredOption('--source <name>', 'who verified; what their words mean is said once')
    .option('--checked <day>', 'when they did, as 2026-11-02; today, if left out')
    .option('--column <header>', 'column of verdicts, if it is not found by itself')
    .action(async (file: string, options: OutputOptions & { source: string; checked?: string; column?: string }) => {
      const { source, checked: checkedAt, column } = options;
      show(await connect().verify({ name: basename(file), source, checkedAt, column }, await openAsBlob(file)), options);
    });
  withPaging(withOutput(group.command('list').description('files of verifiers')))
    .action(async (options: OutputOptions & PagingOptions) => {
      printPage(await connect().verifications(pageOf(options)), [
        { head: 'Number', cell: (one) => one.id, right: true },
        { head: 'File', cell: (one) => one.name },
        { head: 'Verifier', cell: (one) => one.source },
        { head: 'Checked', cell: (one) => one.checkedAt.slice(0, 10) },
        { head: 'Rows', cell: (one) => one.rows, right: true },
        { head: 'Applied', cell: (one) => (one.runId === null ? 'no' : `run ${one.runId}`) },
      ], options, 'No verifier has said anything yet: avendel verifications read FILE --source NAME');
    });
  withOutput(group.command('show <number>').description('its words, what they mean, and what its verdicts would do'))
    .action(async (id: string, options: OutputOptions) => show(await connect().verification(Number(id)), options));
  withOutput(group.command('words <number> <word=verdict...>').description('say what words of this verifier mean, now and in later files'))
    .action(async (id: string, pairs: string[], options: OutputOptions) =>
      show(await connect().mapWords(Number(id), readPairs(pairs) as Record<string, OutsideVerdict>), options));
  withOutput(group.command('acts [verdict=act...]').description('what verdicts do to contacts: suppress, hold, tag or nothing'))
    .action(async (pairs: string[], options: OutputOptions) => {
      const client = connect();
      const acts = pairs.length === 0 ? await client.verdictActs() : await client.saveVerdictActs(readPairs(pairs));
      printOne(acts, options, () => Object.entries(acts).map(([verdict, act]) => `${verdict}: ${act}`));
    });
  withOutput(group.command('apply <number>').description('give contacts their verdicts, and do what these ask'))
    .requiredOption('--expect <number>', 'how many would change, as `show` said')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: OutputOptions & { expect: string; reason: string }) => {
      const client = connect();
      await printRun(client, await client.applyVerification(Number(id), Number(options.expect), options.reason), options, (run) => [
        `${changedWords(run.counts) || 'Nobody changed'}, run ${run.id}.`,
        `Undo: avendel runs undo ${run.id} --reason "…"`,
      ]);
    });
  group.command('forget <number>').description('remove a file and its rows; what it did to contacts stays')
    .action(async (id: string) => {
      await connect().forgetVerification(Number(id));
      line(`File ${id} is forgotten.`);
    });
} // prettier-ignore

function show(one: Verification, options: OutputOptions): void {
  printOne(one, options, () => {
    const unsaid = one.words.filter((word) => word.verdict === null);
    const proposal = unsaid.map(({ word, proposed }) => `"${word}=${proposed ?? '…'}"`).join(' ');
    return [
      `${one.name}, checked by ${one.source} on ${one.checkedAt.slice(0, 10)}: ${count(one.rows)} rows${one.unreadable > 0 ? `, ${count(one.unreadable)} are no address` : ''}.`,
      tableText(one.words, [
        { head: 'Their word', cell: (row) => (row.word === '' ? '(empty)' : row.word) },
        { head: 'Rows', cell: (row) => row.rows, right: true },
        { head: 'Contacts', cell: (row) => row.contacts, right: true },
        { head: 'Means', cell: (row) => row.verdict ?? (row.proposed ? `${row.proposed}?` : '?') },
      ]),
      ...(one.verdicts.length === 0 ? [] : [tableText(one.verdicts, [
        { head: 'Verdict', cell: (row) => row.verdict },
        { head: 'Contacts', cell: (row) => row.contacts, right: true },
        { head: 'Act', cell: (row) => row.act },
        { head: 'Would change', cell: (row) => row.willChange, right: true },
      ])]),
      unsaid.length > 0
        ? `Say what their words mean: avendel verifications words ${one.id} ${proposal}`
        : one.runId === null
          ? `To do it: avendel verifications apply ${one.id} --expect ${one.willChange} --reason "…"`
          : `Applied by run ${one.runId}.`,
    ];
  });
} // prettier-ignore
