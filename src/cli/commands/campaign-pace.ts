import type { Command } from 'commander';
import { domainWords, paceLines, waitingFor } from '../../client/wording/sending-pace.ts';
import { brakeWords, domainOfSlice } from '../../shared/brake.ts';
import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import type { Brake, DomainProgress, Progress } from '../../shared/contract/pace.ts';
import { campaignNamed } from '../names.ts';
import { count, printOne, tableText, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

interface PaceOptions extends OutputOptions {
  perHour?: string;
  connections?: string;
  domain: string[];
}

const collect = (value: string, all: string[]): string[] => [...all, value];

/** How fast a campaign goes, and what happens to its receiving domains. */
export function addPaceCommands(group: Command): void {
  addPace(group);
  addProgress(group);
  addDomainActs(group);
}

function addPace(group: Command): void {
  withOutput(
    group
      .command('pace <campaign>')
      .description('how fast it goes, in all and by receiving domain; also while it is under way'),
  )
    .option('--per-hour <number>', 'messages an hour; “any” for no such limit')
    .option('--connections <number>', 'messages on their way at once; “any” for no such limit')
    .option(
      '--domain <domain=pace>',
      'of a receiving domain: “hearthmail.example=600” an hour, “…=600/2” and two at once, “…=any”; may be repeated',
      collect,
      [],
    )
    .option('--none', 'as fast as the relay takes it, every domain too')
    .action(async (name: string, options: PaceOptions & { none?: boolean }) => {
      const client = connect();
      const { id } = await campaignNamed(client, name);
      const before = await client.campaign({ id });
      const changes = [options.perHour, options.connections, options.domain[0], options.none];
      const campaign = changes.every((one) => one === undefined)
        ? before
        : await client.setCampaignPace({ id, pace: options.none ? null : changedPace(before.pace, options) });
      printOne(campaign, options, () => {
        const said = paceLines(campaign.pace);
        return [
          `“${campaign.name}” goes ${said.length === 0 ? 'as fast as the relay takes it' : `at this pace:`}`,
          ...said.map((text) => `  ${text}`),
        ];
      });
    });
}

const NO_PACE: CampaignPace = { perHour: null, connections: null, domains: [] };

/** A pace with what was said changed, the rest as it was. @throws UsageError */
function changedPace(before: CampaignPace | null, options: PaceOptions): CampaignPace {
  const { perHour, connections, domains } = before ?? NO_PACE;
  const said = options.domain.map(readDomain);
  const others = domains.filter(({ domain }) => !said.some((one) => one.domain === domain));
  return {
    perHour: options.perHour === undefined ? perHour : readNumber(options.perHour),
    connections: options.connections === undefined ? connections : readNumber(options.connections),
    domains: [...others, ...said.filter((one) => one.perHour !== null || one.connections !== null)],
  };
}

function readDomain(text: string): CampaignPace['domains'][number] {
  const [domain, pace, ...more] = text.split('=');
  const [perHour, connections = 'any', ...rest] = (pace ?? '').split('/');
  if (!domain || !perHour || more.length + rest.length > 0)
    throw new UsageError(`“${text}” is no pace of a domain: write “hearthmail.example=600”, “…=600/2” or “…=any”.`);
  return { domain: domain.toLowerCase(), perHour: readNumber(perHour), connections: readNumber(connections) };
}

function readNumber(text: string): number | null {
  if (text === 'any') return null;
  if (!/^\d+$/.test(text)) throw new UsageError(`“${text}” is no whole number; “any” is no limit.`);
  return Number(text);
}

function addProgress(group: Command): void {
  withOutput(
    group
      .command('progress <campaign>')
      .description('what goes where, what waits for what, and what the brake has stopped'),
  ).action(async (name: string, options: OutputOptions) => {
    const client = connect();
    const campaign = await campaignNamed(client, name);
    printOne(await client.campaignProgress({ id: campaign.id }), options, (progress) =>
      progressLines(campaign.name, campaign.state, progress),
    );
  });
}

function progressLines(name: string, state: string, { waits, domains, brakes, pace }: Progress): string[] {
  const waiting = waitingFor(waits).map(({ what, contacts }) => `${count(contacts)} for ${what}`);
  const said = paceLines(pace);
  return [
    `${name} is ${state}. ${waiting.length === 0 ? 'Nobody waits.' : `Waiting: ${waiting.join(', ')}.`}`,
    ...(said.length === 0 ? [] : [`Pace: ${said.join('; ')}`]),
    ...(domains.length === 0
      ? []
      : [
          tableText(domains, [
            { head: 'Receiving domain', cell: (row) => row.domain },
            { head: 'Waiting', cell: (row) => row.waiting, right: true },
            { head: 'Accepted', cell: (row) => row.accepted, right: true },
            { head: 'Refused', cell: (row) => row.refused, right: true },
            { head: 'Hard', cell: (row) => row.hard, right: true },
            { head: 'Put off', cell: (row) => row.putOff, right: true },
            { head: 'Pace', cell: domainWords },
          ]),
        ]),
    ...domains.filter(({ stoppedAt }) => stoppedAt !== null).flatMap((one) => stoppedLines(name, one)),
    ...brakes.flatMap(brakeLines),
  ];
}

function stoppedLines(
  name: string,
  { domain, stoppedBy, stoppedAt, stoppedBecause, calledOff }: DomainProgress,
): string[] {
  return [
    `${domain} is stopped by ${stoppedBy} since ${moment(stoppedAt)}: ${stoppedBecause}.`,
    ...(calledOff
      ? []
      : [`  Go on with it: avendel campaigns go-on "${name}" ${domain} --reason WHY; or call-off-domain likewise`]),
  ];
}

function brakeLines(brake: Brake): string[] {
  const domain = domainOfSlice(brake.slice);
  const where = domain === null ? '' : `${domain}: `;
  const what = brake.warned ? 'The brake warns' : 'The brake';
  const since = brake.releasedAt ? `; ${brake.releasedBy} went on: ${brake.reason}` : '';
  return [
    `${what}, ${moment(brake.at)}: ${where}${brakeWords(brake)}${since}.`,
    ...brake.said.map(({ text, times }) => `  “${text}”, ${times === 1 ? 'once' : `${count(times)} times`}`),
    ...brake.sources.map(({ source, contacts }) => `  ${count(contacts)} came by ${source}`),
  ];
}

function addDomainActs(group: Command): void {
  const act = (
    verb: string,
    description: string,
    call: 'stopDomain' | 'goOnWithDomain' | 'callOffDomain',
    done: (domain: string) => string,
  ): void => {
    withOutput(group.command(`${verb} <campaign> <domain>`).description(description))
      .requiredOption('--reason <text>', 'why')
      .action(async (name: string, domain: string, options: OutputOptions & { reason: string }) => {
        const client = connect();
        const { id } = await campaignNamed(client, name);
        printOne(await client[call]({ id, domain, reason: options.reason }), options, ({ name: of }) => [
          `“${of}”: ${done(domain)}`,
        ]);
      });
  };
  act(
    'stop-domain',
    'stop a receiving domain; the others go on',
    'stopDomain',
    (domain) => `${domain} is stopped, the others go on.`,
  );
  act(
    'go-on',
    'go on with a receiving domain that is stopped',
    'goOnWithDomain',
    (domain) => `${domain} goes on; what is accepted from now on counts for its brake.`,
  );
  act(
    'call-off-domain',
    'call off whoever waits at a receiving domain that is stopped',
    'callOffDomain',
    (domain) => `who waits at ${domain} gets nothing.`,
  );
}
