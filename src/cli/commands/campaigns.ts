import type { CampaignState, MessageFormat, Purpose } from '../../shared/words.ts';
import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { Campaign, NewCampaign } from '../../shared/contract/campaigns.ts';
import { messageOf } from '../../client/wording/findings.ts';
import { paceLines } from '../../client/wording/sending-pace.ts';
import { addPaceCommands } from './campaign-pace.ts';
import { addTimeCommands, timeLines, timesOf, withTimes, type TimeOptions } from './campaign-times.ts';
import { addSetAsideCommands } from './exclusions.ts';
import { addMessageCommands } from './campaign-message.ts';
import { addReportCommands } from './campaign-reports.ts';
import { addSendingCommands } from './campaign-sending.ts';
import { UsageError } from '../usage-error.ts';
import { brandNamed, campaignNamed, listNamed, segmentNamed } from '../names.ts';
import { count, line, printOne, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface DraftOptions extends OutputOptions, TimeOptions {
  brand?: string;
  subject?: string;
  html?: string;
  text?: string;
  list: string[];
  leaveOut: string[];
  segment: string[];
  leaveOutSegment: string[];
  purpose?: Purpose;
  statement?: string;
  format?: MessageFormat;
  previewLine?: string;
  countLinks?: boolean;
  priority?: string;
  restDays?: string;
  name?: string;
}

const collect = (value: string, all: string[]): string[] => [...all, value];

export function addCommands(group: Command): void {
  addListing(group);
  addLooking(group);
  addDrafting(group);
  addTimeCommands(group);
  addPaceCommands(group);
  addSetAsideCommands(group);
  addMessageCommands(group);
  addSendingCommands(group);
  addReportCommands(group);
}

function addListing(group: Command): void {
  withPaging(withOutput(group.command('list').description('campaigns, latest first')))
    .option('--brand <brand>', 'of this brand')
    .option('--state <state>', 'in this state')
    .action(async (options: OutputOptions & PagingOptions & { brand?: string; state?: CampaignState }) => {
      const client = connect();
      const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      printPage(
        await client.campaigns({ brandId, state: options.state, ...pageOf(options) }),
        [
          { head: 'No', cell: (campaign) => campaign.id, right: true },
          { head: 'Campaign', cell: (campaign) => campaign.name },
          { head: 'State', cell: (campaign) => campaign.state },
          { head: 'Audience', cell: (campaign) => campaign.audience, right: true },
          { head: 'Accepted', cell: (campaign) => campaign.accepted, right: true },
          { head: 'Started', cell: (campaign) => moment(campaign.startedAt) },
        ],
        options,
        'There is no campaign yet: avendel campaigns create NAME --list LIST --subject … --html FILE',
      );
    });
}

function addDrafting(group: Command): void {
  const draftOptions = (command: Command): Command =>
    withTimes(withOutput(command))
      .option('--subject <text>', 'subject; merge fields as [[first_name else "stargazer"]]')
      .option('--preview-line <text>', 'what mailboxes show after the subject')
      .option('--format <format>', 'html, with a text part; or text, plain text alone')
      .option('--html <file>', 'file with the HTML body')
      .option('--text <file>', 'file with the plain-text body; made from the HTML if there is none')
      .option('--count-links', 'of plain text alone: have its links counted')
      .option('--no-count-links', 'of plain text alone: leave its links as they are')
      .option('--list <list>', 'list taken in; may be repeated', collect, [])
      .option('--leave-out <list>', 'list left out; may be repeated', collect, [])
      .option('--segment <segment>', 'segment taken in; may be repeated', collect, [])
      .option('--leave-out-segment <segment>', 'segment left out; may be repeated', collect, [])
      .option('--purpose <purpose>', 'marketing or service')
      .option('--statement <text>', 'of a service message: why each recipient has to get it, also who opted out')
      .option('--priority <number>', '1 to 5: of two that compete for one last place under a cap the lower gets it')
      .option('--rest-days <number>', 'not to whoever had a marketing message in so many days; 0 for no such rest');
  draftOptions(group.command('create <name>').description('create a campaign as a draft'))
    .option('--brand <brand>', 'brand that sends it; else the one of the first list')
    .action(async (name: string, options: DraftOptions) => {
      const client = connect();
      const draft = await draftOf(client, options);
      if (!draft.listIds && !draft.segmentIds)
        throw new UsageError('Say who gets it: --list LIST or --segment SEGMENT.');
      const list = (await client.lists()).find(({ id }) => id === draft.listIds?.[0]);
      const brandId = options.brand || !list ? (await brandNamed(client, options.brand)).id : list.brandId;
      const campaign = await client.createCampaign({ ...draft, name, brandId });
      printOne(campaign, options, () => [
        `Draft ${campaign.id}, “${campaign.name}”. Next: avendel campaigns ${campaign.problems.length > 0 ? 'check' : 'preflight'} ${campaign.id}`,
        ...unfitLines(campaign),
      ]);
    });
  draftOptions(group.command('edit <campaign>').description('change a draft'))
    .option('--name <name>', 'new name')
    .action(async (name: string, options: DraftOptions) => {
      const client = connect();
      const campaign = await client.changeCampaign({
        id: (await campaignNamed(client, name)).id,
        ...(await draftOf(client, options)),
        name: options.name,
      });
      printOne(campaign, options, () => [
        `Draft ${campaign.id}, “${campaign.name}”, is changed.`,
        ...unfitLines(campaign),
      ]);
    });
  group
    .command('delete <campaign>')
    .description('delete a draft that no segment speaks of; what was started can be cancelled')
    .action(async (name: string) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      await client.removeDraft({ id: campaign.id });
      line(`“${campaign.name}” is deleted.`);
    });
}

