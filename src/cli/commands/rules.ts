import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Brand } from '../../shared/contract/organisation.ts';
import type { Run } from '../../shared/contract/runs.ts';
import type { BounceRule, ScoreRule, SunsetRule } from '../../shared/contract/rules.ts';
import type { Client } from '../../client/client.ts';
import { withCondition } from '../condition-problems.ts';
import { UsageError } from '../usage-error.ts';
import { printRun } from '../follow-run.ts';
import { brandNamed } from '../names.ts';
import { count, printOne, tableText, type OutputOptions } from '../output.ts';
import { changedWords } from '../../client/wording/changed.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { day } from '../zone.ts';

interface RuleOptions extends OutputOptions {
  brand?: string;
  rule?: string;
  covers?: string;
}

export function addCommands(group: Command): void {
  withOutput(group.command('show <rule>').description('the rule as it is: sunset, bounce or score'))
    .option('--brand <brand>', 'brand of a sunset rule or a score')
    .option('--versions', 'for a score: every version, with who changed it and why')
    .action(showRule);
  withOutput(
    group
      .command('preview <rule>')
      .description('who would change, how many, and a sample; for a score, how many have which'),
  )
    .option('--brand <brand>', 'brand of a sunset rule or a score')
    .option('--rule <file>', 'JSON file with a changed rule to try')
    .option(
      '--covers <condition>',
      'for a sunset rule: try it for those whom a condition matches; the others stay new; “everyone” for all',
    )
    .action(previewRule);
  withOutput(group.command('apply <rule>').description('apply it to everybody, as a run'))
    .option('--brand <brand>', 'brand of a sunset rule')
    .option('--rule <file>', 'JSON file with a changed rule, to be saved and applied')
    .option('--covers <condition>', 'for a sunset rule: whom it covers from now on')
    .requiredOption('--expect <number>', 'how many the preview said would change')
    .requiredOption('--reason <text>', 'why')
    .action(applyRule);
  withOutput(
    group.command('keep <rule>').description('keep a changed score; conditions that ask for one follow it at once'),
  )
    .option('--brand <brand>', 'brand of the score')
    .requiredOption('--rule <file>', 'JSON file with the score, as “rules show score --json” prints it')
    .requiredOption('--reason <text>', 'why')
    .action(keepRule);
}

function assertRule(which: string): asserts which is 'sunset' | 'bounce' | 'score' {
  if (which !== 'sunset' && which !== 'bounce' && which !== 'score')
    throw new UsageError(`The rules are sunset, bounce and score; not “${which}”.`);
}

/** A rule from a file: alone, or as “rules show --json” prints it. */
function readRule<T extends object>(file: string | undefined): T | undefined {
  if (file === undefined) return undefined;
  let given: T | { rule: T };
  try {
    given = JSON.parse(readFileSync(file, 'utf8')) as T | { rule: T };
  } catch (error) {
    throw new UsageError(
      `The rule in ${file} cannot be read: ${(error as Error).message}. Take “avendel rules show … --json” to begin with.`,
    );
  }
  return 'rule' in given ? given.rule : given;
}

/** The rule to try or to save: a file's, with the coverage that was given; nothing when neither was. */
async function readSunsetRule(client: Client, brandId: number, options: RuleOptions): Promise<SunsetRule | undefined> {
  const rule = readRule<SunsetRule>(options.rule);
  if (options.covers === undefined) return rule;
  return { ...(rule ?? (await client.sunsetRule({ brandId })).rule), covers: options.covers };
}

async function applySunset(client: Client, expect: number, options: RuleOptions & { reason: string }): Promise<Run> {
  const { id } = await brandNamed(client, options.brand);
  const rule = await readSunsetRule(client, id, options);
  return withCondition(options.covers ?? '', () =>
    client.applySunset({ brandId: id, expect, reason: options.reason, rule }),
  );
}

async function showRule(which: string, options: RuleOptions & { versions?: true }): Promise<void> {
  assertRule(which);
  const client = connect();
  if (which === 'bounce') {
    return printOne(await client.bounceRule(), options, ({ rule }) => [
      bounceWords(rule),
      'Hard bounces mark at once; blocks never count.',
    ]);
  }
  const brand = await brandNamed(client, options.brand);
  if (which === 'score') return showScore(client, brand, options);
  printOne(await client.sunsetRule({ brandId: brand.id }), options, ({ rule }) => [
    `Ladder by silence, ${brand.name}`,
    ...(rule.covers ? [`covers: ${rule.covers}`] : []),
    `new until ${rule.grace.days} days since joining and ${rule.grace.messages} messages`,
    ...rule.steps.map((step) => `${step.stage} from ${step.days} days of silence and ${step.messages} messages in it`),
    `Engaged again by: ${rule.engagingActs.join(', ')}, by a person`,
  ]);
}

function bounceWords(rule: BounceRule): string {
  const within = rule.withinDays === 0 ? 'ever' : `within ${rule.withinDays} days`;
  return `Undeliverable after ${rule.count} bounces (${rule.classes.join(', ')}) ${within}, on ${rule.onCampaigns} campaigns, ${rule.spreadDays} days from first to last${rule.startsAgain ? '; what is accepted and stands, or any act of the person, starts the count again' : '; nothing but a verified delivery or a person starts the count again'}.`;
}

