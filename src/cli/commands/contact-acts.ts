import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { ActPreview, ActSelection, ContactCost, PriceLadder } from '../../shared/api-permission.ts';
import { count, note, printOne, tableText, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';

const ACTS: readonly [ActPreview['act'], string][] = [
  ['archive', 'keep contacts without counting or mailing them'],
  ['restore', 'bring archived contacts back as they were'],
  ['erase', 'remove people for good; only a digest of the address stays, so that they stay out'],
];

interface ActOptions extends OutputOptions {
  file?: string;
  unreachable?: boolean;
  archived?: boolean;
  onList?: string;
  notOnList?: string;
  dryRun?: boolean;
  expect?: string;
  reason?: string;
}

/** `contacts archive`, `restore`, `erase` and `cost`. */
export function addActs(group: Command): void {
  for (const [act, description] of ACTS)
    withOutput(group.command(`${act} [addresses...]`).description(description))
      .option('--file <file>', 'addresses, one a line')
      .option('--unreachable', 'all whom no campaign can reach now')
      .option('--archived', 'all that are archived')
      .option('--on-list <number>', 'all who are on this reconciled list')
      .option('--not-on-list <number>', 'all of ours who are not on this reconciled list')
      .option('--dry-run', 'count who would change, and change nothing')
      .option('--expect <number>', 'how many the dry run said would change')
      .option('--reason <text>', 'why')
      .action((addresses: string[], options: ActOptions) => actOn(act, addresses, options));
  withOutput(group.command('cost').description('what contacts cost, and what archiving who cannot be reached would save'))
    .option('--ladder <file>', 'JSON with the price of a month by number of contacts, to be saved: {"currency": "EUR", "steps": [{"from": 0, "month": 0}]}')
    .action(async (options: OutputOptions & { ladder?: string }) => {
      const client = connect();
      const cost = options.ladder === undefined ? await client.cost() : await client.savePriceLadder(JSON.parse(readFileSync(options.ladder, 'utf8')) as PriceLadder);
      printOne(cost, options, () => costLines(cost));
    }); // prettier-ignore
}

async function actOn(act: ActPreview['act'], given: string[], options: ActOptions): Promise<void> {
  const lines = options.file === undefined ? [] : readFileSync(options.file, 'utf8').split(/\r?\n/).filter((one) => one.trim() !== ''); // prettier-ignore
  const addresses = [...given, ...lines];
  const standing = options.unreachable ? 'unreachable' : options.archived ? 'archived' : undefined;
  const list = options.onList ?? options.notOnList;
  const reconciled = list === undefined ? undefined : { id: Number(list), on: options.onList !== undefined };
  if (addresses.length === 0 && standing === undefined && !reconciled)
    throw new UsageError('Say who: addresses, --file, --unreachable, --archived, --on-list or --not-on-list.');
  const selection: ActSelection = {
    act,
    addresses: addresses.length > 0 ? addresses : undefined,
    standing,
    reconciled,
  };
  const client = connect();
  if (options.dryRun || options.expect === undefined) {
    const preview = await client.previewAct(selection);
    printOne(preview, options, () => previewLines(preview));
    if (!options.dryRun)
      throw new UsageError(`Nothing was changed. To do it: --expect ${preview.willChange} --reason "…"`);
    return;
  }
  if (options.reason === undefined) throw new UsageError('Say why, with --reason.');
  const run = await client.applyAct({ ...selection, expect: Number(options.expect), reason: options.reason });
  printOne(run, options, () => [
    `${Object.entries(run.counts).map(([what, n]) => `${count(n)} ${what}`).join(', ')}, run ${run.id}.`,
    act === 'erase' ? 'This cannot be undone.' : `Undo: avendel runs undo ${run.id} --reason "…"`,
  ]); // prettier-ignore
}

function previewLines(preview: ActPreview): string[] {
  const what = { archive: 'would be archived', restore: 'would be restored', erase: 'would be erased, for good' }[preview.act];
  const already = preview.already > 0 ? ` ${count(preview.already)} stand there already.` : '';
  return [
    `${count(preview.willChange)} ${what}; nothing was changed.${already}`,
    ...preview.sample.map((one) => `  ${one.address}${one.name ? `, ${one.name}` : ''}`),
    ...(preview.unknown.length > 0 ? [`No contact of ours: ${preview.unknown.join(', ')}`] : []),
  ];
} // prettier-ignore

function costLines(cost: ContactCost): string[] {
  const money = (amount: number | null): string => (amount === null || !cost.ladder ? 'no price ladder' : `${amount.toLocaleString('en-GB', { minimumFractionDigits: 2 })} ${cost.ladder.currency}`); // prettier-ignore
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
    ...(cost.savingYear === null || cost.unreachable === 0 ? [] : [`Archiving them saves ${money(cost.savingYear)} a year: avendel contacts archive --unreachable --dry-run`]),
    `${count(cost.archived)} are archived.`,
  ]; // prettier-ignore
}
