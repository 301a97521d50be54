import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { NewCampaign } from '../../client/campaign-calls.ts';
import type { Preflight } from '../../shared/api.ts';
import { UsageError } from '../usage-error.ts';
import { brandNamed, campaignNamed, listNamed, segmentNamed } from '../names.ts';
import { count, line, moment, note, printOne, printRows, share, tableText, type OutputOptions } from '../output.ts';
import { reportLines, watchCampaign } from '../report-words.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

interface DraftOptions extends OutputOptions {
  brand?: string;
  subject?: string;
  html?: string;
  text?: string;
  list: string[];
  leaveOut: string[];
  segment: string[];
  leaveOutSegment: string[];
  purpose?: 'marketing' | 'service';
  name?: string;
}

const collect = (value: string, all: string[]): string[] => [...all, value];

export function addCommands(group: Command): void {
  addListing(group);
  addDrafting(group);
  addPreflight(group);
  addSending(group);
  addReport(group);
}

function addListing(group: Command): void {
  withOutput(group.command('list').description('campaigns, latest first'))
    .option('--brand <brand>', 'of this brand')
    .option('--state <state>', 'in this state')
    .option('--limit <number>', 'at most this many', '30')
    .action(async (options: OutputOptions & { brand?: string; state?: string; limit: string }) => {
      const client = connect();
      const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      const page = await client.campaigns({ brandId, state: options.state, limit: Number(options.limit) });
      printRows(page.items, [
        { head: 'No', cell: (campaign) => campaign.id, right: true },
        { head: 'Campaign', cell: (campaign) => campaign.name },
        { head: 'State', cell: (campaign) => campaign.state },
        { head: 'Audience', cell: (campaign) => campaign.audience, right: true },
        { head: 'Accepted', cell: (campaign) => campaign.accepted, right: true },
        { head: 'Started', cell: (campaign) => moment(campaign.startedAt) },
      ], options, 'There is no campaign yet: avendel campaigns create NAME --list LIST --subject … --html FILE'); // prettier-ignore
    });
}

function addDrafting(group: Command): void {
  const draftOptions = (command: Command): Command =>
    withOutput(command)
      .option('--subject <text>', 'subject; merge fields as [[first_name else "stargazer"]]')
      .option('--html <file>', 'file with the HTML body')
      .option('--text <file>', 'file with the plain-text body; made from the HTML if there is none')
      .option('--list <list>', 'list taken in; may be repeated', collect, [])
      .option('--leave-out <list>', 'list left out; may be repeated', collect, [])
      .option('--segment <segment>', 'segment taken in; may be repeated', collect, [])
      .option('--leave-out-segment <segment>', 'segment left out; may be repeated', collect, [])
      .option('--purpose <purpose>', 'marketing or service');
  draftOptions(group.command('create <name>').description('create a campaign as a draft'))
    .option('--brand <brand>', 'brand that sends it; else the one of the first list')
    .action(async (name: string, options: DraftOptions) => {
      const client = connect();
      const draft = await draftOf(client, options);
      if (!draft.listIds && !draft.segmentIds) throw new UsageError('Say who gets it: --list LIST or --segment SEGMENT.'); // prettier-ignore
      const list = (await client.lists()).find(({ id }) => id === draft.listIds?.[0]);
      const brandId = options.brand || !list ? (await brandNamed(client, options.brand)).id : list.brandId;
      const campaign = await client.createCampaign({ ...draft, name, brandId });
      printOne(campaign, options, () => [
        `Draft ${campaign.id}, “${campaign.name}”. Next: avendel campaigns preflight ${campaign.id}`,
      ]);
    });
  draftOptions(group.command('edit <campaign>').description('change a draft'))
    .option('--name <name>', 'new name')
    .action(async (name: string, options: DraftOptions) => {
      const client = connect();
      const campaign = await client.changeCampaign((await campaignNamed(client, name)).id, {
        ...(await draftOf(client, options)),
        name: options.name,
      });
      printOne(campaign, options, () => [`Draft ${campaign.id}, “${campaign.name}”, is changed.`]);
    });
  withOutput(group.command('preview <campaign>').description('the message as one contact would get it'))
    .option('--for <address>', 'contact to write it out for')
    .action(async (name: string, options: OutputOptions & { for?: string }) => {
      const client = connect();
      const preview = await client.preview((await campaignNamed(client, name)).id, options.for);
      printOne(preview, options, ({ message, problems }) => [
        `From: ${message.from.name} <${message.from.address}>`, `To: ${message.to}`, `Subject: ${message.subject}`,
        ...Object.entries(message.headers).map(([header, value]) => `${header}: ${value}`), '', message.text,
        ...problems.map((problem) => `! ${problem.field}, character ${problem.at}: ${problem.message}`),
      ]); // prettier-ignore
      if (preview.problems.length > 0) process.exitCode = 1;
    });
}

