import { Button } from '@mantine/core';
import { useState } from 'react';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { CampaignReport, WhatCame } from '../../../shared/contract/reports.ts';
import type { CampaignChange } from '../../../shared/contract/sending.ts';
import { useCampaignChanges, useProgress, useReport, useWhatCame } from '../../api/queries/campaigns.ts';
import { UnderWay } from '../../components/under-way.tsx';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, percent, plural } from '../../components/words.ts';
import { brakeFigure, brakeRate, domainOfSlice } from '../../../shared/brake.ts';
import type { Progress as ProgressOf } from '../../../shared/contract/pace.ts';
import { AboutBrakes, AboutDomain, Receiving } from './receiving.tsx';
import { Recipients, type Filter } from './recipients.tsx';
import { Margin } from './report-margin.tsx';
import { hoursSince } from './opening-points.ts';
import { Waves } from './waves.tsx';
import { WhatCameOfIt } from './what-came.tsx';

/**
 * A campaign that was started: progress while it runs, then what came back and who acted, with the ledger beside it.
 */
export function ReportPage({ campaign }: { campaign: Campaign }) {
  const { zone } = useBrand();
  const [filter, setFilter] = useState<Filter>(null);
  const [opened, choose] = useState<string | null>(null);
  const found = useReport(campaign.id);
  const usual = useWhatCame(campaign.id, found.data?.state === 'sending').data?.usual;
  const underWay = isUnderWay(found.data?.state ?? campaign.state);
  const progress = useProgress(campaign.id, underWay).data;
  const asked = progress && underWay ? askedOf(progress, campaign.state) : null;
  const chosen = opened ?? asked?.domain ?? null;
  return (
    <Await of={found} rows={12}>
      {(report) => (
        <>
          <Finding
            line={`${campaign.name}, ${report.state}${report.startedAt ? `, started ${moment(report.startedAt, zone)}` : ''}`}
            headline={asked?.headline ?? headline(report, usual ?? null)}
          >
            {asked?.words}
            {plural(report.bounced.any, 'bounce', 'bounces')}, {plural(report.complained, 'complaint', 'complaints')}{' '}
            and {plural(report.unsubscribed, 'unsubscribe', 'unsubscribes')} so far.
            {haltWords(report, campaign, zone)}{' '}
            {report.trouble ? `The relay is in trouble and is tried again: ${report.trouble}.` : ''}
          </Finding>
          <Leaf
            margin={
              <Margin
                report={report}
                waits={progress && underWay ? progress.waits : null}
                first={progress ? <Beside campaign={campaign} progress={progress} chosen={chosen} /> : null}
                open={setFilter}
              />
            }
          >
            {isUnderWay(report.state) ? (
              <Progress
                campaign={campaign}
                report={report}
                countedAt={found.dataUpdatedAt}
                braked={progress?.brakes.some(isOfWhole) ?? false}
              />
            ) : null}
            {campaign.waves ? <Waves campaign={campaign} state={report.state} /> : null}
            {progress && underWay ? (
              <Receiving
                campaign={campaign}
                progress={progress}
                chosen={chosen}
                choose={choose}
                showHard={(domain) =>
                  setFilter({ acted: 'bounced', actor: 'hard', domain, words: `at ${domain} bounced hard` })
                }
              />
            ) : null}
            <WhatCameOfIt report={report} open={setFilter} />
            {filter ? <Recipients key={filter.words} campaignId={campaign.id} filter={filter} /> : null}
            <Domains report={report} />
            <Changes campaignId={campaign.id} state={report.state} />
          </Leaf>
        </>
      )}
    </Await>
  );
}

/** What a person has to decide, and about which domain. */
function askedOf(
  progress: ProgressOf,
  state: string,
): { headline: string; words: string; domain: string | null } | null {
  const open = progress.brakes.filter(({ releasedAt, warned }) => releasedAt === null && !warned);
  const stopped = progress.domains.find((one) => one.stopped && !one.calledOff);
  const whole = open.find(isOfWhole);
  if (whole)
    return { headline: `The brake stopped it: ${brakeFigure(whole)}`, words: `${brakeRate(whole)}. `, domain: null };
  if (!stopped) return null;
  const brake = open.find(({ slice }) => domainOfSlice(slice) === stopped.domain);
  const waits =
    stopped.waiting === 0
      ? 'Nobody waits there just now'
      : `${plural(stopped.waiting, 'person there waits', 'people there wait')} for you`;
  return {
    headline: brake ? `The brake stopped ${stopped.domain}: ${brakeFigure(brake)}` : `${stopped.domain} is stopped`,
    words: `${brake ? `${brakeRate(brake)}. ` : ''}${waits}${state === 'paused' ? '' : '; the other domains go on'}. `,
    domain: stopped.domain,
  };
}

/** The brake has stopped the campaign, and nobody has gone on. */
const isOfWhole = ({ slice, releasedAt, warned }: ProgressOf['brakes'][number]): boolean =>
  releasedAt === null && !warned && domainOfSlice(slice) === null;

