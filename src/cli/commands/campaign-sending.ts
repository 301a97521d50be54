import type { InSpiteOf, Reason } from '../../shared/words.ts';
import { messageOf } from '../../client/wording/findings.ts';
import type { CheckedMessage } from '../../shared/contract/messages.ts';
import { heldByWords, leftOutWords } from '../../client/wording/held-by.ts';
import { IN_SPITE_WORDS } from '../../client/wording/in-spite.ts';
import type { Command } from 'commander';
import type { Preflight } from '../../shared/contract/sending.ts';
import { campaignNamed } from '../names.ts';
import { UsageError } from '../usage-error.ts';
import { count, line, printOne, printRows, tableText, type OutputOptions } from '../output.ts';
import { reportLines, watchCampaign } from '../report-words.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

/** From a draft to what became of it: preflight, sending, report. */
export function addSendingCommands(group: Command): void {
  addPreflight(group);
  addSending(group);
  addChanges(group);
}

function addPreflight(group: Command): void {
  withOutput(group.command('preflight <campaign>').description('who will get it, and who is held back and why')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const campaign = await client.campaign({ id: (await campaignNamed(client, name)).id });
      const preflight = await client.preflight({ id: campaign.id });
      const { findings } = preflight.problems.length > 0 ? NO_FINDINGS : await client.checkTyped(messageOf(campaign));
      const looks = findings.filter(({ weight }) => weight === 'look').map(({ title }) => title);
      printOne(preflight, options, () => preflightLines(campaign.name, preflight, looks));
    },
  );
  withPaging(
    withOutput(
      group.command('held-back <campaign>').description('contacts held back, or with --eligible those who will get it'),
    ),
  )
    .option('--reason <reason>', 'deciding reason')
    .option('--by <what>', 'left out by this: list, segment or exclusion with its number, as “exclusion 5”')
    .option('--eligible', 'those who will get it')
    .option(
      '--in-spite-of <reason>',
      'whom a service message reaches although they complained, unsubscribed or are at sunset',
    )
    .action(
      async (
        name: string,
        options: OutputOptions &
          PagingOptions & { reason?: Reason; by?: string; eligible?: boolean; inSpiteOf?: InSpiteOf },
      ) => {
        const reason = options.reason ?? (options.by === undefined ? undefined : 'left-out');
        const { inSpiteOf } = options;
        if (!reason && !inSpiteOf && !options.eligible)
          throw new UsageError('Say which: --reason REASON, --by WHAT, --in-spite-of REASON or --eligible.');
        const client = connect();
        const { id } = await campaignNamed(client, name);
        printPage(
          await client.preflightContacts({ id, reason, by: options.by, inSpiteOf, ...pageOf(options) }),
          [
            { head: 'Address', cell: (contact) => contact.address },
            { head: 'Name', cell: (contact) => contact.name },
            { head: 'Reasons', cell: (contact) => contact.reasons.join(', ') },
            { head: 'By', cell: (contact) => heldByWords(contact, moment) },
          ],
          options,
          'Nobody.',
        );
      },
    );
}

/** What stops a message is said by the preflight itself; what is worth a look waits until then. */
const NO_FINDINGS: Pick<CheckedMessage, 'findings'> = { findings: [] };