async function draftOf(client: Client, options: DraftOptions): Promise<Partial<NewCampaign>> {
  const numbers = async (
    names: string[],
    find: typeof listNamed | typeof segmentNamed,
  ): Promise<number[] | undefined> =>
    names.length === 0 ? undefined : Promise.all(names.map(async (name) => (await find(client, name)).id));
  return {
    subject: options.subject,
    html: options.html === undefined ? undefined : readFileSync(options.html, 'utf8'),
    text: options.text === undefined ? undefined : readFileSync(options.text, 'utf8'),
    listIds: await numbers(options.list, listNamed),
    leftOutListIds: await numbers(options.leaveOut, listNamed),
    segmentIds: await numbers(options.segment, segmentNamed),
    leftOutSegmentIds: await numbers(options.leaveOutSegment, segmentNamed),
    purpose: options.purpose,
  };
}

function addPreflight(group: Command): void {
  withOutput(group.command('preflight <campaign>').description('who will get it, and who is held back and why')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      printOne(await client.preflight(campaign.id), options, (preflight) => preflightLines(campaign.name, preflight));
    },
  );
  withOutput(
    group.command('held-back <campaign>').description('contacts held back, or with --eligible those who will get it'),
  )
    .option('--reason <reason>', 'deciding reason')
    .option('--eligible', 'those who will get it')
    .option('--limit <number>', 'at most this many', '50')
    .option('--cursor <cursor>', 'go on where a page ended')
    .action(
      async (
        name: string,
        options: OutputOptions & { reason?: string; eligible?: boolean; limit: string; cursor?: string },
      ) => {
        if (!options.reason && !options.eligible) throw new UsageError('Say which: --reason REASON or --eligible.');
        const client = connect();
        const page = await client.preflightContacts((await campaignNamed(client, name)).id, options.reason, {
          limit: Number(options.limit),
          cursor: options.cursor,
        });
        printRows(page.items, [
        { head: 'Address', cell: (contact) => contact.address },
        { head: 'Name', cell: (contact) => contact.name },
        { head: 'Reasons', cell: (contact) => contact.reasons.join(', ') },
      ], options, 'Nobody.'); // prettier-ignore
        if (page.next) note(`The next page: --cursor ${page.next}`);
      },
    );
}

function preflightLines(name: string, preflight: Preflight): string[] {
  const rows = preflight.reasons.map((row) => ({
    ...row,
    three: row.sample.map((one) => one.name ?? one.address).join(', '),
  }));
  return [
    `${name}: ${count(preflight.willGet)} of ${count(preflight.audience)} will get this; ${count(preflight.heldBack)} are held back.`,
    ...(rows.length === 0 ? [] : [tableText(rows, [
      { head: 'Held back because', cell: (row) => row.reason },
      { head: 'Contacts', cell: (row) => row.contacts, right: true },
      { head: 'Three of them', cell: (row) => row.three },
    ])]),
    `${count(preflight.audience)} − ${count(preflight.heldBack)} = ${count(preflight.willGet)}`,
    ...preflight.problems.map((problem) => `! ${problem.field}, character ${problem.at}: ${problem.message}`),
    ...(preflight.willGet > 0 && preflight.problems.length === 0 ? [`Send it: avendel campaigns send ${preflight.campaignId} --expect ${preflight.willGet}`] : []),
  ]; // prettier-ignore
}

