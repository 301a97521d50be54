import type { Command } from 'commander';
import type { SignUp } from '../../shared/contract/permission.ts';
import { listNamed } from '../names.ts';
import { line, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addList(group);
  addAdd(group);
}

function addList(group: Command): void {
  withPaging(
    withOutput(
      group.command('list').description('sign-ups by state, oldest first: who waits to confirm, and since when'),
    ),
  )
    .option('--state <state>', 'pending, confirmed, expired, turned-away, or noted from a file', 'pending')
    .option('--list <list>', 'for this list')
    .action(async (options: OutputOptions & PagingOptions & { state: SignUp['state']; list?: string }) => {
      const client = connect();
      const listId = options.list === undefined ? undefined : (await listNamed(client, options.list)).id;
      printPage(
        await client.signUps({ state: options.state, listId, ...pageOf(options) }),
        [
          { head: 'Address', cell: (one) => one.address },
          { head: 'List', cell: (one) => one.listName },
          { head: 'Since', cell: (one) => moment(one.at) },
          { head: 'By', cell: (one) => [one.way, one.network ?? one.source].filter(Boolean).join(' from ') },
          { head: 'Asked', cell: (one) => one.messages, right: true },
          {
            head: {
              pending: 'Ends',
              confirmed: 'Confirmed',
              expired: 'Ended',
              'turned-away': 'Because',
              noted: 'Noted',
            }[options.state],
            cell: (one) => lastCell(one),
          },
        ],
        options,
        `No sign-up is ${options.state}.`,
      );
    });
}

function addAdd(group: Command): void {
  group
    .command('add <list> <address>')
    .description('sign somebody up, as the form of the list does')
    .option('--name <name>', 'their name')
    .option('--agreed <text>', 'the text they agreed to')
    .option('--network <address>', 'address of the network they signed up from')
    .action(
      async (listName: string, address: string, options: { name?: string; agreed?: string; network?: string }) => {
        const client = connect();
        const list = await listNamed(client, listName);
        await client.signUp({ listId: list.id, address, ...options });
        line(`Taken. What became of it: avendel sign-ups list --list "${list.name}" --state pending`);
      },
    );
}

function lastCell(one: SignUp): string {
  if (one.state === 'turned-away') return one.because ?? '';
  const instant = one.state === 'noted' ? one.at : one.state === 'confirmed' ? one.confirmedAt : one.expiresAt;
  return instant === null ? '' : moment(instant);
}