function addLooking(group: Command): void {
  addShow(group);
  addCopy(group);
}

function addShow(group: Command): void {
  withOutput(group.command('show <campaign>').description('what a campaign says, and to whom')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const campaign = await client.campaign({ id: (await campaignNamed(client, name)).id });
      const [lists, segments] = [await client.lists(), await client.segments({ brandId: campaign.brandId })];
      const brand = (await client.brands()).find(({ id }) => id === campaign.brandId)!;
      const setAside = await client.setAside({ id: campaign.id });
      const named = (ids: number[], all: { id: number; name: string }[], what: string): string[] =>
        ids.map((id) => `the ${what} “${all.find((one) => one.id === id)?.name ?? id}”`);
      const audience = (listIds: number[], segmentIds: number[]): string =>
        [...named(listIds, lists, 'list'), ...named(segmentIds, segments, 'segment')].join(', ') || 'nobody';
      printOne(campaign, options, () => [
        `${campaign.id}, “${campaign.name}”, ${campaign.purpose} of ${brand.name}: ${campaign.state}`,
        ...(campaign.purpose === 'service'
          ? [`Why each has to get it: ${campaign.statement || '(not said yet)'}`]
          : []),
        `Subject: ${campaign.subject || '(none yet)'}`,
        ...(campaign.format === 'html' && campaign.previewLine !== ''
          ? [`Shown after it: ${campaign.previewLine}`]
          : []),
        `Goes to ${audience(campaign.listIds, campaign.segmentIds)}`,
        `Leaves out ${audience(campaign.leftOutListIds, campaign.leftOutSegmentIds)}`,
        ...(campaign.restDays === null
          ? []
          : [`Not to whoever had a marketing message in ${count(campaign.restDays)} days`]),
        ...(campaign.priority === 3 ? [] : [`Priority ${campaign.priority}`]),
        ...timeLines(campaign),
        ...paceLines(campaign.pace).map((text) => `Pace: ${text}`),
        ...setAside.map(({ name: what, reason, setBy }) => `Does without “${what}”: ${reason} (${setBy})`),
        `${bodyWords(campaign)}; as one contact gets it: avendel campaigns preview ${campaign.id} --for ADDRESS`,
        campaign.state === 'draft'
          ? `Next: avendel campaigns preflight ${campaign.id}`
          : `What became of it: avendel campaigns report ${campaign.id}`,
      ]);
    },
  );
}

function addCopy(group: Command): void {
  withOutput(
    group.command('copy <campaign> <name>').description('begin a draft with what another campaign says, and to whom'),
  ).action(async (name: string, newName: string, options: OutputOptions) => {
    const client = connect();
    const from = await client.campaign({ id: (await campaignNamed(client, name)).id });
    const { priority, restDays, sendWindow, waves, pace } = from;
    const copy = await client.createCampaign({
      ...messageOf(from),
      name: newName,
      priority,
      restDays,
      sendWindow,
      waves,
      pace,
    });
    printOne(copy, options, () => [
      `Draft ${copy.id}, “${copy.name}”. Next: avendel campaigns edit ${copy.id} --subject …`,
    ]);
  });
}

/** What keeps a draft from being sent, said when it is kept. */
function unfitLines({ problems }: { problems: { message: string }[] }): string[] {
  return problems.length === 0 ? [] : ['It cannot be sent as it is:', ...problems.map(({ message }) => `  ${message}`)];
}

function bodyWords({ format, html, text, countLinks }: Campaign): string {
  if (format === 'text')
    return `Plain text alone, of ${count(text.length)} characters, its links ${countLinks ? 'counted' : 'not counted'}`;
  const textPart = text === '' ? 'plain text made from it' : `plain text of ${count(text.length)}`;
  return `HTML of ${count(html.length)} characters, ${textPart}`;
}

async function draftOf(client: Client, options: DraftOptions): Promise<Partial<NewCampaign>> {
  const numbers = async (
    names: string[],
    find: typeof listNamed | typeof segmentNamed,
  ): Promise<number[] | undefined> =>
    names.length === 0 ? undefined : Promise.all(names.map(async (name) => (await find(client, name)).id));
  return {
    statement: options.statement,
    format: options.format,
    subject: options.subject,
    previewLine: options.previewLine,
    countLinks: options.countLinks,
    html: options.html === undefined ? undefined : readFileSync(options.html, 'utf8'),
    text: options.text === undefined ? undefined : readFileSync(options.text, 'utf8'),
    listIds: await numbers(options.list, listNamed),
    leftOutListIds: await numbers(options.leaveOut, listNamed),
    segmentIds: await numbers(options.segment, segmentNamed),
    leftOutSegmentIds: await numbers(options.leaveOutSegment, segmentNamed),
    purpose: options.purpose,
    ...timesOf(options),
    priority: options.priority === undefined ? undefined : Number(options.priority),
    restDays: options.restDays === undefined ? undefined : options.restDays === '0' ? null : Number(options.restDays),
  };
}
