import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { ConditionPreview, Explained } from '../../shared/contract/conditions.ts';
import type { Segment } from '../../shared/contract/segments.ts';
import type { Brand } from '../../shared/contract/organisation.ts';
import { describeProblem, withCondition } from '../condition-problems.ts';
import { brandNamed, segmentNamed } from '../names.ts';
import { count, line, printOne, printRows, share, tableText, type OutputOptions } from '../output.ts';
import { addComparing, addKeeping } from './segment-snapshots.ts';
import { saveStream } from '../save-stream.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface AskOptions extends OutputOptions {
  brand?: string;
  where?: string;
}

interface KeepOptions extends OutputOptions {
  brand?: string;
  where?: string;
  file?: string;
  description?: string;
  tag?: string[];
  name?: string;
  reason?: string;
}

const collect = (value: string, all: string[] = []): string[] => [...all, value];

export function addCommands(group: Command): void {
  addList(group);
  addShow(group);
  addCreate(group);
  addChange(group);
  addCopy(group);
  addDelete(group);
  addCount(group);
  addSample(group);
  addComparing(group);
  addKeeping(group);
  addExplain(group);
  addExport(group);
  addReadyMade(group);
  addFormat(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('segments, with their conditions'))
    .option('--brand <brand>', 'of this brand')
    .action(listSegments);
}

function addShow(group: Command): void {
  withOutput(group.command('show <segment>').description('one segment with its versions, and what uses it'))
    .option('--brand <brand>', 'its brand')
    .action(showSegment);
}

function addCreate(group: Command): void {
  withGiven(withOutput(group.command('create <name>').description('keep a condition under a name')))
    .option('--description <text>', 'what it is for')
    .option('--tag <tag>', 'a word to find it by; may be repeated', collect)
    .option('--reason <text>', 'why')
    .action(createSegment);
}

function addChange(group: Command): void {
  withGiven(withOutput(group.command('change <segment>').description('change a segment, as another version')))
    .option('--name <name>', 'call it otherwise')
    .option('--description <text>', 'what it is for')
    .option('--tag <tag>', 'words to find it by, in place of those it has; may be repeated', collect)
    .requiredOption('--reason <text>', 'why')
    .action(changeSegment);
}

function addCopy(group: Command): void {
  withOutput(group.command('copy <segment> <name>').description('keep the same condition under another name'))
    .option('--brand <brand>', 'its brand')
    .action(copySegment);
}

function addDelete(group: Command): void {
  group
    .command('delete <segment>')
    .description('delete a segment that none uses')
    .option('--brand <brand>', 'its brand')
    .action(async (name: string, options: { brand?: string }) => {
      const { client, segment } = await findSegment(name, options.brand);
      await client.removeSegment({ id: segment.id });
      line(`“${segment.name}” is deleted.`);
    });
}

function addCount(group: Command): void {
  asking(
    group.command('count [segment]').description('how many match, each part counted, and what is odd about it'),
  ).action(countMatching);
}

function addSample(group: Command): void {
  asking(group.command('sample [segment]').description('twenty who match, with the fact that decided')).action(
    sampleMatching,
  );
}

function addExplain(group: Command): void {
  asking(group.command('explain <address> [segment]').description('whether one address matches, and why')).action(
    explain,
  );
}

function addExport(group: Command): void {
  asking(group.command('export [segment]').description('everybody who matches, as CSV or JSON Lines')).action(
    exportMatching,
  );
}

function addReadyMade(group: Command): void {
  withOutput(group.command('ready-made').description('conditions for the usual questions, to begin with')).action(
    async (options: OutputOptions) =>
      printRows(
        await connect().readyMade(),
        [
          { head: 'For', cell: (row) => row.name },
          { head: 'Condition', cell: (row) => row.condition },
        ],
        options,
        'None.',
      ),
  );
}

function addFormat(group: Command): void {
  group
    .command('format [file]')
    .description('a condition in its canonical form; needs no service')
    .option('--where <condition>', 'the condition')
    .option('--tree', 'as the tree that programs take, in JSON')
    .option('--from-tree', 'it is given as that tree')
    .action(format);
}

function asking(command: Command): Command {
  return withOutput(command)
    .option('--where <condition>', "a condition instead of a segment, as 'clicked in the last 30 days'")
    .option('--brand <brand>', 'the brand for which it is asked');
}

function withGiven(command: Command): Command {
  return command
    .option('--where <condition>', 'the condition')
    .option('--file <file>', 'a file that holds it')
    .option('--brand <brand>', 'its brand');
}