async function previewRule(which: string, options: RuleOptions): Promise<void> {
  assertRule(which);
  const client = connect();
  if (which === 'bounce') {
    return printOne(await client.previewBounce({ rule: readRule<BounceRule>(options.rule) }), options, (preview) => [
      `${count(preview.toUndeliverable)} would become undeliverable, ${count(preview.toDeliverable)} deliverable again, of ${count(preview.looked)} looked at.`,
      ...(preview.sample.length === 0
        ? []
        : [
            tableText(preview.sample, [
              { head: 'Address', cell: (row) => row.address },
              { head: 'From', cell: (row) => row.from },
              { head: 'To', cell: (row) => row.to },
              { head: 'Bounces', cell: (row) => row.bounces, right: true },
            ]),
          ]),
      `Apply: avendel rules apply bounce --expect ${preview.toUndeliverable + preview.toDeliverable} --reason "…"`,
    ]);
  }
  const brand = await brandNamed(client, options.brand);
  if (which === 'score') return previewScore(client, brand, options);
  printOne(
    await withCondition(options.covers ?? '', async () =>
      client.previewSunset({ brandId: brand.id, rule: await readSunsetRule(client, brand.id, options) }),
    ),
    options,
    (preview) => [
      `${brand.name}: ${count(preview.moving)} of ${count(preview.covered)} would move, ${count(preview.toSunset)} to sunset.`,
      tableText(preview.stages, [
        { head: 'Stage', cell: (row) => row.stage },
        { head: 'Now', cell: (row) => row.now, right: true },
        { head: 'Would be', cell: (row) => row.wouldBe, right: true },
      ]),
      ...(preview.sample.length === 0
        ? []
        : [
            '',
            tableText(preview.sample, [
              { head: 'Contact', cell: (row) => row.address },
              { head: 'Days', cell: (row) => row.silentDays, right: true },
              { head: 'Messages', cell: (row) => row.messages, right: true },
              { head: 'Move', cell: (row) => `${row.from} → ${row.to}` },
            ]),
          ]),
      `Apply: avendel rules apply sunset --brand "${brand.name}" --expect ${preview.moving} --reason "…"`,
    ],
  );
}

async function showScore(client: Client, brand: Brand, options: RuleOptions & { versions?: true }): Promise<void> {
  if (options.versions) {
    return printOne(await client.scoreVersions({ brandId: brand.id }), options, (versions) =>
      versions.length === 0
        ? [`The score of ${brand.name} is as it comes: nobody has changed it.`]
        : versions.map((one) => `version ${one.version}, ${day(one.changedAt)}, ${one.changedBy}: ${one.reason}`),
    );
  }
  printOne(await client.scoreRule({ brandId: brand.id }), options, ({ rule, version, changedBy, reason }) => [
    `Score, ${brand.name}${changedBy === null ? '' : `, version ${version}, by ${changedBy}: ${reason}`}`,
    ...scoreWords(rule),
    'Opens, clicks and visits count when they are a person’s.',
  ]);
}

function scoreWords({ acts, joining }: ScoreRule): string[] {
  const line = (what: string, { points, days }: { points: number; days: number }): string =>
    `${what} ${points} for ${days} days`;
  return [...acts.map((one) => line(one.act, one)), ...(joining.points === 0 ? [] : [line('joining', joining)])];
}

async function previewScore(client: Client, brand: Brand, options: RuleOptions): Promise<void> {
  printOne(
    await client.previewScore({ brandId: brand.id, rule: readRule<ScoreRule>(options.rule) }),
    options,
    ({ bins }) => [
      tableText(bins, [
        { head: 'Score, from', cell: ({ from }) => from ?? 'below' },
        { head: 'Now', cell: ({ now }) => count(now), right: true },
        { head: 'Would be', cell: ({ wouldBe }) => count(wouldBe), right: true },
      ]),
      ...(options.rule === undefined
        ? []
        : [`Keep it: avendel rules keep score --brand "${brand.name}" --rule ${options.rule} --reason "…"`]),
    ],
  );
}

async function keepRule(which: string, options: RuleOptions & { rule: string; reason: string }): Promise<void> {
  assertRule(which);
  if (which !== 'score')
    throw new UsageError(
      `A changed ${which} rule is kept as it is applied: “avendel rules apply ${which} --rule FILE …”.`,
    );
  const client = connect();
  const brand = await brandNamed(client, options.brand);
  const { version } = await client.scoreRule({ brandId: brand.id });
  const kept = await client.saveScore({
    brandId: brand.id,
    rule: readRule<ScoreRule>(options.rule)!,
    version,
    reason: options.reason,
  });
  printOne(kept, options, () => [`Kept as version ${kept.version}.`, ...scoreWords(kept.rule)]);
}

async function applyRule(which: string, options: RuleOptions & { expect: string; reason: string }): Promise<void> {
  assertRule(which);
  if (which === 'score')
    throw new UsageError('A score moves nobody: keep it with “avendel rules keep score --rule FILE --reason …”.');
  const client = connect();
  const expect = Number(options.expect);
  const run: Run =
    which === 'bounce'
      ? await client.applyBounce({ expect, reason: options.reason, rule: readRule<BounceRule>(options.rule) })
      : await applySunset(client, expect, options);
  await printRun(client, run, options, ({ id, counts }) => [
    `Run ${id}: ${changedWords(counts) || 'nobody changed'}. Undo: avendel runs undo ${id} --reason "…"`,
  ]);
}