/** Beside the leaf: the brake where it stopped the campaign, or warns; the domain that is open. */
function Beside({ campaign, progress, chosen }: { campaign: Campaign; progress: ProgressOf; chosen: string | null }) {
  const brakes = progress.brakes.filter(
    ({ slice, releasedAt, warned }) => releasedAt === null && (warned || domainOfSlice(slice) === null),
  );
  return (
    <>
      {brakes.length > 0 ? <AboutBrakes campaign={campaign} brakes={brakes} /> : null}
      {chosen !== null && isUnderWay(campaign.state) ? (
        <AboutDomain key={chosen} campaign={campaign} progress={progress} domain={chosen} />
      ) : null}
    </>
  );
}

const CHANGED: Record<CampaignChange['after'], string> = {
  draft: 'Made a draft',
  scheduled: 'Scheduled',
  sending: 'Started',
  resting: 'Rests',
  paused: 'Paused',
  finished: 'Finished',
  cancelled: 'Cancelled',
};

function changeWord({ before, after }: CampaignChange): string {
  if (before === after)
    return before === 'draft' ? 'Changed the draft' : before === 'scheduled' ? 'Scheduled anew' : 'Meanwhile';
  if (after === 'sending' && before === 'scheduled') return 'Started';
  return after === 'sending' && before !== 'draft' ? 'Went on' : CHANGED[after];
}

/** Who moved it from one state to the next, and why. */
function Changes({ campaignId, state }: { campaignId: number; state: string }) {
  const { zone } = useBrand();
  return (
    <Await of={useCampaignChanges(campaignId, state)} rows={2}>
      {(changes) =>
        changes.length === 0 ? null : (
          <Section head="Who did what">
            <table className="rows">
              <tbody>
                {changes.map((one) => (
                  <tr key={one.id}>
                    <td>{changeWord(one)}</td>
                    <td>{one.actor}</td>
                    <td className="second">{one.because ?? ''}</td>
                    <td className="figure second">{moment(one.at, zone)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </Section>
        )
      }
    </Await>
  );
}

/** Why nothing leaves just now. */
function haltWords({ state, pausedBecause }: CampaignReport, { restsUntil }: Campaign, zone: string): string {
  if (pausedBecause === null) return '';
  if (state !== 'resting') return ` Paused: ${pausedBecause}.`;
  return ` It rests ${pausedBecause}${restsUntil ? `, until ${moment(restsUntil, zone)}` : ''}.`;
}

const isUnderWay = (state: string): boolean => ['sending', 'resting', 'paused'].includes(state);

function headline(
  { state, ledger, opened, delivered, startedAt, at }: CampaignReport,
  usual: WhatCame['usual'],
): string {
  const done = ledger.accepted + ledger.refused + ledger.uncertain;
  if (isUnderWay(state)) return `${count(done)} of ${count(done + ledger.waiting + ledger.onTheirWay)} handed over`;
  if (delivered === 0) return 'Delivered to nobody';
  const share = opened.human / delivered;
  const age = hoursSince(startedAt ?? at, Date.parse(at));
  const usually = usual?.opening.filter(({ hours }) => hours <= age).at(-1)?.share;
  const beside = usually === undefined ? '' : `, ${besideUsual(share, usually)}`;
  return `${plural(opened.human, 'person', 'people')} opened it, ${percent(share, 1)}${beside}`;
}

/** Beside what is usual at the same age; less than a twentieth apart is as usual. */
function besideUsual(share: number, usual: number): string {
  if (Math.abs(share - usual) <= usual / 20) return 'as usual';
  return share > usual ? 'more than usual' : 'less than usual';
}

function Progress({
  campaign,
  report,
  countedAt,
  braked,
}: {
  campaign: Campaign;
  report: CampaignReport;
  countedAt: number;
  /** The brake has stopped it: going on is done with a reason, beside. */
  braked: boolean;
}) {
  const act = useAct((client, verb: 'pause' | 'resume' | 'cancel') =>
    verb === 'pause'
      ? client.pauseCampaign({ id: campaign.id })
      : verb === 'resume'
        ? client.resumeCampaign({ id: campaign.id })
        : client.cancelCampaign({ id: campaign.id }),
  );
  const { ledger } = report;
  const done = ledger.accepted + ledger.refused + ledger.uncertain;
  const whole = done + ledger.waiting + ledger.onTheirWay;
  return (
    <Section head="Under way">
      <UnderWay
        label="Handed over"
        done={done}
        whole={whole}
        since={report.state === 'sending' ? report.startedAt : null}
        countedAt={countedAt}
      >
        {report.state === 'sending' || report.state === 'resting' ? (
          <Button onClick={() => act.mutate('pause')}>Pause</Button>
        ) : braked ? null : (
          <Button onClick={() => act.mutate('resume')}>Go on</Button>
        )}
        <Button onClick={() => act.mutate('cancel')}>Cancel for good</Button>
      </UnderWay>
      <ProblemNote error={act.error} />
    </Section>
  );
}

function Domains({ report }: { report: CampaignReport }) {
  return (
    <Section head="By receiving domain">
      <table className="rows">
        <thead>
          <tr>
            <th>Receiving domain</th>
            <th className="figure">Accepted</th>
            <th className="figure">Bounced</th>
            <th className="figure">Opened</th>
            <th className="figure">Clicked</th>
          </tr>
        </thead>
        <tbody>
          {report.domains.map((row) => (
            <tr key={row.domain}>
              <td>{row.domain}</td>
              <td className="figure">{count(row.accepted)}</td>
              <td className="figure">{count(row.bounced)}</td>
              <td className="figure">{count(row.opened)}</td>
              <td className="figure">{count(row.clicked)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}
