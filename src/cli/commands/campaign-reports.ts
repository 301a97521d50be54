import type { Command } from 'commander';
import { heldByWords } from '../../client/wording/held-by.ts';
import type { ComparedCampaign, RecipientsQuery } from '../../shared/contract/reports.ts';
import { campaignNamed } from '../names.ts';
import { count, printOne, printRows, share, tableText, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { reportLines, whatCameLines } from '../report-words.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

/** What came of campaigns. */
export function addReportCommands(group: Command): void {
  addReport(group);
  addRecipients(group);
  addCompare(group);
}

function addReport(group: Command): void {
  withOutput(group.command('report <campaign>').description('ledger, what came back, who acted')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const campaign = await campaignNamed(client, name);
      const isDraft = campaign.state === 'draft';
      const came = await client.whatCame({ id: campaign.id });
      printOne({ ...(await client.report({ id: campaign.id })), ...came }, options, (report) =>
        isDraft
          ? [`“${campaign.name}” is a draft: nothing of it has left. Next: avendel campaigns preflight ${campaign.id}`]
          : [
              ...reportLines(campaign.name, report),
              '',
              tableText(report.domains, [
                { head: 'Receiving domain', cell: (row) => row.domain },
                { head: 'Accepted', cell: (row) => row.accepted, right: true },
                { head: 'Bounced', cell: (row) => row.bounced, right: true },
                { head: 'Opened', cell: (row) => share(row.opened, row.accepted), right: true },
                { head: 'Clicked', cell: (row) => share(row.clicked, row.accepted), right: true },
              ]),
              ...whatCameLines(report, came),
            ],
      );
    },
  );
}

function addRecipients(group: Command): void {
  withPaging(
    withOutput(group.command('recipients <campaign>').description('contacts of the ledger by state, reason or act')),
  )
    .option('--state <state>', 'held-back, queued, claimed, accepted, refused or uncertain')
    .option('--reason <reason>', 'deciding reason of those held back')
    .option('--by <what>', 'left out by this: list, segment or exclusion with its number, as “exclusion 5”')
    .option('--acted <kind>', 'who did this: bounced, opened, clicked, complained, unsubscribed')
    .option('--actor <actor>', 'human, machine or unknown; of bounces hard, soft or block')
    .option('--domain <domain>', 'of this receiving domain')
    .option('--wave <number>', 'of this wave')
    .option('--link <number>', 'of who clicked: with this link, by its number in the report')
    .action(
      async (
        name: string,
        options: OutputOptions &
          PagingOptions &
          Pick<RecipientsQuery, 'state' | 'reason' | 'by' | 'acted' | 'actor' | 'domain'> & {
            wave?: string;
            link?: string;
          },
      ) => {
        const client = connect();
        const page = await client.recipients({
          id: (await campaignNamed(client, name)).id,
          state: options.state,
          reason: options.reason,
          by: options.by,
          acted: options.acted,
          actor: options.actor,
          domain: options.domain,
          wave: options.wave === undefined ? undefined : Number(options.wave),
          link: options.link === undefined ? undefined : Number(options.link),
          ...pageOf(options),
        });
        printPage(
          page,
          [
            { head: 'Address', cell: (row) => row.address },
            { head: 'State', cell: (row) => row.state },
            {
              head: 'Reasons',
              cell: (row) => [row.reasons.join(', '), heldByWords(row, moment)].filter(Boolean).join(': '),
            },
            { head: 'When', cell: (row) => moment(row.at) },
            { head: 'The relay said', cell: (row) => row.reply },
          ],
          options,
          'Nobody.',
        );
      },
    );
}

function addCompare(group: Command): void {
  withOutput(group.command('compare <campaigns...>').description('campaigns side by side, two or more')).action(
    async (names: string[], options: OutputOptions) => {
      const client = connect();
      const ids: number[] = [];
      for (const name of names) ids.push((await campaignNamed(client, name)).id);
      if (new Set(ids).size < 2) throw new UsageError('Name two campaigns or more.');
      printRows(
        await client.compareCampaigns({ ids: [...new Set(ids)].join(',') }),
        [
          { head: 'No', cell: (row) => row.id, right: true },
          { head: 'Campaign', cell: (row) => row.name },
          { head: 'Started', cell: (row) => moment(row.startedAt) },
          { head: 'Delivered', cell: (row) => count(row.delivered), right: true },
          { head: 'Opened', cell: (row) => percentOf(row.shares?.opened.human), right: true },
          { head: 'Clicked', cell: (row) => percentOf(row.shares?.clicked.human), right: true },
          ...(['bounce', 'hard', 'complaint', 'unsubscribe'] as const).map((name) => ({
            head: COMPARED_RATES[name],
            cell: ({ rates }: ComparedCampaign) => {
              const found = rates.find((rate) => rate.name === name);
              return `${percentOf(found?.rate ?? undefined)}${found?.over ? ' OVER' : ''}`;
            },
            right: true,
          })),
        ],
        options,
        'Nothing.',
      );
    },
  );
}

const COMPARED_RATES = { bounce: 'Bounced', hard: 'Hard', complaint: 'Complained', unsubscribe: 'Unsubscribed' };

const percentOf = (share: number | undefined): string => (share === undefined ? '–' : `${(100 * share).toFixed(2)} %`);