function addSending(group: Command): void {
  withOutput(group.command('send <campaign>').description('start sending'))
    .requiredOption('--expect <number>', 'how many the preflight said will get it')
    .option('--watch', 'draw the progress until it has ended')
    .action(async (name: string, options: OutputOptions & { expect: string; watch?: boolean }) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      const started = await client.startCampaign(campaign.id, Number(options.expect));
      if (!options.watch)
        return printOne(started, options, () => [
          `“${started.name}” is ${started.state}. Watch it: avendel campaigns watch ${started.id}`,
        ]);
      await watchCampaign(client, campaign.id);
      printOne(await client.report(campaign.id), options, (report) => reportLines(campaign.name, report));
    });
  group.command('watch <campaign>').description('draw the progress until it has ended').action(async (name: string) => {
    const client = connect();
    const campaign = await campaignNamed(client, name);
    await watchCampaign(client, campaign.id);
    for (const text of reportLines(campaign.name, await client.report(campaign.id))) line(text);
  }); // prettier-ignore
  const act = (verb: 'pause' | 'resume' | 'cancel', description: string): Command =>
    group.command(`${verb} <campaign>`).description(description).option('--reason <text>', 'why').action(async (name: string, options: { reason?: string }) => {
      const client = connect();
      const { id } = await campaignNamed(client, name);
      const campaign = verb === 'pause' ? await client.pauseCampaign(id, options.reason) : verb === 'resume' ? await client.resumeCampaign(id) : await client.cancelCampaign(id);
      line(`“${campaign.name}” is ${campaign.state}.`);
    }); // prettier-ignore
  act('pause', 'pause sending; nothing more leaves');
  act('resume', 'go on sending');
  act('cancel', 'cancel for good; who still waits gets nothing');
}

function addReport(group: Command): void {
  withOutput(group.command('report <campaign>').description('ledger, what came back, who acted')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      printOne(await client.report(campaign.id), options, (report) => [
        ...reportLines(campaign.name, report),
        '',
        tableText(report.domains, [
          { head: 'Receiving domain', cell: (row) => row.domain },
          { head: 'Accepted', cell: (row) => row.accepted, right: true },
          { head: 'Bounced', cell: (row) => row.bounced, right: true },
          { head: 'Opened', cell: (row) => share(row.opened, row.accepted), right: true },
          { head: 'Clicked', cell: (row) => share(row.clicked, row.accepted), right: true },
        ]),
      ]);
    },
  );
  withOutput(group.command('recipients <campaign>').description('contacts of the ledger by state, reason or act'))
    .option('--state <state>', 'held-back, queued, claimed, accepted, refused or uncertain')
    .option('--reason <reason>', 'deciding reason of those held back')
    .option('--acted <kind>', 'who did this: bounced, opened, clicked, complained, unsubscribed')
    .option('--actor <actor>', 'human, machine or unknown; of bounces hard, soft or block')
    .option('--limit <number>', 'at most this many', '50')
    .action(
      async (
        name: string,
        options: OutputOptions & { state?: string; reason?: string; acted?: string; actor?: string; limit: string },
      ) => {
        const client = connect();
        const page = await client.recipients((await campaignNamed(client, name)).id, {
          state: options.state,
          reason: options.reason,
          acted: options.acted,
          actor: options.actor,
          limit: Number(options.limit),
        });
        printRows(page.items, [
        { head: 'Address', cell: (row) => row.address },
        { head: 'State', cell: (row) => row.state },
        { head: 'Reasons', cell: (row) => row.reasons.join(', ') },
        { head: 'When', cell: (row) => moment(row.at) },
        { head: 'The relay said', cell: (row) => row.reply },
      ], options, 'Nobody.'); // prettier-ignore
      },
    );
}
