import type { Command } from 'commander';
import { DEFAULT_LIMITS, LEAST_JUDGED } from '../../core/health/rates.ts';
import type { Today } from '../../shared/contract/organisation.ts';
import { sinceYesterday } from '../../client/wording/since.ts';
import { listed } from '../../client/wording/listed.ts';
import { isOlder } from '../../client/wording/counted.ts';
import { brandNamed } from '../names.ts';
import { count, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addToday(program: Command): void {
  withOutput(program.command('today').description('what changed since yesterday, and what needs a look'))
    .option('--brand <brand>', 'brand to look at')
    .action(async (options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      printOne(await client.today({ brandId: brand.id }), options, ({ changed, ...today }) => [
        `${brand.name}: ${count(today.mayBeWrittenTo.mayBeWritten)} of ${count(today.mayBeWrittenTo.covered)} may be written to.`,
        `Since yesterday: ${listed(sinceYesterday(changed).map(({ who, did }) => `${who} ${did}`)) || 'nobody came in, and nobody left'}.`,
        needsLook({ changed, ...today }),
        ...today.storms.map(
          (storm) => `Held: ${storm.contacts} hard bounces of ${storm.domain}. Look: avendel storms show ${storm.id}`,
        ),
        ...today.stops.map(
          ({ campaignId, campaignName, domain, because }) =>
            `${domain ? `${domain} in ` : ''}${campaignName}: ${because}. Look: avendel campaigns progress ${campaignId}`,
        ),
        ...today.troubles.map(
          ({ what, detail, since }) => `${what} could not be applied since ${moment(since)}: ${detail}`,
        ),
        ...today.relays.map(
          ({ name, trouble, since }) => `The relay ${name} has taken no message since ${moment(since)}: ${trouble}`,
        ),
        today.ladder
          ? `Ladder: ${count(today.ladder.moving)} would move, ${count(today.ladder.toSunset)} to sunset.`
          : 'Ladder: it cannot be worked out.',
        ...(isOlder(today) ? [`Who may be written to, and the ladder, were counted ${moment(today.countedAt)}.`] : []),
        ...rateLines(today.days),
        ...today.sending.map(
          (campaign) =>
            `Under way: ${campaign.name}, ${campaign.state}, ${count(campaign.accepted)} of ${count(campaign.accepted + campaign.waiting)}`,
        ),
        ...today.runs.map(
          (run) => `  ${moment(run.startedAt)}  run ${run.id}, ${run.kind}, by ${run.actor}: ${run.reason}`,
        ),
      ]);
    });
}

function needsLook({ changed, unmatchedReturns, asking, heldReturns }: Today): string {
  const looks: [number, string, string][] = [
    [changed.bounceCount, 'address reached the bounce count', 'addresses reached the bounce count'],
    [unmatchedReturns, 'return matches nothing', 'returns match nothing'],
    [asking, 'reply asks to stop', 'replies ask to stop'],
    [heldReturns, 'hard bounce is held for you', 'hard bounces are held for you'],
  ];
  const found = looks.filter(([n]) => n > 0).map(([n, one, many]) => `${count(n)} ${n === 1 ? one : many}`);
  return found.length === 0 ? 'No return, reply or address needs a look.' : `Needs a look: ${listed(found)}.`;
}

/** The rates of the last 90 days, each with its limit and whether it is over it. */
function rateLines(days: Today['days']): string[] {
  const sum = (pick: (day: Today['days'][number]) => number): number =>
    days.reduce((total, day) => total + pick(day), 0);
  const [tried, bounced] = [sum(({ accepted }) => accepted), sum((day) => day.bounced)];
  const rate = (what: string, n: number, of: number, limit: number): string => {
    if (of === 0) return `${what} –`;
    const judged =
      of < LEAST_JUDGED
        ? 'too few to judge'
        : n / of > limit
          ? `OVER the limit of ${100 * limit} %`
          : `limit ${100 * limit} %`;
    return `${what} ${((100 * n) / of).toFixed(2)} % (${judged})`;
  };
  return [
    `Last 90 days: ${rate('bounced', bounced, tried, DEFAULT_LIMITS.bounce)}, ${rate(
      'complained',
      sum(({ complained }) => complained),
      Math.max(0, tried - bounced),
      DEFAULT_LIMITS.complaint,
    )}.`,
  ];
}
