import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { CheckedAddress } from '../../shared/contract/addresses.ts';
import type { LookAlike, MendPreview } from '../../shared/contract/addresses.ts';
import { count, note, printOne, printRows, share, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { readPairs } from '../pairs.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { day } from '../zone.ts';

const AT_ONCE = 1000;

export function addCommands(group: Command): void {
  addCheck(group);
  addMending(group);
  addRefuseList(group);
}

function addCheck(group: Command): void {
  withOutput(
    group
      .command('check [addresses...]')
      .description('what is to be said of each: refuse, hold, suppressed, or fine, and why'),
  )
    .option('--file <file>', 'addresses, one a line')
    .action(async (given: string[], options: OutputOptions & { file?: string }) => {
      const lines =
        options.file === undefined
          ? []
          : readFileSync(options.file, 'utf8')
              .split(/\r?\n/)
              .filter((one) => one.trim() !== '');
      const all = [...given, ...lines];
      if (all.length === 0) throw new UsageError('Say which addresses, or --file.');
      const checked: CheckedAddress[] = [];
      for (let from = 0; from < all.length; from += AT_ONCE)
        checked.push(...(await connect().checkAddresses({ addresses: all.slice(from, from + AT_ONCE) })));
      printRows(
        checked,
        [
          { head: 'Given', cell: (one) => one.given },
          { head: 'Verdict', cell: (one) => one.verdict },
          {
            head: 'Why',
            cell: (one) =>
              one.findings
                .map(
                  (finding) =>
                    `${finding.code}: ${finding.text}${finding.proposal ? ` Meant: ${finding.proposal}?` : ''}`,
                )
                .join(' '),
          },
        ],
        options,
        'Nothing was given.',
      );
      if (checked.some((one) => one.verdict === 'refuse')) process.exitCode = 3;
    });
}

function addMending(group: Command): void {
  withOutput(
    group
      .command('look-alikes')
      .description('domains of contacts that are probably slips of another, with the evidence'),
  ).action(async (options: OutputOptions) => {
    const found = await connect().lookAlikes();
    printRows(
      found,
      [
        { head: 'Domain', cell: (one) => one.given.domain },
        { head: 'Contacts', cell: (one) => one.given.contacts, right: true },
        { head: 'Delivered', cell: (one) => delivered(one.given), right: true },
        { head: 'Meant', cell: (one) => one.proposed.domain },
        { head: 'Contacts', cell: (one) => one.proposed.contacts, right: true },
        { head: 'Delivered', cell: (one) => delivered(one.proposed), right: true },
      ],
      options,
      'No domain looks like a slip of another.',
    );
    if (found[0] && !options.json && !options.jsonl)
      note(`Mend one: avendel addresses mend ${found[0].given.domain} ${found[0].proposed.domain} --dry-run`);
  });
  withOutput(
    group
      .command('mend <from> <to>')
      .description('mend a domain or an address; what was is kept in the journal, and can come back'),
  )
    .option('--dry-run', 'count what would be mended, and change nothing')
    .option('--expect <number>', 'how many the dry run said')
    .option('--reason <text>', 'why')
    .action(mend);
}

function delivered({ accepted, delivered: n }: LookAlike['given']): string {
  return accepted === 0 ? 'never sent to' : `${share(n, accepted)} of ${count(accepted)}`;
}

async function mend(
  from: string,
  to: string,
  options: OutputOptions & { dryRun?: boolean; expect?: string; reason?: string },
): Promise<void> {
  const client = connect();
  if (options.dryRun || options.expect === undefined) {
    const preview = await client.previewMending({ from, to });
    printOne(preview, options, () => mendLines(preview));
    if (!options.dryRun)
      throw new UsageError(`Nothing was changed. To do it: --expect ${preview.mended + preview.merged} --reason "…"`);
    return;
  }
  if (options.reason === undefined) throw new UsageError('Say why, with --reason.');
  const run = await client.mend({ from, to, expect: Number(options.expect), reason: options.reason });
  printOne(run, options, () => [
    `${count(run.counts['mended'] ?? 0)} mended, ${count(run.counts['merged'] ?? 0)} merged into a contact that was there, run ${run.id}.`,
    `Undo: avendel runs undo ${run.id} --reason "…"`,
  ]);
}

function mendLines(preview: MendPreview): string[] {
  const { mended, merged, erased } = preview;
  return [
    `${count(mended)} would be mended and ${count(merged)} merged into a contact that is there; nothing was changed.`,
    ...preview.sample.map(
      (one) => `  ${one.address} → ${one.mended}${one.mergesInto === null ? '' : ', which is there'}`,
    ),
    ...(erased > 0 ? [`${count(erased)} stay: the person of the mended address was erased.`] : []),
  ];
}

function addRefuseList(group: Command): void {
  addRefuse(group);
  addRefuseNoMore(group);
  addRefused(group);
  addSeverities(group);
}

function addRefuse(group: Command): void {
  withOutput(
    group
      .command('refuse <values...>')
      .description('addresses and domains that are not taken in any more, however they come'),
  )
    .requiredOption('--reason <text>', 'why')
    .option('--expect <number>', 'how many contacts are at them; asked for only when they are many')
    .action(async (values: string[], options: OutputOptions & { reason: string; expect?: string }) => {
      const done = await connect().refuse({
        values,
        reason: options.reason,
        expect: options.expect === undefined ? undefined : Number(options.expect),
      });
      printOne(done, options, () => [
        `${count(done.entered)} on the refuse-list${done.known > 0 ? `, ${count(done.known)} stood there` : ''}. Who is a contact stays one.`,
      ]);
    });
}

function addRefuseNoMore(group: Command): void {
  withOutput(
    group.command('refuse-no-more <values...>').description('take addresses and domains off the refuse-list'),
  ).action(async (values: string[], options: OutputOptions) => {
    const { removed } = await connect().refuseNoMore({ values });
    printOne({ removed }, options, () => [`${count(removed)} taken off the refuse-list.`]);
  });
}

function addRefused(group: Command): void {
  withPaging(withOutput(group.command('refused').description('the refuse-list')))
    .option('--part <text>', 'with this in it')
    .action(async (options: OutputOptions & PagingOptions & { part?: string }) => {
      printPage(
        await connect().refused({ part: options.part, ...pageOf(options) }),
        [
          { head: 'Refused', cell: (one) => one.value },
          { head: 'Why', cell: (one) => one.reason },
          { head: 'By', cell: (one) => one.actor },
          { head: 'Since', cell: (one) => day(one.enteredAt) },
        ],
        options,
        'Nothing is refused.',
      );
    });
}

function addSeverities(group: Command): void {
  withOutput(
    group.command('severities [finding=severity...]').description('what findings do: refuse, hold or note'),
  ).action(async (pairs: string[], options: OutputOptions) => {
    const client = connect();
    const severities = pairs.length === 0 ? await client.severities() : await client.saveSeverities(readPairs(pairs));
    printOne(severities, options, () => Object.entries(severities).map(([code, severity]) => `${code}: ${severity}`));
  });
}
