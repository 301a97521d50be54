import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import { ENGAGED_FIRST, waveWords } from '../../shared/waves.ts';
import type { NewCampaign, SendWindow, WavePlan } from '../../shared/contract/campaigns.ts';
import { campaignNamed } from '../names.ts';
import { line, printOne, printRows, share, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';
import { windowWords } from '../../client/wording/window.ts';

/** When a draft is sent, and in which parts. */
export interface TimeOptions {
  hours?: string;
  waves?: string;
  engagedFirst?: boolean;
  shareFirst?: string;
  atOnce?: boolean;
}

/** Adds the options of TimeOptions to a command that makes or changes a draft. */
export function withTimes(command: Command): Command {
  return command
    .option('--hours <hours>', 'days and hours in which it is sent: “mon-fri 09:00-18:00”; “any” for always')
    .option('--engaged-first', 'in two waves: the engaged first, the rest 24 hours later if that went well')
    .option('--share-first <percent>', 'in two waves: so many per cent by chance first, the rest 24 hours later')
    .option('--waves <file>', 'in waves, from a JSON file as “campaigns show --json” prints them')
    .option('--at-once', 'in one part');
}

const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'];
const HOURS = /^(?:([a-z, -]+) )?(\d{2}:\d{2}) ?- ?(\d{2}:\d{2})$/;

/** `mon-fri 09:00-18:00`, `sat,sun 10:00-14:00`, `09:00-18:00`. @throws UsageError */
function readHours(text: string): SendWindow | null {
  if (text === 'any') return null;
  const found = HOURS.exec(text.trim().toLowerCase());
  const bad = new UsageError(`“${text}” names no hours: write “mon-fri 09:00-18:00”, “sat,sun 10:00-14:00” or “any”.`);
  if (!found) throw bad;
  const day = (name: string): number => {
    const place = DAYS.indexOf(name.trim().slice(0, 3));
    if (place < 0) throw bad;
    return place + 1;
  };
  const days = (found[1] ?? 'mon-sun').split(',').flatMap((part) => {
    const [from, to = from] = part.split('-').map((name) => day(name));
    const count = (((to! - from!) % 7) + 7) % 7;
    return Array.from({ length: count + 1 }, (_, index) => ((from! - 1 + index) % 7) + 1);
  });
  return { days: [...new Set(days)].sort((one, other) => one - other), from: found[2]!, until: found[3]! };
}

function readWaves(file: string): WavePlan[] | null {
  try {
    const given = JSON.parse(readFileSync(file, 'utf8')) as WavePlan[] | { waves: WavePlan[] | null };
    return Array.isArray(given) ? given : given.waves;
  } catch (error) {
    throw new UsageError(`The waves in ${file} cannot be read: ${(error as Error).message}.`);
  }
}

/** When a draft is sent, as it was said. @throws UsageError */
export function timesOf(options: TimeOptions): Pick<NewCampaign, 'sendWindow' | 'waves'> {
  const said = [options.waves, options.engagedFirst, options.shareFirst, options.atOnce].filter(Boolean);
  if (said.length > 1) throw new UsageError('Say one of --waves, --engaged-first, --share-first and --at-once.');
  const [first, rest] = [ENGAGED_FIRST[0]!, ENGAGED_FIRST[1]!];
  return {
    ...(options.hours === undefined ? {} : { sendWindow: readHours(options.hours) }),
    ...(options.waves === undefined ? {} : { waves: readWaves(options.waves) }),
    ...(options.engagedFirst ? { waves: ENGAGED_FIRST } : {}),
    ...(options.shareFirst === undefined
      ? {}
      : { waves: [{ ...first, of: { share: Number(options.shareFirst) / 100 } }, rest] }),
    ...(options.atOnce ? { waves: null } : {}),
  };
}

/** When a campaign is sent, and in which parts, for those who look at it. */
export function timeLines({
  sendWindow,
  waves,
  startsAt,
  restsUntil,
}: {
  sendWindow: SendWindow | null;
  waves: WavePlan[] | null;
  startsAt: string | null;
  restsUntil: string | null;
}): string[] {
  return [
    ...(startsAt === null ? [] : [`Starts at ${moment(startsAt)}`]),
    ...(sendWindow === null ? [] : [`Is sent ${windowWords(sendWindow)}, by the brand’s clock`]),
    ...(waves ?? []).map(({ of, afterHours, at }, index) => {
      const when = at ? `at ${moment(at)}` : `${afterHours} hours after the one before`;
      return `Wave ${index + 1}: ${waveWords(of)}${index === 0 ? '' : `, ${when}`}`;
    }),
    ...(restsUntil === null ? [] : [`Rests until ${moment(restsUntil)}`]),
  ];
}

/** Scheduling, calling off, and waves. */
export function addTimeCommands(group: Command): void {
  withOutput(group.command('schedule <campaign>').description('start it later; said again, at another time'))
    .requiredOption('--at <time>', '“2026-12-03 08:30” by the brand’s clock, or an instant of RFC 3339')
    .requiredOption('--expect <number>', 'how many the preflight said will get it')
    .option('--in-spite <number>', 'of a service message: how many it reaches although they opted out')
    .option('--draft <version>', 'version of the draft that the preflight was of')
    .option('--tolerance <percent>', 'by how much that may have moved by then; beyond it nothing leaves', '10')
    .action(
      async (
        name: string,
        options: OutputOptions & { at: string; expect: string; inSpite?: string; draft?: string; tolerance: string },
      ) => {
        const client = connect();
        const campaign = await client.scheduleCampaign({
          id: (await campaignNamed(client, name)).id,
          at: options.at,
          expect: Number(options.expect),
          inSpite: options.inSpite === undefined ? undefined : Number(options.inSpite),
          version: options.draft === undefined ? undefined : Number(options.draft),
          tolerance: Number(options.tolerance) / 100,
        });
        printOne(campaign, options, () => [
          `“${campaign.name}” starts at ${moment(campaign.startsAt)}. Call it off: avendel campaigns call-off ${campaign.id}`,
        ]);
      },
    );
  group
    .command('call-off <campaign>')
    .description('make one that has not started a draft again')
    .action(async (name: string) => {
      const client = connect();
      const campaign = await client.callOffCampaign({ id: (await campaignNamed(client, name)).id });
      line(`“${campaign.name}” is a draft again; nothing of it has left.`);
    });
  withOutput(group.command('waves <campaign>').description('its waves side by side, at the same age')).action(
    async (name: string, options: OutputOptions) => {
      const client = connect();
      const { hours, waves } = await client.waves({ id: (await campaignNamed(client, name)).id });
      printRows(
        waves,
        [
          { head: 'Wave', cell: (row) => row.wave, right: true },
          { head: 'Who', cell: (row) => row.who },
          { head: 'State', cell: (row) => row.state },
          { head: 'Begins', cell: (row) => moment(row.begunAt ?? row.beginsAt) },
          { head: 'Held back', cell: (row) => row.heldBack, right: true },
          { head: 'Waiting', cell: (row) => row.waiting, right: true },
          { head: 'Accepted', cell: (row) => row.accepted, right: true },
          { head: 'Hard', cell: (row) => share(row.hard, row.tried), right: true },
          { head: 'Complained', cell: (row) => share(row.complaints, row.delivered), right: true },
          { head: 'Opened', cell: (row) => share(row.opened, row.delivered), right: true },
        ],
        options,
        'It goes to everybody at once.',
      );
      if (options.json || options.jsonl || waves.length === 0) return;
      line(`What came of each within ${hours} hours of its acceptance.`);
      for (const { wave, heldBecause } of waves)
        if (heldBecause !== null) line(`Wave ${wave} is held: ${heldBecause}.`);
    },
  );
  withOutput(
    group
      .command('begin-wave <campaign> <wave>')
      .description('begin the next wave now, whatever its time and test say'),
  )
    .requiredOption('--reason <text>', 'why')
    .action(async (name: string, wave: string, options: OutputOptions & { reason: string }) => {
      const client = connect();
      const { id } = await campaignNamed(client, name);
      const campaign = await client.beginWave({ id, wave: Number(wave), reason: options.reason });
      printOne(campaign, options, () => [`Wave ${campaign.wave} of “${campaign.name}” has begun.`]);
    });
}
