import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { KeptRelay, RelaySettings } from '../../shared/contract/relay.ts';
import { brandNamed, relayNamed } from '../names.ts';
import { line, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';
import { orderWords, passwordPlace, relaySettingWords, relayWords, testWords } from '../../client/wording/relay.ts';

export function addCommands(group: Command): void {
  addCheck(group);
  addTest(group);
  addList(group);
  withSettings(
    group
      .command('add <name>')
      .description('add a relay; no brand sends through it yet')
      .requiredOption(...HOST),
  ).action(async (name: string, options: SettingOptions & { host: string }) => {
    const relay = await connect().addRelay({ name, ...settingsOf(options), host: options.host });
    printOne(relay, options, () => [
      ...linesOf(relay),
      `See whether it answers: avendel relay check "${relay.name}"`,
      `Then: avendel relay order "${relay.name}" --brand BRAND`,
    ]);
  });
  withSettings(
    group
      .command('change <relay>')
      .description('change a relay; what is not said stays')
      .option(...HOST)
      .option('--name <name>', 'another name'),
  ).action(async (relay: string, options: SettingOptions & { host?: string; name?: string }) => {
    const client = connect();
    const { id } = await relayNamed(client, relay);
    const { host, name } = options;
    const changed = await client.changeRelay({ id, ...settingsOf(options), ...given({ host, name }) });
    printOne(changed, options, () => linesOf(changed));
  });
  group
    .command('remove <relay>')
    .description('remove a relay that no brand sends through')
    .action(async (relay: string) => {
      const client = connect();
      const { id, name } = await relayNamed(client, relay);
      await client.removeRelay({ id });
      line(`${name} is removed.`);
    });
  addOrder(group);
}

function addCheck(group: Command): void {
  withOutput(
    group
      .command('check [relay]')
      .description('speak to a relay, without sending anything; without a name to the one of AVENDEL_RELAY_URL'),
  ).action(async (relay: string | undefined, options: OutputOptions) => {
    const client = connect();
    const relayId = relay === undefined ? null : (await relayNamed(client, relay)).id;
    const answer = await client.checkRelay({ relayId });
    printOne(answer, options, () => [relayWords(answer), `It said: ${answer.said}`]);
    if (!answer.answers) process.exitCode = 1;
  });
}

function addTest(group: Command): void {
  withOutput(
    group
      .command('test <address>')
      .description('send a test message to one address; it belongs to no campaign and counts nowhere'),
  )
    .option('--brand <brand>', 'brand it comes from')
    .action(async (to: string, options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      const answer = await client.sendTest({ brandId: brand.id, to });
      printOne(answer, options, () => [testWords(answer, to), `It said: ${answer.reply}`]);
      if (answer.outcome !== 'accepted') process.exitCode = 1;
    });
}

function addList(group: Command): void {
  withOutput(group.command('list').description('the relays, which brands send through them, and how they are')).action(
    async (options: OutputOptions) => {
      const client = connect();
      const [relays, brands] = [await client.relays(), await client.brands()];
      printRows(
        relays,
        [
          { head: 'No', cell: (relay) => relay.id, right: true },
          { head: 'Name', cell: (relay) => relay.name },
          { head: 'Where', cell: (relay) => `${relay.host}:${relay.port}` },
          { head: 'How', cell: relaySettingWords },
          { head: 'Returns to', cell: (relay) => relay.returnsTo ?? '' },
          {
            head: 'Used by',
            cell: (relay) =>
              brands
                .filter(({ id }) => relay.brandIds.includes(id))
                .map(({ name }) => name)
                .join(', '),
          },
          {
            head: 'State',
            cell: ({ trouble, troubleSince }) =>
              trouble === null ? '' : `in trouble since ${moment(troubleSince)}: ${trouble}`,
          },
        ],
        options,
        'Every brand sends through the relay of AVENDEL_RELAY_URL. Another: avendel relay add --help',
      );
    },
  );
}

function addOrder(group: Command): void {
  withOutput(
    group
      .command('order [relays...]')
      .description('say through which relays a brand sends, in this order: the next takes over when one fails'),
  )
    .option('--brand <brand>', 'the brand')
    .option('--none', 'none of them: the one of AVENDEL_RELAY_URL')
    .addHelpText('after', '\nWithout relays and without --none it says how it is.')
    .action(async (names: string[], options: OutputOptions & { brand?: string; none?: boolean }) => {
      if (options.none && names.length > 0) throw new UsageError('Name relays, or say --none; not both.');
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      const relayIds: number[] = [];
      for (const name of names) relayIds.push((await relayNamed(client, name)).id);
      const looks = names.length === 0 && !options.none;
      const order = looks
        ? await client.relaysOfBrand({ id: brand.id })
        : await client.sendThrough({ id: brand.id, relayIds });
      printOne(order, options, () => [orderWords(brand.name, order)]);
    });
}

const HOST = ['--host <host>', 'SMTP server'] as const;

interface SettingOptions extends OutputOptions {
  port?: string;
  security?: RelaySettings['security'];
  certificate?: string;
  account?: string;
  passwordVariable?: string;
  passwordFile?: string;
  connections?: string;
  perHour?: string | false;
  returnsTo?: string | false;
}

/** What `add` and `change` take alike. */
function withSettings(command: Command): Command {
  return withOutput(command)
    .option('--port <number>', 'port; 587 if not said')
    .option('--security <how>', 'tls, starttls, or none for a server on this machine; starttls if not said')
    .option('--certificate <file>', 'authorities in PEM that are trusted beside those of the system')
    .option('--account <account>', 'account to sign in with; "" for none')
    .option('--password-variable <name>', 'environment variable of the service that holds the password')
    .option('--password-file <name>', 'file in AVENDEL_SECRETS_DIR that holds the password')
    .option('--connections <number>', 'messages on their way at once, for each process; 8 if not said')
    .option('--per-hour <number>', 'messages an hour, of all campaigns')
    .option('--no-per-hour', 'as fast as it takes them')
    .option('--returns-to <where>', 'domain, or address of a mailbox, that its returns come to')
    .option('--no-returns-to', 'returns come to the return domain of the brand');
}

/** What was said of a relay, and nothing of what was not. */
function settingsOf(options: SettingOptions): Partial<RelaySettings> {
  const { port, security, certificate, account, passwordVariable, passwordFile } = options;
  const { connections, perHour, returnsTo } = options;
  return given({
    port: port === undefined ? undefined : Number(port),
    security,
    certificate: certificate === undefined ? undefined : readFileSync(certificate, 'utf8'),
    account,
    // One place is said in the stead of the other.
    passwordVariable: passwordVariable ?? (passwordFile !== undefined || account === '' ? null : undefined),
    passwordFile: passwordFile ?? (passwordVariable !== undefined || account === '' ? null : undefined),
    connections: connections === undefined ? undefined : Number(connections),
    perHour: perHour === undefined ? undefined : perHour === false ? null : Number(perHour),
    returnsTo: returnsTo === false ? null : returnsTo,
  });
}

/** Without what was not given. */
function given<T extends object>(all: T): Partial<T> {
  return Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined)) as Partial<T>;
}

function linesOf(relay: KeptRelay): string[] {
  return [
    `${relay.name}: ${relay.host}:${relay.port}, ${relaySettingWords(relay)}.`,
    ...(relay.account === '' ? [] : [`Its password is looked for in ${passwordPlace(relay)}.`]),
    relay.returnsTo === null
      ? 'Its returns come to the return domain of the brand.'
      : `Its returns come to ${relay.returnsTo}.`,
  ];
}
