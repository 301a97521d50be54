import { Button, TextInput } from '@mantine/core';
import { IconHandStop } from '@tabler/icons-react';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { domainWords, paceLines } from '../../../client/wording/sending-pace.ts';
import { brakeWords, domainOfSlice } from '../../../shared/brake.ts';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { Brake, DomainProgress, Progress } from '../../../shared/contract/pace.ts';
import { useAct } from '../../api/use-act.ts';
import { DoOrNot } from '../../components/form.tsx';
import { Door, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count } from '../../components/words.ts';
import { PaceFields } from './pace-fields.tsx';
import css from './receiving.module.css';

type Bounced = (domain: string) => void;

/** What goes where while a campaign is under way, and at what pace; one domain can be opened beside it. */
export function Receiving({
  campaign,
  progress,
  chosen,
  choose,
  showHard,
}: {
  campaign: Campaign;
  progress: Progress;
  chosen: string | null;
  choose: (domain: string) => void;
  showHard: Bounced;
}) {
  const [setting, setSetting] = useState(false);
  const { domains } = progress;
  const said = paceLines(progress.pace);
  return (
    <Section
      head="Receiving domains"
      beside={setting ? undefined : <Button onClick={() => setSetting(true)}>Set the pace</Button>}
    >
      {said.length > 0 && !setting ? <p className="second">Set: {said.join('; ')}.</p> : null}
      {setting ? <SetPace campaign={campaign} pace={progress.pace} done={() => setSetting(false)} /> : null}
      <Rows
        heads={
          <>
            <th>Receiving domain</th>
            <th className="figure">Waiting</th>
            <th>Accepted</th>
            <th className="figure">Hard</th>
            <th className="figure">Put off</th>
            <th>Pace</th>
          </>
        }
      >
        {domains.map((one) => (
          <DomainRow key={one.domain} one={one} isChosen={one.domain === chosen} choose={choose} showHard={showHard} />
        ))}
        <AllDomains domains={domains} />
      </Rows>
    </Section>
  );
}

function DomainRow({
  one,
  isChosen,
  choose,
  showHard,
}: {
  one: DomainProgress;
  isChosen: boolean;
  choose: (domain: string) => void;
  showHard: Bounced;
}) {
  // Small domains are counted together.
  const isOne = one.domain !== 'other';
  return (
    <tr>
      <td className={isChosen ? css.chosen : undefined}>
        {one.stopped ? (
          <IconHandStop
            size={16}
            color="var(--av-stop-mark)"
            aria-label="stopped"
            style={{ verticalAlign: 'text-bottom' }}
          />
        ) : null}{' '}
        {isOne ? (
          <Door onClick={() => choose(one.domain)} label={`About ${one.domain}`}>
            {one.domain}
          </Door>
        ) : (
          'others'
        )}
      </td>
      <td className="figure">{count(one.waiting)}</td>
      <td>
        <Bar of={one} /> {count(one.accepted)}
      </td>
      <td className="figure">
        {one.hard === 0 || !isOne ? (
          count(one.hard)
        ) : (
          <Door onClick={() => showHard(one.domain)} label={`${count(one.hard)} at ${one.domain} bounced hard`}>
            {count(one.hard)}
          </Door>
        )}
      </td>
      <td className="figure">{count(one.putOff)}</td>
      <td className={one.stopped ? css.stop : one.slowed ? css.look : 'second'}>{domainWords(one)}</td>
    </tr>
  );
}

function AllDomains({ domains }: { domains: DomainProgress[] }) {
  const all = (of: (one: DomainProgress) => number, isFigure = true) => (
    <td className={isFigure ? 'figure' : undefined}>
      <strong>{count(domains.reduce((sum, one) => sum + of(one), 0))}</strong>
    </td>
  );
  return (
    <tr>
      <td>
        <strong>All</strong>
      </td>
      {all(({ waiting }) => waiting)}
      {all(({ accepted }) => accepted, false)}
      {all(({ hard }) => hard)}
      {all(({ putOff }) => putOff)}
      <td />
    </tr>
  );
}

function Bar({ of: { accepted, refused, waiting } }: { of: DomainProgress }) {
  const share = accepted / Math.max(1, accepted + refused + waiting);
  return (
    <span className={css.bar} aria-hidden>
      <span style={{ width: `${100 * share}%` }} />
    </span>
  );
}

