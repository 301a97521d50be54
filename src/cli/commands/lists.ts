import type { Command } from 'commander';
import { brandNamed } from '../names.ts';
import { printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withOutput(group.command('list').description('lists there are')).action(async (options: OutputOptions) => {
    const client = connect();
    const brands = await client.brands();
    printRows(await client.lists(), [
      { head: 'List', cell: (list) => list.name },
      { head: 'Brand', cell: (list) => brands.find((brand) => brand.id === list.brandId)?.name },
      { head: 'Opt-in', cell: (list) => list.optIn },
    ], options, 'There is no list yet: avendel lists create NAME --brand BRAND'); // prettier-ignore
  });
  withOutput(group.command('create <name>').description('create a list'))
    .option('--brand <brand>', 'brand it belongs to')
    .option('--double', 'double opt-in: contacts confirm before they are written to')
    .action(async (name: string, options: OutputOptions & { brand?: string; double?: boolean }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      const list = await client.createList({ brandId: brand.id, name, optIn: options.double ? 'double' : 'single' });
      printOne(list, options, () => [`List “${list.name}” of ${brand.name} created, ${list.optIn} opt-in.`]);
    });
}
