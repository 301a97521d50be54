import type { Command } from 'commander';
import { brandNamed } from '../names.ts';
import { printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  addList(group);
  addEdit(group);
  addCreate(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('brands there are')).action(async (options: OutputOptions) => {
    printRows(
      await connect().brands(),
      [
        { head: 'Brand', cell: (brand) => brand.name },
        { head: 'Sends as', cell: (brand) => brand.fromAddress },
        { head: 'Returns to', cell: (brand) => brand.returnDomain },
        { head: 'Zone', cell: (brand) => brand.zone },
      ],
      options,
      'There is no brand yet: avendel brands create NAME --from ADDRESS --return-domain DOMAIN',
    );
  });
}

function addEdit(group: Command): void {
  withOutput(group.command('edit <brand>').description('change how a brand sends'))
    .option('--name <name>', 'new name')
    .option('--from <address>', 'address that messages come from')
    .option(
      '--return-domain <domain>',
      'domain whose mail comes to the intake; what left before comes back to the old one',
    )
    .option('--zone <zone>', 'IANA time zone')
    .action(async (name: string, options: OutputOptions & BrandOptions) => {
      const client = connect();
      const brand = await client.changeBrand({
        id: (await brandNamed(client, name)).id,
        name: options.name,
        fromAddress: options.from,
        returnDomain: options.returnDomain,
        zone: options.zone,
      });
      printOne(brand, options, () => [
        `Brand “${brand.name}” sends as ${brand.fromAddress}; returns come to ${brand.returnDomain}; its days are those of ${brand.zone}.`,
      ]);
    });
}

function addCreate(group: Command): void {
  withOutput(group.command('create <name>').description('create a brand'))
    .requiredOption('--from <address>', 'address that messages come from')
    .requiredOption('--return-domain <domain>', 'domain whose mail comes to the intake')
    .option('--zone <zone>', 'IANA time zone', 'UTC')
    .action(async (name: string, options: OutputOptions & { from: string; returnDomain: string; zone: string }) => {
      const brand = await connect().createBrand({
        name,
        fromAddress: options.from,
        returnDomain: options.returnDomain,
        zone: options.zone,
      });
      printOne(brand, options, () => [`Brand “${brand.name}” created, with its suppression lists.`]);
    });
}

interface BrandOptions {
  name?: string;
  from?: string;
  returnDomain?: string;
  zone?: string;
}