function SetPace({ campaign, pace: was, done }: { campaign: Campaign; pace: Progress['pace']; done: () => void }) {
  const [pace, change] = useState(was);
  const keep = useAct((client, _: void) => client.setCampaignPace({ id: campaign.id, pace }));
  return (
    <div className="sheet stack" style={{ margin: '8px 0 16px' }}>
      <PaceFields pace={pace} change={change} />
      <ProblemNote error={keep.error} />
      <DoOrNot
        what="Go at this pace"
        ready={!keep.isPending}
        act={() => keep.mutate(undefined, { onSuccess: done })}
        leave={done}
      />
    </div>
  );
}

/** What stands beside the leaf for one domain: why it is stopped, and what can be done about it. */
export function AboutDomain({
  campaign,
  progress,
  domain,
}: {
  campaign: Campaign;
  progress: Progress;
  domain: string;
}) {
  const one = progress.domains.find((row) => row.domain === domain);
  if (!one) return null;
  const brake = progress.brakes.find(({ slice, releasedAt }) => domainOfSlice(slice) === domain && releasedAt === null);
  const waiting = one.waiting === 0 ? 'it' : `the ${count(one.waiting)}`;
  return (
    <Section head={domain}>
      <p>{aboutWords(one)}</p>
      {brake ? <Behind brake={brake} /> : null}
      {one.stormId !== null || one.calledOff ? null : one.stopped ? (
        <WithReason
          acts={[
            [`Go on with ${waiting}`, (client, reason) => client.goOnWithDomain({ id: campaign.id, domain, reason })],
            [`Call ${waiting} off`, (client, reason) => client.callOffDomain({ id: campaign.id, domain, reason })],
          ]}
        />
      ) : (
        <WithReason
          acts={[[`Stop ${domain}`, (client, reason) => client.stopDomain({ id: campaign.id, domain, reason })]]}
        />
      )}
    </Section>
  );
}

function aboutWords(one: DomainProgress): ReactNode {
  if (one.stormId !== null)
    return (
      <>
        Storm {one.stormId} stops it in every campaign.{' '}
        <Link className="plain" to="/returns">
          Decide the storm
        </Link>
        , and it goes on.
      </>
    );
  if (one.calledOff) return `Whoever waits there gets nothing: ${count(one.waiting)}.`;
  const waits = one.waiting === 0 ? 'Nobody waits there just now' : `${count(one.waiting)} wait`;
  if (one.stopped) return `Stopped by ${one.stoppedBy}: ${one.stoppedBecause}. ${waits}.`;
  if (one.slowed) return `It puts messages off, and is slowed down until it takes them again.`;
  return `${waits}, ${count(one.accepted)} accepted.`;
}

/** What servers said, and where the permission of those behind a brake came from. */
export function Behind({ brake }: { brake: Brake }) {
  return (
    <>
      {brake.said.map(({ text, times }) => (
        <p key={text} className="said">
          “{text}”, {times === 1 ? 'once' : `${count(times)} times`}
        </p>
      ))}
      {brake.sources.map(({ source, contacts }) => (
        <p key={source} className="second">
          {count(contacts)} of the {count(brake.events)} came by {source}.
        </p>
      ))}
    </>
  );
}

/** What stands beside the leaf when the brake has stopped the whole campaign. */
export function AboutBrakes({ campaign, brakes }: { campaign: Campaign; brakes: Brake[] }) {
  return (
    <Section head="The brake">
      {brakes.map((brake) => (
        <div key={brake.id}>
          <p>
            {brake.warned ? 'Warns: ' : ''}
            {brakeWords(brake)}.
          </p>
          <Behind brake={brake} />
        </div>
      ))}
      {campaign.state === 'paused' ? (
        <WithReason acts={[['Go on', (client, reason) => client.resumeCampaign({ id: campaign.id, reason })]]} />
      ) : null}
    </Section>
  );
}

type ReasonedAct = (client: Parameters<Parameters<typeof useAct>[0]>[0], reason: string) => Promise<unknown>;

function WithReason({ acts }: { acts: [string, ReasonedAct][] }) {
  const [reason, setReason] = useState('');
  const act = useAct((client, one: ReasonedAct) => one(client, reason.trim()));
  return (
    <div className="stack">
      <TextInput label="Reason" required value={reason} onChange={(event) => setReason(event.currentTarget.value)} />
      <ProblemNote error={act.error} />
      {acts.map(([words, one], index) => (
        <Button
          key={words}
          fullWidth
          variant={index === 0 ? 'filled' : 'default'}
          disabled={reason.trim() === '' || act.isPending}
          onClick={() => act.mutate(one, { onSuccess: () => setReason('') })}
        >
          {words}
        </Button>
      ))}
    </div>
  );
}
