import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { ActPreview, ActSelection } from '../../shared/contract/acts.ts';
import type { ContactQuery } from '../../shared/contract/contacts.ts';
import type { ContactCost, PriceLadder } from '../../shared/contract/cost.ts';
import { printRun } from '../follow-run.ts';
import { brandNamed, listNamed, suppressionListNamed } from '../names.ts';
import { count, note, printOne, tableText, type OutputOptions } from '../output.ts';
import { changedWords } from '../../client/wording/changed.ts';
import { readAddresses } from '../read-addresses.ts';
import { connect } from '../sign-in-file.ts';
import { withCondition } from '../condition-problems.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';

interface ActWords {
  name: string;
  description: string;
  /** After “12 ” in a preview. */
  would: string;
}

const ACTS: Readonly<Record<ActPreview['act'], ActWords>> = {
  archive: {
    name: 'archive',
    description: 'keep contacts without counting or mailing them',
    would: 'would be archived',
  },
  restore: { name: 'restore', description: 'bring archived contacts back as they were', would: 'would be restored' },
  erase: {
    name: 'erase',
    description: 'remove people for good; only a digest of the address stays, so that they stay out',
    would: 'would be erased, for good',
  },
  tag: { name: 'tag', description: 'put a tag on contacts: --tag', would: 'would get the tag' },
  untag: { name: 'untag', description: 'take a tag off contacts: --tag', would: 'would lose the tag' },
  suppress: {
    name: 'suppress',
    description: 'put contacts on a suppression list of your own: --onto',
    would: 'would be suppressed',
  },
  unsubscribe: {
    name: 'unsubscribe-many',
    description: 'take contacts off every list of a brand: --from',
    would: 'would be unsubscribed',
  },
  ask: {
    name: 'ask',
    description: 'ask who waits on a list, and came by a file, to confirm: --to',
    would: 'would be asked to confirm',
  },
  subscribe: {
    name: 'subscribe',
    description: 'put contacts on a list: --to; the reason says what the permission is',
    would: 'would be subscribed',
  },
};

interface ActOptions extends OutputOptions {
  file?: string;
  unreachable?: boolean;
  archived?: boolean;
  onList?: string;
  notOnList?: string;
  brand?: string;
  part?: string;
  list?: string;
  stage?: ContactQuery['stage'];
  deliverability?: ContactQuery['deliverability'];
  tagged?: string;
  where?: string;
  tag?: string;
  onto?: string;
  from?: string;
  to?: string;
  dryRun?: boolean;
  expect?: string;
  expectMailable?: string;
  reason?: string;
}

/** The acts on many contacts, and `contacts cost`. */
export function addActs(group: Command): void {
  for (const act of Object.keys(ACTS) as ActPreview['act'][]) {
    const { name, description } = ACTS[act];
    const command = withOutput(group.command(`${name} [addresses...]`).description(description))
      .option('--file <file>', 'addresses, one a line, or a table with a column of them')
      .option('--unreachable', 'all whom no campaign can reach now')
      .option('--archived', 'all that are archived')
      .option('--on-list <number>', 'all who are on this reconciled list')
      .option('--not-on-list <number>', 'all of ours who are not on this reconciled list')
      .option('--part <text>', 'all with this in their address or name')
      .option('--list <list>', 'all who are subscribed to this list')
      .option('--stage <stage>', 'all at this stage')
      .option('--brand <brand>', 'whose stages are meant')
      .option('--deliverability <mark>', 'all that are deliverable, doubtful or undeliverable')
      .option('--where <condition>', 'all whom a condition of the brand matches')
      .option('--tagged <tag>', 'all with this tag')
      .option('--dry-run', 'count who would change, and change nothing')
      .option('--expect <number>', 'how many the dry run said would change')
      .option('--reason <text>', 'why')
      .action((addresses: string[], options: ActOptions) => actOn(act, addresses, options));
    if (act === 'archive' || act === 'erase')
      command.option(
        '--expect-mailable <number>',
        'how many of them some brand may still write to, as the dry run said',
      );
    if (act === 'tag' || act === 'untag') command.requiredOption('--tag <tag>', 'the tag');
    if (act === 'suppress') command.requiredOption('--onto <list>', 'suppression list of your own');
    if (act === 'unsubscribe') command.requiredOption('--from <brand>', 'brand whose lists they leave');
    if (act === 'subscribe') command.requiredOption('--to <list>', 'list that they join');
    if (act === 'ask') command.requiredOption('--to <list>', 'list that they wait on');
  }
  withOutput(
    group.command('cost').description('what contacts cost, and what archiving who cannot be reached would save'),
  )
    .option(
      '--ladder <file>',
      'JSON with the price of a month by number of contacts, to be saved: {"currency": "EUR", "steps": [{"from": 0, "month": 0}]}',
    )
    .action(async (options: OutputOptions & { ladder?: string }) => {
      const client = connect();
      const cost =
        options.ladder === undefined
          ? await client.cost()
          : await client.savePriceLadder(JSON.parse(readFileSync(options.ladder, 'utf8')) as PriceLadder);
      printOne(cost, options, () => costLines(cost));
    });
}

