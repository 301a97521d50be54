import type { Command } from 'commander';
import type { AutomatedAddress, AutomatedRule } from '../../shared/contract/actors.ts';
import { printRun } from '../follow-run.ts';
import { count, printOne, tableText, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface RuleOptions extends OutputOptions {
  campaigns?: string;
  opens?: string;
  days?: string;
  acts?: string;
  stop?: boolean;
}

export function addCommands(group: Command): void {
  withPaging(withOutput(group.command('list').description('addresses that look automated, with the evidence')))
    .option('--state <state>', 'marked, cleared (by the rule), or person (somebody said so)', 'marked')
    .action(async (options: OutputOptions & PagingOptions & { state: AutomatedAddress['state'] }) => {
      printPage(
        await connect().automated({ state: options.state, ...pageOf(options) }),
        [
          { head: 'Address', cell: (row) => row.address },
          { head: 'Since', cell: (row) => moment(row.since) },
          { head: 'Because', cell: (row) => row.evidence.because },
          { head: 'By', cell: (row) => row.decidedBy ?? 'the rule' },
        ],
        options,
        `No address is ${options.state}.`,
      );
    });
  withRule(
    withOutput(
      group.command('preview').description('whose mark would come or go, under the rule or one that is tried'),
    ),
  ).action(previewMarks);
  withRule(withOutput(group.command('apply').description('mark by the rule, as a run; a changed rule is kept')))
    .requiredOption('--expect <number>', 'how many the preview said would change')
    .requiredOption('--reason <text>', 'why')
    .action(applyMarks);
  withOutput(
    group
      .command('judge <address...>')
      .description('say whether a person or a machine reads these; the rule leaves them so'),
  )
    .requiredOption('--as <who>', 'person or machine')
    .requiredOption('--reason <text>', 'why')
    .action(async (addresses: string[], options: OutputOptions & { as: 'person' | 'machine'; reason: string }) => {
      const run = await connect().judgeAutomated({ addresses, as: options.as, reason: options.reason });
      const changed = Object.values(run.counts)[0] ?? 0;
      printOne(run, options, () => [
        `${count(changed)} judged to be read by a ${options.as}. Undo: avendel runs undo ${run.id} --reason "…"`,
      ]);
    });
}

function withRule(command: Command): Command {
  return command
    .option('--campaigns <number>', 'acts by a machine on so many campaigns, and none by a person')
    .option('--opens <number>', 'or more opens than this')
    .option('--days <number>', 'within so many days')
    .option('--acts <number>', 'with fewer acts by a person than this, ever')
    .option('--stop', 'a mark holds back from marketing')
    .option('--no-stop', 'a mark is for review only');
}

function ruleOf(options: RuleOptions): Partial<AutomatedRule> | undefined {
  const { campaigns, opens, days, acts, stop } = options;
  const numbers = Object.entries({ campaigns, opens, days, acts }).filter(([, value]) => value !== undefined);
  const rule = {
    ...Object.fromEntries(numbers.map(([name, value]) => [name, Number(value)])),
    ...(stop === undefined ? {} : { stops: stop }),
  };
  return Object.keys(rule).length === 0 ? undefined : rule;
}

async function previewMarks(options: RuleOptions): Promise<void> {
  const preview = await connect().previewAutomated({ rule: ruleOf(options) });
  const { rule, counts, toMark, toClear } = preview;
  printOne(preview, options, () => [
    `Taken for automated: acts by a machine on ${rule.campaigns} campaigns and none by a person, or more than ${rule.opens} opens in ${rule.days} days with fewer than ${rule.acts} acts by a person ever. ${rule.stops ? 'A mark holds back from marketing.' : 'A mark is for review; it stops nothing.'}`,
    `${count(counts.marked)} are marked; ${count(toMark)} more would be, ${count(toClear)} no longer. Of ${count(counts.person)} somebody said that a person reads them.`,
    ...(preview.sample.length === 0
      ? []
      : [
          '',
          tableText(preview.sample, [
            { head: 'Address', cell: (row) => row.address },
            { head: 'Would be', cell: (row) => row.to },
            { head: 'Because', cell: (row) => row.because },
          ]),
        ]),
    `Apply: avendel machines apply --expect ${toMark + toClear} --reason "…"`,
  ]);
}

async function applyMarks(options: RuleOptions & { expect: string; reason: string }): Promise<void> {
  const client = connect();
  const run = await client.applyAutomated({
    expect: Number(options.expect),
    reason: options.reason,
    rule: ruleOf(options),
  });
  await printRun(client, run, options, ({ id, counts }) => {
    const of = (what: string): string => count(counts[what] ?? 0);
    return [
      `Run ${id}: ${of('marked')} marked, ${of('cleared')} cleared; ${of('heldBack')} held back from marketing, ${of('lifted')} lifted. Undo: avendel runs undo ${id} --reason "…"`,
    ];
  });
}