function preflightLines(name: string, preflight: Preflight, looks: string[]): string[] {
  const rows = preflight.reasons.map((row) => ({
    ...row,
    three: row.sample.map((one) => one.name ?? one.address).join(', '),
  }));
  return [
    `${name}: ${count(preflight.willGet)} of ${count(preflight.audience)} will get this; ${count(preflight.heldBack)} are held back.`,
    ...(rows.length === 0
      ? []
      : [
          tableText(rows, [
            {
              head: 'Held back because',
              cell: (row) => (row.by ? `${row.reason}: ${leftOutWords(row.by)}` : row.reason),
            },
            { head: 'Contacts', cell: (row) => row.contacts, right: true },
            { head: 'Three of them', cell: (row) => row.three },
          ]),
        ]),
    `${count(preflight.audience)} − ${count(preflight.heldBack)} = ${count(preflight.willGet)}`,
    ...(preflight.waves.length === 0
      ? []
      : [
          tableText(preflight.waves, [
            { head: 'Wave', cell: (row) => row.wave, right: true },
            { head: 'Who', cell: (row) => row.who },
            { head: 'Will get it', cell: (row) => row.willGet, right: true },
            { head: 'Held back', cell: (row) => row.heldBack, right: true },
            ...(preflight.waves.some(({ odd }) => odd !== null)
              ? [{ head: 'But', cell: (row: Preflight['waves'][number]) => row.odd ?? '' }]
              : []),
          ]),
        ]),
    ...preflight.setAside.map(({ name: what, reason, setBy }) => `Does without “${what}”: ${reason} (${setBy})`),
    ...preflight.inSpiteOf.map(
      (row) =>
        `Among them, because its purpose is service: ${count(row.contacts)} although ${IN_SPITE_WORDS[row.reason] ?? row.reason}, as ${row.sample.map((one) => one.name ?? one.address).join(', ')}`,
    ),
    ...preflight.problems.map((problem) => `! ${problem.field}, character ${problem.at}: ${problem.message}`),
    ...(looks.length === 0
      ? []
      : [`Worth a look (avendel campaigns check ${preflight.campaignId}): ${looks.join('; ')}`]),
    ...(preflight.willGet > 0 && preflight.problems.length === 0
      ? [
          `Send it: avendel campaigns send ${preflight.campaignId} --expect ${preflight.willGet}${preflight.reachedInSpite > 0 ? ` --in-spite ${preflight.reachedInSpite}` : ''} --draft ${preflight.version}`,
        ]
      : []),
  ];
}

interface SendOptions extends OutputOptions {
  expect: string;
  inSpite?: string;
  draft?: string;
  watch?: boolean;
}

function addSending(group: Command): void {
  withOutput(group.command('send <campaign>').description('start sending'))
    .requiredOption('--expect <number>', 'how many the preflight said will get it')
    .option(
      '--draft <version>',
      'version of the draft that the preflight was of: one that was changed since does not start',
    )
    .option(
      '--in-spite <number>',
      'of a service message: how many the preflight said it reaches although they opted out, complained or are at sunset',
    )
    .option('--watch', 'draw the progress until it has ended')
    .action(async (name: string, options: SendOptions) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      const started = await client.startCampaign({
        id: campaign.id,
        expect: Number(options.expect),
        inSpite: options.inSpite === undefined ? undefined : Number(options.inSpite),
        version: options.draft === undefined ? undefined : Number(options.draft),
      });
      if (!options.watch)
        return printOne(started, options, () => [
          `“${started.name}” is ${started.state}. Watch it: avendel campaigns watch ${started.id}`,
        ]);
      await watchCampaign(client, campaign.id);
      printOne(await client.report({ id: campaign.id }), options, (report) => reportLines(campaign.name, report));
    });
  group
    .command('watch <campaign>')
    .description('draw the progress until it has ended')
    .action(async (name: string) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      await watchCampaign(client, campaign.id);
      for (const text of reportLines(campaign.name, await client.report({ id: campaign.id }))) line(text);
    });
  const act = (verb: 'pause' | 'resume' | 'cancel', description: string): Command =>
    group
      .command(`${verb} <campaign>`)
      .description(description)
      .option('--reason <text>', 'why')
      .action(async (name: string, options: { reason?: string }) => {
        const client = connect();
        const { id } = await campaignNamed(client, name);
        const campaign =
          verb === 'pause'
            ? await client.pauseCampaign({ id, reason: options.reason })
            : verb === 'resume'
              ? await client.resumeCampaign({ id, reason: options.reason })
              : await client.cancelCampaign({ id });
        line(`“${campaign.name}” is ${campaign.state}.`);
      });
  act('pause', 'pause sending; nothing more leaves');
  act('resume', 'go on sending; after the brake with a reason');
  act('cancel', 'cancel for good; who still waits gets nothing');
}

/** Who moved it from one state to another, and why. */
function addChanges(group: Command): void {
  withOutput(
    group.command('changes <campaign>').description('who started, paused, resumed or cancelled it, and why'),
  ).action(async (name: string, options: OutputOptions) => {
    const client = connect();
    const { id } = await campaignNamed(client, name);
    printRows(
      await client.campaignChanges({ id }),
      [
        { head: 'When', cell: (row) => moment(row.at) },
        { head: 'Became', cell: (row) => row.after },
        { head: 'By', cell: (row) => row.actor },
        { head: 'Because', cell: (row) => row.because ?? '' },
      ],
      options,
      'Nothing is on record: nobody has started it here.',
    );
  });
}
