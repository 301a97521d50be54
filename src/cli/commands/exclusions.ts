import type { Command } from 'commander';
import type { Exclusion, NewExclusion } from '../../shared/contract/exclusions.ts';
import type { Client } from '../../client/client.ts';
import { withCondition } from '../condition-problems.ts';
import { brandNamed, campaignNamed as campaignOf, exclusionNamed, listNamed, segmentNamed } from '../names.ts';
import { line, printOne, printRows, share, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';
import { brandNames, whose } from './caps.ts';

interface NewOptions extends OutputOptions {
  brand?: string;
  allBrands?: boolean;
  list?: string;
  segment?: string;
  where?: string;
  reason: string;
}

export function addCommands(group: Command): void {
  addListing(group);
  const newOptions = (command: Command): Command =>
    withOutput(command)
      .option('--list <list>', 'whoever is subscribed to this list')
      .option('--segment <segment>', 'whoever is in this segment')
      .option('--where <condition>', 'whomever this condition matches')
      .option('--brand <brand>', 'marketing of this brand')
      .option('--all-brands', 'marketing of every brand');
  newOptions(
    group.command('preview').description('of those to whom each brand may write, how many it would leave out'),
  ).action(async (options: NewOptions) => {
    const client = connect();
    const one = await newOf(client, { ...options, reason: 'to be counted' }, 'to be counted');
    printRows(
      await withCondition(options.where ?? '', () => client.previewExclusion(one)),
      [
        { head: 'Brand', cell: (row) => row.brandName },
        { head: 'May be written to', cell: (row) => row.mayBeWritten, right: true },
        { head: 'Left out', cell: (row) => row.leftOut, right: true },
        { head: 'Share', cell: (row) => share(row.leftOut, row.mayBeWritten), right: true },
      ],
      options,
      'There is no brand.',
    );
  });
  newOptions(group.command('add <name>').description('leave them out of every marketing campaign'))
    .requiredOption('--reason <text>', 'why')
    .action(async (name: string, options: NewOptions) => {
      const client = connect();
      const one = await newOf(client, options, name);
      const made = await withCondition(options.where ?? '', () => client.createExclusion(one));
      const nameOf = await brandNames();
      printOne(made, options, () => [
        `Standing exclusion ${made.id}, “${made.name}”: every marketing campaign of ${nameOf(made.brandId)} leaves them out.`,
      ]);
    });
  group
    .command('end <exclusion>')
    .description('end a standing exclusion')
    .requiredOption('--reason <text>', 'why')
    .action(async (name: string, options: { reason: string }) => {
      const client = connect();
      const ended = await client.endExclusion({ id: (await exclusionNamed(client, name)).id, reason: options.reason });
      line(`“${ended.name}” has ended.`);
    });
}

function addListing(group: Command): void {
  withOutput(group.command('list').description('whom every marketing campaign leaves out'))
    .option('--brand <brand>', 'what holds for this brand, those of all brands too')
    .option('--ended', 'with those that have ended')
    .action(async (options: OutputOptions & { brand?: string; ended?: boolean }) => {
      const client = connect();
      const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      const [nameOf, whom] = [await brandNames(), await whomOf(client)];
      printRows(
        await client.exclusions({ brandId, ended: options.ended }),
        [
          { head: 'No', cell: (one) => one.id, right: true },
          { head: 'Standing exclusion', cell: (one) => one.name },
          { head: 'Leaves out', cell: whom },
          { head: 'Of', cell: (one) => nameOf(one.brandId) },
          { head: 'Because', cell: (one) => one.reason },
          { head: 'Since', cell: (one) => moment(one.begunAt) },
          { head: 'By', cell: (one) => one.begunBy },
          {
            head: 'Until',
            cell: (one) => (one.endedAt ? `${moment(one.endedAt)}, ${one.endedBy}: ${one.endedBecause}` : ''),
          },
        ],
        options,
        'There is none: avendel exclusions add NAME --where CONDITION --brand BRAND --reason WHY',
      );
    });
}

/** Whom a standing exclusion is about, in words. */
async function whomOf(client: Client): Promise<(one: Exclusion) => string> {
  const [lists, segments] = [await client.lists(), await client.segments({})];
  const named = (all: { id: number; name: string }[], id: number): string =>
    `“${all.find((one) => one.id === id)?.name ?? id}”`;
  return (one) =>
    one.listId !== null
      ? `the list ${named(lists, one.listId)}`
      : one.segmentId !== null
        ? `the segment ${named(segments, one.segmentId)}`
        : one.condition!;
}

async function newOf(client: Client, options: NewOptions, name: string): Promise<NewExclusion> {
  if ([options.list, options.segment, options.where].filter((one) => one !== undefined).length !== 1)
    throw new UsageError('Say whom it leaves out, with one of --list, --segment and --where.');
  return {
    brandId: await whose(options),
    name,
    reason: options.reason,
    ...(options.list === undefined ? {} : { listId: (await listNamed(client, options.list)).id }),
    ...(options.segment === undefined ? {} : { segmentId: (await segmentNamed(client, options.segment)).id }),
    ...(options.where === undefined ? {} : { condition: options.where }),
  };
}

/** Adds what a campaign does without. */
export function addSetAsideCommands(group: Command): void {
  withOutput(
    group
      .command('set-aside <campaign> <exclusion>')
      .description('do without a standing exclusion in this draft; suppression cannot be set aside'),
  )
    .requiredOption('--reason <text>', 'why; shown in the report')
    .action(async (campaign: string, exclusion: string, options: OutputOptions & { reason: string }) => {
      const client = connect();
      const { id } = await campaignOf(client, campaign);
      const { id: exclusionId, name } = await exclusionNamed(client, exclusion);
      const draft = await client.setExclusionAside({ id, exclusionId, reason: options.reason });
      printOne(draft, options, () => [
        `“${draft.name}” does without “${name}”. Count again: avendel campaigns preflight ${id}`,
      ]);
    });
  group
    .command('take-up <campaign> <exclusion>')
    .description('take a standing exclusion up again that this draft has set aside')
    .action(async (campaign: string, exclusion: string) => {
      const client = connect();
      const { id } = await campaignOf(client, campaign);
      const { id: exclusionId, name } = await exclusionNamed(client, exclusion);
      const draft = await client.takeExclusionUp({ id, exclusionId });
      line(`“${draft.name}” leaves “${name}” out again.`);
    });
}