/** The condition that an option or a file gives. */
function givenCondition({ where, file }: KeepOptions): string | undefined {
  if (where !== undefined && file !== undefined) throw new UsageError('Give the condition once: --where or --file.');
  return file === undefined ? where : readFileSync(file, 'utf8');
}

async function findSegment(name: string, brandName?: string): Promise<{ client: Client; segment: Segment }> {
  const client = connect();
  const brand = brandName === undefined ? undefined : await brandNamed(client, brandName);
  return { client, segment: await segmentNamed(client, name, brand?.id) };
}

/** What is asked: a segment by its name, or a condition for a brand. */
async function asked(
  name: string | undefined,
  { where, brand }: AskOptions,
): Promise<{ client: Client; request: { brandId: number; condition: string } }> {
  if ((name === undefined) === (where === undefined))
    throw new UsageError('Name a segment, or give a condition with --where.');
  if (name !== undefined) {
    const { client, segment } = await findSegment(name, brand);
    return { client, request: { brandId: segment.brandId, condition: segment.condition } };
  }
  const client = connect();
  const of: Brand = await brandNamed(client, brand);
  return { client, request: { brandId: of.id, condition: where! } };
}

async function listSegments(options: OutputOptions & { brand?: string }): Promise<void> {
  const client = connect();
  const brand = options.brand === undefined ? undefined : await brandNamed(client, options.brand);
  printRows(
    await client.segments({ brandId: brand?.id }),
    [
      { head: 'No', cell: (row) => row.id, right: true },
      { head: 'Segment', cell: (row) => row.name },
      { head: 'Tags', cell: (row) => row.tags.join(', ') },
      { head: 'Condition', cell: (row) => row.condition.replace(/\s+/g, ' ') },
      { head: 'Changed', cell: (row) => moment(row.changedAt) },
    ],
    options,
    'There is no segment yet: avendel segments create "Readers" --where \'clicked in the last 30 days\'',
  );
}

async function showSegment(name: string, options: OutputOptions & { brand?: string }): Promise<void> {
  const { client, segment } = await findSegment(name, options.brand);
  printOne(await client.segment({ id: segment.id }), options, (one) => [
    `${one.name}${one.description === '' ? '' : `: ${one.description}`}`,
    '',
    one.condition,
    '',
    ...(one.tags.length > 0 ? [`Tagged ${one.tags.join(', ')}`] : []),
    ...(one.usedBy.length + one.campaigns.length > 0
      ? [`Used by ${[...one.usedBy, ...one.campaigns].map((user) => `“${user.name}”`).join(', ')}`]
      : []),
    ...one.days
      .slice(-14)
      .map(
        ({ day, matching, mailable }) =>
          `  ${day}  ${count(matching)} matched, ${count(mailable)} of them might be mailed`,
      ),
    ...one.versions.map(
      (version) => `  ${version.version}  ${moment(version.changedAt)}  ${version.changedBy}: ${version.reason}`,
    ),
  ]);
}

async function createSegment(name: string, options: KeepOptions): Promise<void> {
  const condition = givenCondition(options);
  if (condition === undefined) throw new UsageError('Give the condition: --where or --file.');
  const client = connect();
  const brand = await brandNamed(client, options.brand);
  const { description, reason, tag: tags } = options;
  const kept = await withCondition(condition, () =>
    client.createSegment({ brandId: brand.id, name, condition, description, tags, reason }),
  );
  printOne(kept, options, () => [`Segment ${kept.id}, “${kept.name}”:`, kept.condition]);
}

async function changeSegment(name: string, options: KeepOptions & { reason: string }): Promise<void> {
  const condition = givenCondition(options);
  const { client, segment } = await findSegment(name, options.brand);
  const change = {
    name: options.name,
    description: options.description,
    tags: options.tag,
    condition,
    reason: options.reason,
  };
  const kept = await withCondition(condition ?? '', () => client.changeSegment({ id: segment.id, ...change }));
  printOne(kept, options, () => [`“${kept.name}”, version ${kept.version}:`, kept.condition]);
}

async function copySegment(name: string, copy: string, options: OutputOptions & { brand?: string }): Promise<void> {
  const { client, segment } = await findSegment(name, options.brand);
  const { brandId, condition, description, tags } = segment;
  const kept = await client.createSegment({
    brandId,
    name: copy,
    condition,
    description,
    tags,
    reason: `copied from “${segment.name}”`,
  });
  printOne(kept, options, () => [`Segment ${kept.id}, “${kept.name}”:`, kept.condition]);
}

