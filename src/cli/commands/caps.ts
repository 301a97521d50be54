import type { Command } from 'commander';
import type { Cap } from '../../shared/contract/caps.ts';
import { capWords } from '../../client/wording/held-by.ts';
import { brandNamed } from '../names.ts';
import { line, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface Whose {
  brand?: string;
  allBrands?: boolean;
}

/** Of which brand something is: null for all brands together. */
export async function whose(options: Whose): Promise<number | null> {
  if (options.allBrands && options.brand !== undefined) throw new UsageError('Say --brand or --all-brands, not both.');
  return options.allBrands ? null : (await brandNamed(connect(), options.brand)).id;
}

/** The names of brands by their numbers. */
export async function brandNames(): Promise<(brandId: number | null) => string> {
  const names = new Map((await connect().brands()).map(({ id, name }) => [id, name]));
  return (brandId) => (brandId === null ? 'all brands' : (names.get(brandId) ?? `brand ${brandId}`));
}

export function addCommands(group: Command): void {
  withOutput(group.command('list').description('how many marketing messages one contact gets at most'))
    .option('--brand <brand>', 'what holds for this brand, caps of all brands too')
    .option('--ended', 'with those that have ended')
    .action(async (options: OutputOptions & { brand?: string; ended?: boolean }) => {
      const client = connect();
      const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      const nameOf = await brandNames();
      printRows(
        await client.caps({ brandId, ended: options.ended }),
        [
          { head: 'No', cell: (cap) => cap.id, right: true },
          { head: 'At most', cell: capWords },
          { head: 'Of', cell: (cap) => nameOf(cap.brandId) },
          { head: 'Since', cell: (cap) => moment(cap.begunAt) },
          { head: 'By', cell: (cap) => cap.begunBy },
          { head: 'Until', cell: (cap) => (cap.endedAt ? `${moment(cap.endedAt)}, ${cap.endedBy}` : '') },
        ],
        options,
        'There is no cap: avendel caps set --messages 2 --days 7 --brand BRAND',
      );
    });
  withOutput(
    group.command('set').description('cap how often one contact is written to; replaces one for the same days'),
  )
    .requiredOption('--messages <number>', 'the most marketing messages one contact gets, 1 to 32')
    .requiredOption('--days <number>', 'in so many days of 24 hours')
    .option('--brand <brand>', 'messages of this brand')
    .option('--all-brands', 'messages of all brands together')
    .action(async (options: OutputOptions & Whose & { messages: string; days: string }) => {
      const brandId = await whose(options);
      const cap = await connect().createCap({
        brandId,
        messages: Number(options.messages),
        days: Number(options.days),
      });
      const nameOf = await brandNames();
      printOne(cap, options, (made: Cap) => [
        `Cap ${made.id}: nobody gets more than ${capWords(made)} of ${nameOf(made.brandId)}.`,
      ]);
    });
  group
    .command('end <number>')
    .description('end a cap; who it holds back already stays held back')
    .action(async (id: string) => {
      const cap = await connect().endCap({ id: Number(id) });
      line(`Cap ${cap.id}, ${capWords(cap)}, has ended.`);
    });
}
