import type { Command } from 'commander';
import { DEFAULT_LIMITS, LEAST_JUDGED } from '../../core/health/rates.ts';
import type { Today } from '../../shared/api.ts';
import { isOlder } from '../../shared/counted.ts';
import { brandNamed } from '../names.ts';
import { count, moment, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addToday(program: Command): void {
  withOutput(program.command('today').description('what changed since yesterday, and what needs a look'))
    .option('--brand <brand>', 'brand to look at')
    .action(async (options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      printOne(await client.today(brand.id), options, ({ changed, ...today }) => [
        `${brand.name}: ${count(today.mayBeWrittenTo.mayBeWritten)} of ${count(today.mayBeWrittenTo.covered)} may be written to.`,
        `Since yesterday: ${changed.subscribed} came in, ${changed.unsubscribed} unsubscribed, ${changed.undeliverable} became undeliverable, ${changed.complained} complained, ${changed.toSunset} went to sunset, ${changed.fromSunset} came back from it.`,
        `Needs a look: ${today.bounceCount.length} reached the bounce count, ${today.unmatchedReturns} returns match nothing, ${today.asking} replies ask to stop, ${today.heldReturns} hard bounces are held for you.`,
        ...today.storms.map(
          (storm) => `Held: ${storm.contacts} hard bounces of ${storm.domain}. Look: avendel storms show ${storm.id}`,
        ),
        ...today.troubles.map(({ what, detail, since }) => `${what} could not be applied since ${moment(since)}: ${detail}`), // prettier-ignore
        today.ladder ? `Ladder: ${count(today.ladder.moving)} would move, ${count(today.ladder.toSunset)} to sunset.` : 'Ladder: it cannot be worked out.', // prettier-ignore
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

/** The rates of the last 90 days, each with its limit and whether it is over it. */
function rateLines(days: Today['days']): string[] {
  const sum = (pick: (day: Today['days'][number]) => number): number => days.reduce((total, day) => total + pick(day), 0); // prettier-ignore
  const [tried, bounced] = [sum(({ accepted }) => accepted), sum((day) => day.bounced)];
  const rate = (what: string, n: number, of: number, limit: number): string => {
    if (of === 0) return `${what} –`;
    const judged = of < LEAST_JUDGED ? 'too few to judge' : n / of > limit ? `OVER the limit of ${100 * limit} %` : `limit ${100 * limit} %`; // prettier-ignore
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