async function preview(
  name: string | undefined,
  options: AskOptions,
): Promise<{ shown: ConditionPreview; text: string }> {
  const { client, request } = await asked(name, options);
  return {
    shown: await withCondition(request.condition, () => client.previewCondition(request)),
    text: request.condition,
  };
}

async function countMatching(name: string | undefined, options: AskOptions): Promise<void> {
  const { shown, text } = await preview(name, options);
  printOne(shown, options, () => [
    `${count(shown.matching)} of ${count(shown.contacts)} match (${share(shown.matching, shown.contacts)}); ${count(shown.mailable)} of these may be mailed for marketing now.`,
    '',
    tableText(shown.lines, [
      {
        head: 'Part',
        cell: (row) => `${'· '.repeat(row.depth)}${row.joined === null ? '' : `${row.joined} `}${row.text}`,
      },
      { head: 'Alone', cell: (row) => count(row.alone), right: true },
      { head: 'With those before', cell: (row) => count(row.after), right: true },
    ]),
    ...(shown.stages.length > 0
      ? ['', `By stage: ${shown.stages.map(({ stage, contacts }) => `${stage} ${count(contacts)}`).join(', ')}`]
      : []),
    ...(shown.domains.length > 0
      ? [`By domain: ${shown.domains.map(({ domain, contacts }) => `${domain} ${count(contacts)}`).join(', ')}`]
      : []),
    ...shown.warnings.map((warning) => `\n${describeProblem(text, warning)}`),
  ]);
}

async function sampleMatching(name: string | undefined, options: AskOptions): Promise<void> {
  const { shown } = await preview(name, options);
  printRows(
    shown.sample,
    [
      { head: 'Address', cell: (row) => row.address },
      { head: 'Name', cell: (row) => row.name },
      { head: 'Because', cell: (row) => row.because },
    ],
    options,
    'Nobody matches.',
  );
}

async function explain(address: string, name: string | undefined, options: AskOptions): Promise<void> {
  const { client, request } = await asked(name, options);
  const found = await withCondition(request.condition, () => client.explainCondition({ ...request, address }));
  printOne(found, options, () => [
    `${address} is ${found.holds ? 'in' : 'out'}: ${found.because}.`,
    ...describe(found, 1),
  ]);
  if (!found.holds && !options.json && !options.jsonl) process.exitCode = 1;
}

function describe(one: Explained, depth: number): string[] {
  const mark = one.holds ? '✓' : '✗';
  const head =
    one.parts.length > 0
      ? one.text.length > 70
        ? `${one.text.slice(0, 70)}…`
        : one.text
      : `${one.text}: ${one.because}`;
  return [`${'  '.repeat(depth)}${mark} ${head}`, ...one.parts.flatMap((part) => describe(part, depth + 1))];
}

async function exportMatching(name: string | undefined, options: AskOptions): Promise<void> {
  const { client, request } = await asked(name, options);
  const format = options.jsonl || options.json ? 'jsonl' : 'csv';
  await saveStream(
    await withCondition(request.condition, () =>
      client.exportContacts({ brandId: request.brandId, where: request.condition, columns: 'address,name', format }),
    ),
    '-',
  );
}

async function format(
  file: string | undefined,
  options: { where?: string; tree?: boolean; fromTree?: boolean },
): Promise<void> {
  if ((file === undefined) === (options.where === undefined))
    throw new UsageError('Name a file, or give a condition with --where.');
  const text = file === undefined ? options.where! : readFileSync(file === '-' ? 0 : file, 'utf8');
  const { parseCondition } = await import('../../core/conditions/parse-condition.ts');
  const { readTree } = await import('../../core/conditions/read-tree.ts');
  const { formatCondition } = await import('../../core/conditions/format-condition.ts');
  const { UnreadableCondition, withoutSpans } = await import('../../core/conditions/tree.ts');
  try {
    const condition = options.fromTree ? readTree(readJson(text)) : parseCondition(text);
    line(options.tree ? JSON.stringify(withoutSpans(condition), null, 2) : formatCondition(condition));
  } catch (error) {
    if (error instanceof UnreadableCondition) throw new UsageError(describeProblem(text, error.problem));
    throw error;
  }
}

function readJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new UsageError(`The tree is no JSON: ${(error as Error).message}`);
  }
}