async function actOn(act: ActPreview['act'], given: string[], options: ActOptions): Promise<void> {
  const client = connect();
  const selection: ActSelection = {
    ...(await readSelection(client, given, options)),
    act,
    ...(await readNeeds(client, options)),
  };
  if (options.dryRun || options.expect === undefined) {
    const preview = await withCondition(options.where ?? '', () => client.previewAct(selection));
    printOne(preview, options, () => previewLines(preview));
    if (!options.dryRun)
      throw new UsageError(
        `Nothing was changed. To do it: --expect ${preview.willChange}${preview.stillMailable.contacts > 0 ? ` --expect-mailable ${preview.stillMailable.contacts}` : ''} --reason "…"`,
      );
    return;
  }
  if (options.reason === undefined) throw new UsageError('Say why, with --reason.');
  const expectMailable = options.expectMailable === undefined ? undefined : Number(options.expectMailable);
  const run = await client.applyAct({
    ...selection,
    expect: Number(options.expect),
    expectMailable,
    reason: options.reason,
  });
  await printRun(client, run, options, ({ id, counts }) => [
    `${changedWords(counts) || 'Nobody changed'}, run ${id}.`,
    act === 'erase' ? 'This cannot be undone.' : `Undo: avendel runs undo ${id} --reason "…"`,
  ]);
}

async function readSelection(client: Client, given: string[], options: ActOptions): Promise<Omit<ActSelection, 'act'>> {
  const addresses = [...given, ...(options.file === undefined ? [] : readAddresses(options.file))];
  const standing = options.unreachable ? 'unreachable' : options.archived ? 'archived' : undefined;
  const list = options.onList ?? options.notOnList;
  const reconciled = list === undefined ? undefined : { id: Number(list), on: options.onList !== undefined };
  const filter = await readFilter(client, options);
  if (addresses.length === 0 && standing === undefined && !reconciled && !filter)
    throw new UsageError(
      'Say who: addresses, --file, --unreachable, --archived, --on-list, --not-on-list, --list, --stage, --part, --deliverability, --tagged or --where.',
    );
  return { addresses: addresses.length > 0 ? addresses : undefined, standing, reconciled, filter };
}

async function readFilter(client: Client, options: ActOptions): Promise<ContactQuery | undefined> {
  const { part, stage, deliverability, where, tagged: tag } = options;
  if ([part, stage, deliverability, tag, where, options.list].every((one) => one === undefined)) return undefined;
  const list = options.list === undefined ? undefined : await listNamed(client, options.list);
  const brandId =
    list?.brandId ??
    (options.brand === undefined ? (await client.brands())[0]?.id : (await brandNamed(client, options.brand)).id);
  if (brandId === undefined) throw new UsageError('There is no brand yet.', 1);
  return { brandId, part, listId: list?.id, stage, deliverability, tag, where };
}

/** What the act needs to know besides whom. */
async function readNeeds(client: Client, { tag, onto, from, to }: ActOptions): Promise<Partial<ActSelection>> {
  return {
    tag,
    suppressionListId: onto === undefined ? undefined : (await suppressionListNamed(client, onto)).id,
    brandId: from === undefined ? undefined : (await brandNamed(client, from)).id,
    listId: to === undefined ? undefined : (await listNamed(client, to)).id,
  };
}

function previewLines(preview: ActPreview): string[] {
  const what = ACTS[preview.act].would;
  const already = preview.already > 0 ? ` ${count(preview.already)} would stay as they are.` : '';
  return [
    `${count(preview.willChange)} ${what}; nothing was changed.${already}`,
    ...(preview.stillMailable.contacts > 0
      ? [
          `${count(preview.stillMailable.contacts)} of them may still be written to: ${preview.stillMailable.brands.map((brand) => `${count(brand.contacts)} by ${brand.brandName}`).join(', ')}.`,
        ]
      : []),
    ...preview.sample.map((one) => `  ${one.address}${one.name ? `, ${one.name}` : ''}`),
    ...(preview.unknown.length > 0 ? [`No contact of ours: ${preview.unknown.join(', ')}`] : []),
  ];
}

function costLines(cost: ContactCost): string[] {
  const money = (amount: number | null): string =>
    amount === null || !cost.ladder
      ? 'no price ladder'
      : `${amount.toLocaleString('en-GB', { minimumFractionDigits: 2 })} ${cost.ladder.currency}`;
  const rows = [
    { what: 'Count now', contacts: cost.counted, month: money(cost.monthNow) },
    { what: '− whom no campaign can reach', contacts: cost.unreachable, month: '' },
    { what: 'Would count', contacts: cost.counted - cost.unreachable, month: money(cost.monthAfter) },
  ];
  if (!cost.ladder) note('Set what a month costs: avendel contacts cost --ladder FILE');
  return [
    tableText(rows, [
      { head: '', cell: (row) => row.what },
      { head: 'Contacts', cell: (row) => row.contacts, right: true },
      { head: 'A month', cell: (row) => row.month, right: true },
    ]),
    ...(cost.savingYear === null || cost.unreachable === 0
      ? []
      : [`Archiving them saves ${money(cost.savingYear)} a year: avendel contacts archive --unreachable --dry-run`]),
    `${count(cost.archived)} are archived.`,
  ];
}
