import { Option, type Command } from 'commander';
import type { List } from '../../shared/contract/organisation.ts';
import { brandNamed, listNamed } from '../names.ts';
import { count, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  addList(group);
  addEdit(group);
  addForm(group);
  addCreate(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('lists there are')).action(async (options: OutputOptions) => {
    const client = connect();
    const [brands, counts] = [await client.brands(), await client.listCounts()];
    const on = (list: List, state: 'subscribed' | 'pending'): string =>
      count(counts.find(({ listId }) => listId === list.id)?.[state] ?? 0);
    printRows(
      await client.lists(),
      [
        { head: 'List', cell: (list) => list.name },
        { head: 'Brand', cell: (list) => brands.find((brand) => brand.id === list.brandId)?.name },
        { head: 'Opt-in', cell: (list) => list.optIn },
        { head: 'Subscribed', cell: (list) => on(list, 'subscribed'), right: true },
        { head: 'To confirm', cell: (list) => on(list, 'pending'), right: true },
      ],
      options,
      'There is no list yet: avendel lists create NAME --brand BRAND',
    );
  });
}

function addEdit(group: Command): void {
  withOutput(group.command('edit <list>').description('change a list: its name, opt-in, agreement, reminders'))
    .option('--name <name>', 'new name')
    .option('--opt-in <kind>', 'single or double')
    .option('--agreement <text>', 'what somebody who signs up agrees to; kept with each sign-up')
    .option('--remind <days...>', 'days after which an unconfirmed sign-up is reminded, two at most')
    .option('--expire <days>', 'days after which an unconfirmed sign-up ends')
    .addOption(
      new Option('--shown <where>', 'whether the preference page behind every message shows it').choices([
        'to-all',
        'to-nobody',
      ]),
    )
    .action(async (name: string, options: OutputOptions & ListOptions) => {
      const client = connect();
      const list = await client.changeList({
        id: (await listNamed(client, name)).id,
        name: options.name,
        optIn: options.optIn,
        agreement: options.agreement,
        remindDays: options.remind?.map(Number),
        expireDays: options.expire === undefined ? undefined : Number(options.expire),
        isPublic: options.shown === undefined ? undefined : options.shown === 'to-all',
      });
      printOne(list, options, () => [`List “${list.name}”, ${list.optIn} opt-in.`, ...formLines(list)]);
    });
}

function addForm(group: Command): void {
  withOutput(
    group.command('form <list>').description('where a list’s sign-up form is, and how to put it into a page'),
  ).action(async (name: string, options: OutputOptions) => {
    const list = await listNamed(connect(), name);
    printOne({ signUpUrl: list.signUpUrl }, options, () => formLines(list));
  });
}

function addCreate(group: Command): void {
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

interface ListOptions {
  name?: string;
  optIn?: List['optIn'];
  agreement?: string;
  remind?: string[];
  expire?: string;
  shown?: 'to-all' | 'to-nobody';
}

function formLines(list: List): string[] {
  const reminders =
    list.remindDays.length === 0 ? 'no reminder' : `reminded after ${list.remindDays.join(' and ')} days`;
  return [
    `Sign-up form: ${list.signUpUrl}`,
    `In a page: <iframe src="${list.signUpUrl}" title="${list.name}" width="100%" height="480"></iframe>`,
    `Unconfirmed: ${reminders}, ended after ${list.expireDays} days.`,
    list.isPublic ? 'The preference page shows it.' : 'The preference page does not show it.',
    list.agreement === '' ? 'Nothing is asked to be agreed to: --agreement TEXT' : `Agreed to: “${list.agreement}”`,
  ];
}
