import type { Command } from 'commander';
import type { Mailbox } from '../../shared/contract/mailboxes.ts';
import { brandNamed } from '../names.ts';
import { count, line, printOne, printRows, type OutputOptions } from '../output.ts';
import { givenPassword } from '../password.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface AddOptions extends OutputOptions {
  host: string;
  port?: string;
  security?: Mailbox['security'];
  account: string;
  passwordFile?: string;
  folder?: string;
  brand?: string;
  poll?: string;
  counted?: string;
  noted?: string;
  unmatched?: string;
}

export function addCommands(group: Command): void {
  addList(group);
  addAdd(group);
  for (const [act, paused] of [
    ['pause', true],
    ['resume', false],
  ] as const)
    group
      .command(`${act} <name>`)
      .description(paused ? 'stop fetching from a mailbox' : 'go on fetching from it')
      .action(async (name: string) => {
        const box = await mailboxNamed(name);
        await connect().pauseMailbox({ id: box.id, paused });
        line(`${box.name} ${paused ? 'is paused' : 'goes on'}.`);
      });
  addLook(group);
  addRemove(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('mailboxes, and how they are')).action(
    async (options: OutputOptions) => {
      printRows(
        await connect().mailboxes(),
        [
          { head: 'No', cell: (box) => box.id, right: true },
          { head: 'Name', cell: (box) => box.name },
          { head: 'Where', cell: (box) => `${box.account} at ${box.host}:${box.port}, ${box.folder}` },
          { head: 'Processed', cell: (box) => count(box.processed), right: true },
          { head: 'Waiting', cell: (box) => box.waiting, right: true },
          { head: 'Last look', cell: (box) => moment(box.lastPollAt) },
          {
            head: 'State',
            cell: (box) =>
              box.paused
                ? 'paused'
                : (box.trouble ??
                  (box.lastPollAt === null
                    ? 'not looked into yet'
                    : box.idles
                      ? 'idles'
                      : `every ${box.pollSeconds} s`)),
          },
        ],
        options,
        'There is no mailbox yet: avendel mailboxes add --help',
      );
    },
  );
}

function addAdd(group: Command): void {
  withOutput(
    group
      .command('add <name>')
      .description('fetch returns from an IMAP mailbox; one of this name gets the new settings'),
  )
    .requiredOption('--host <host>', 'IMAP server')
    .requiredOption('--account <account>', 'account to sign in with')
    .option(
      '--password-file <file>',
      'file that holds its password; else AVENDEL_MAILBOX_PASSWORD; without either, the one that is kept for this server and account goes on',
    )
    .option('--port <number>', 'port; 993 if not said')
    .option('--security <how>', 'tls, starttls, or none for a server on this machine')
    .option('--folder <folder>', 'folder that returns come into; INBOX if not said')
    .option('--brand <brand>', 'brand whose returns it takes')
    .option('--poll <seconds>', 'look this often, rather than being told by the server (IDLE)')
    .option('--counted <act>', 'what is done with messages that counted: leave, flag, delete, or move:FOLDER')
    .option('--noted <act>', 'the same for those that change nothing')
    .option('--unmatched <act>', 'the same for those that match nothing')
    .action(add);
}

function addLook(group: Command): void {
  group.command('look <name>').description('look into a mailbox now, and say what was found').action(look);
}

function addRemove(group: Command): void {
  group
    .command('remove <name>')
    .description('forget a mailbox; what was fetched from it stays')
    .action(async (name: string) => {
      const box = await mailboxNamed(name);
      await connect().removeMailbox({ id: box.id });
      line(`${box.name} is no longer fetched from.`);
    });
}

async function add(name: string, options: AddOptions): Promise<void> {
  const client = connect();
  const { host, account, passwordFile, security, folder, counted, noted, unmatched } = options;
  const brandId = options.brand === undefined ? null : (await brandNamed(client, options.brand)).id;
  const said = Object.entries({ counted, noted, unmatched }).flatMap(([outcome, act]) =>
    act === undefined ? [] : [[outcome, act] as const],
  );
  const password = givenPassword(passwordFile, 'AVENDEL_MAILBOX_PASSWORD');
  const box = await client.keepMailbox({
    name,
    host,
    account,
    password,
    security,
    folder,
    brandId,
    ...(options.port === undefined ? {} : { port: Number(options.port) }),
    ...(options.poll === undefined ? {} : { idles: false, pollSeconds: Number(options.poll) }),
    afterwards: Object.fromEntries(said),
  });
  printOne(box, options, () => [
    `${box.name}: ${box.account} at ${box.host}:${box.port}, ${box.folder}. How it is: avendel mailboxes list`,
  ]);
}

const LOOK_AGAIN_MS = 300;
/** A server that answers at all answers sooner. */
const LONGEST_LOOK_MS = 60_000;

/** Asks for a look and waits until there was one. */
async function look(name: string): Promise<void> {
  const client = connect();
  const before = await mailboxNamed(name);
  await client.lookIntoMailbox({ id: before.id });
  for (const until = Date.now() + LONGEST_LOOK_MS; Date.now() < until;) {
    const box = await mailboxNamed(before.name);
    if (box.trouble !== null) throw new UsageError(`${box.name} cannot be read: ${box.trouble}`, 1);
    if (box.lastPollAt !== before.lastPollAt && box.waiting === 0)
      return line(`${box.name}: ${count(box.processed - before.processed)} new, nothing waiting.`);
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
  }
  throw new UsageError(`${before.name} has not answered within a minute; avendel mailboxes list says how it is.`, 1);
}

async function mailboxNamed(name: string): Promise<Mailbox> {
  const box = (await connect().mailboxes()).find((one) => one.name === name || String(one.id) === name);
  if (!box) throw new UsageError(`There is no mailbox “${name}”.`, 1);
  return box;
}
