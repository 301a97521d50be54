import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { DkimKey } from '../../shared/contract/dkim.ts';
import { dnsWords } from '../../client/wording/dns.ts';
import { UsageError } from '../usage-error.ts';
import { brandNamed } from '../names.ts';
import { line, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addList(group);
  addAdd(group);
  addSign(group);
  addRemove(group);
  addDns(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('the keys of a brand'))
    .option('--brand <brand>', 'the brand')
    .action(async (options: OutputOptions & { brand?: string }) => {
      const client = connect();
      printRows(
        await client.dkimKeys({ id: (await brandNamed(client, options.brand)).id }),
        [
          { head: 'Selector', cell: (key) => key.selector },
          { head: 'Domain', cell: (key) => key.domain },
          { head: 'Signs', cell: (key) => (key.signs ? 'yes' : 'not yet') },
          { head: 'Since', cell: (key) => moment(key.createdAt) },
          { head: 'By', cell: (key) => key.createdBy },
        ],
        options,
        'Messages of this brand are not signed here: avendel dkim add SELECTOR',
      );
    });
}

function addAdd(group: Command): void {
  withOutput(
    group.command('add <selector>').description('give a brand a key to sign with; nothing is signed with it yet'),
  )
    .option('--brand <brand>', 'the brand')
    .option('--domain <domain>', 'the domain that answers for the messages; else that of the From address')
    .option('--key <file>', 'an RSA key in PEM; else one of 2048 bits is made')
    .action(async (selector: string, options: OutputOptions & { brand?: string; domain?: string; key?: string }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      const key = await client.addDkimKey({
        id: brand.id,
        selector,
        domain: options.domain,
        privateKey: options.key === undefined ? undefined : readFileSync(options.key, 'utf8'),
      });
      const record = (await client.dnsRecords({ id: brand.id })).find(({ name }) =>
        name.startsWith(`${key.selector}.`),
      )!;
      printOne(key, options, () => [
        `The key ${key.selector} of ${key.domain} is kept. Publish this in the DNS:`,
        `${record.name}. TXT "${record.wanted}"`,
        `Once it stands there: avendel dkim sign ${key.selector} --brand "${brand.name}"`,
      ]);
    });
}

function addSign(group: Command): void {
  const act = (verb: string, description: string, signs: boolean): Command =>
    withOutput(group.command(`${verb} <selector>`).description(description))
      .option('--brand <brand>', 'the brand')
      .action(async (selector: string, options: OutputOptions & { brand?: string }) => {
        const client = connect();
        const { id, key } = await keyNamed(client, options.brand, selector);
        const keys = await client.signWithDkimKey({ id, keyId: key.id, signs });
        const signing = keys.filter((one) => one.signs).map((one) => one.selector);
        printOne(keys, options, () => [
          signing.length === 0
            ? 'Messages are no longer signed.'
            : `Messages are signed with ${signing.join(' and ')}.`,
        ]);
      });
  act('sign', 'sign messages of the brand with it; with two keys they are signed twice', true);
  act('pause', 'sign no longer with it; the key is kept', false);
}

function addRemove(group: Command): void {
  group
    .command('remove <selector>')
    .description('remove a key for good; leave its record in the DNS until messages under way have arrived')
    .option('--brand <brand>', 'the brand')
    .action(async (selector: string, options: { brand?: string }) => {
      const client = connect();
      const { id, key } = await keyNamed(client, options.brand, selector);
      await client.removeDkimKey({ id, keyId: key.id });
      line(`The key ${key.selector} of ${key.domain} is removed.`);
    });
}

function addDns(group: Command): void {
  withOutput(group.command('dns').description('the records a brand’s domains should have, and what stands there'))
    .option('--brand <brand>', 'the brand')
    .action(async (options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const records = await client.dnsRecords({ id: (await brandNamed(client, options.brand)).id });
      printOne(records, options, () =>
        records.flatMap((record) => [
          `${record.name}. ${record.type} "${record.wanted}"`,
          `    ${record.purpose}`,
          `    ${dnsWords(record)}`,
        ]),
      );
      if (records.some(({ agrees }) => agrees === false)) process.exitCode = 1;
    });
}

async function keyNamed(
  client: Client,
  brand: string | undefined,
  selector: string,
): Promise<{ id: number; key: DkimKey }> {
  const { id, name } = await brandNamed(client, brand);
  const keys = await client.dkimKeys({ id });
  const key = keys.find((one) => one.selector === selector.toLowerCase());
  if (!key)
    throw new UsageError(
      `${name} has no key “${selector}”. It has: ${keys.map((one) => one.selector).join(', ') || 'none'}.`,
    );
  return { id, key };
}
