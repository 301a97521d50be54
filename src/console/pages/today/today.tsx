import { Button } from '@mantine/core';
import {
  IconAlertTriangle,
  IconCloudStorm,
  IconHandStop,
  IconInbox,
  IconMessage,
  IconLadder,
  IconMailboxOff,
  IconPencil,
  IconSend,
  IconServerOff,
} from '@tabler/icons-react';
import { Fragment, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { Today as TodayData } from '../../../shared/contract/organisation.ts';
import { sinceYesterday } from '../../../client/wording/since.ts';
import { listed } from '../../../client/wording/listed.ts';
import { isOlder } from '../../../client/wording/counted.ts';
import { useToday } from '../../api/queries/organisation.ts';
import { useBrand } from '../../brand.tsx';
import { ActorMark } from '../../components/marks.tsx';
import { Needles } from '../../components/needles.tsx';
import { Await, Door, Finding, Leaf, Ledger, Loading, Section } from '../../components/page.tsx';
import { count, moment, percent, plural } from '../../components/words.ts';
import { changedWords } from '../../../client/wording/changed.ts';
import { whoIsAmong } from '../../components/doors.ts';
import { FirstSteps, firstStepsWords, useFirstSteps } from '../first-steps/first-steps.tsx';
import { Rows } from '../../components/rows.tsx';
import css from './today.module.css';
import type { Step } from '../first-steps/step-list.tsx';

/** What changed since yesterday, what needs a look, what is under way. */
export default function Today() {
  const today = useToday(useBrand().id);
  const steps = useFirstSteps();
  return (
    <Await of={today}>{(data) => (steps === undefined ? <Loading /> : <TodayPage today={data} steps={steps} />)}</Await>
  );
}

function TodayPage({ today, steps }: { today: TodayData; steps: Step[] | null }) {
  const { name, zone } = useBrand();
  const happened = sinceYesterday(today.changed);
  return (
    <>
      <Finding
        line={`${moment(today.at, zone)}, since yesterday, ${name}`}
        headline={headline(today, firstStepsWords(steps))}
      >
        {happened.length === 0
          ? 'Nobody came in, and nobody left.'
          : happened.map(({ among, who, did }, place) => (
              <Fragment key={among}>
                {place === 0 ? '' : place === happened.length - 1 ? ' and ' : ', '}
                <Door to={whoIsAmong(among, today.since)}>{who}</Door> {did}
              </Fragment>
            ))}
        {happened.length === 0 ? '' : '.'}
      </Finding>
      <Leaf margin={<Margin today={today} />}>
        {steps ? <FirstSteps steps={steps} /> : null}
        <NeedsLook today={today} />
        <UnderWay today={today} />
        <Due today={today} />
        <Since today={today} />
      </Leaf>
    </>
  );
}

function headline(
  { changed, unmatchedReturns, asking, heldReturns, storms, stops, sending, troubles, relays }: TodayData,
  firstSteps: string | undefined,
): string {
  const parts = [
    ...troubles.map(({ what }) => `${what} could not be applied`),
    ...relays.map(({ name }) => `the relay ${name} takes no messages`),
    ...storms.map((storm) => `${storm.domain} suddenly refuses ${plural(storm.contacts, 'contact', 'contacts')}`),
    ...stops.map(
      ({ domain, campaignName }) => `${domain ?? 'the brake'} ${domain ? 'is stopped in' : 'warns of'} ${campaignName}`,
    ),
    ...(asking > 0 ? [`${plural(asking, 'reply asks', 'replies ask')} to stop`] : []),
    ...(heldReturns > 0 ? [`${plural(heldReturns, 'hard bounce waits', 'hard bounces wait')} for you`] : []),
    ...(changed.bounceCount > 0
      ? [`${plural(changed.bounceCount, 'address', 'addresses')} reached the bounce count`]
      : []),
    ...(unmatchedReturns > 0
      ? [`${plural(unmatchedReturns, 'return matches', 'returns match')} no message of ours`]
      : []),
    ...sending.filter((campaign) => campaign.state === 'paused').map((campaign) => `${campaign.name} is paused`),
  ];
  if (parts.length === 0) return firstSteps ?? 'Nothing needs a look; all is in order';
  return `${listed(parts)}; the rest is in order`;
}

function Item({ time, icon, children, act }: { time: string; icon: ReactNode; children: ReactNode; act?: ReactNode }) {
  return (
    <div className={css.item}>
      <span className="third">{time}</span>
      <span>{icon}</span>
      <div>{children}</div>
      <div>{act}</div>
    </div>
  );
}

/** What goes on by itself and failed when it was last its turn. */
function Troubles({ troubles }: Pick<TodayData, 'troubles'>) {
  const { zone } = useBrand();
  return troubles.map(({ what, detail, since, lastAt }) => (
    <Item
      key={what}
      time={moment(since, zone)}
      icon={<IconAlertTriangle size={18} color="var(--av-look-mark)" aria-hidden />}
      act={
        <Button component={Link} to="/rules">
          Look at it
        </Button>
      }
    >
      <strong>{what} could not be applied</strong> <span className="second">last tried {moment(lastAt, zone)}</span>
      <div className="said second">{detail}</div>
    </Item>
  ));
}

/** Relays that took no message when it was last their turn; the next in the order goes on. */
function RelaysInTrouble({ relays }: Pick<TodayData, 'relays'>) {
  const { zone } = useBrand();
  return relays.map(({ id, name, trouble, since }) => (
    <Item
      key={id}
      time={moment(since, zone)}
      icon={<IconServerOff size={18} color="var(--av-look-mark)" aria-hidden />}
      act={
        <Button component={Link} to="/settings">
          Look at it
        </Button>
      }
    >
      <strong>The relay {name} takes no messages</strong>
      <div className="said second">{trouble}</div>
    </Item>
  ));
}

function NeedsLook({ today }: { today: TodayData }) {
  const { bounceCount, unmatchedReturns, asking, heldReturns, storms, stops, troubles, relays } = today;
  const lists = [bounceCount, storms, stops, troubles, relays];
  if (unmatchedReturns + asking + heldReturns === 0 && lists.every((list) => list.length === 0)) return null;
  return (
    <Section head="Needs a look">
      <Troubles troubles={troubles} />
      <RelaysInTrouble relays={relays} />
      <Storms storms={storms} />
      <Stops stops={stops} />
      <Returned
        n={asking}
        state="asks"
        icon={<IconMessage size={18} color="var(--av-look-mark)" aria-hidden />}
        words={`${plural(asking, 'reply asks', 'replies ask')} to stop`}
      />
      <Returned
        n={heldReturns}
        state="held"
        icon={<IconMailboxOff size={18} color="var(--av-look-mark)" aria-hidden />}
        words={`${plural(heldReturns, 'hard bounce waits', 'hard bounces wait')} for you`}
        note="Known by the Message-ID alone, which others know too: nobody is marked."
      />
      <BounceCounted today={today} />
      <Returned
        n={unmatchedReturns}
        state="unmatched"
        icon={<IconInbox size={18} color="var(--av-look-mark)" aria-hidden />}
        words={`${plural(unmatchedReturns, 'return matches', 'returns match')} no message of ours`}
        note="Kept, counted nowhere."
      />
    </Section>
  );
}

/** Domains that suddenly refuse for good, and wait for a person. */
function Storms({ storms }: Pick<TodayData, 'storms'>) {
  const { zone } = useBrand();
  return storms.map((storm) => (
    <Item
      key={storm.id}
      time={moment(storm.begins, zone)}
      icon={<IconCloudStorm size={18} color="var(--av-look-mark)" aria-hidden />}
      act={
        <Button component={Link} to="/returns">
          Decide
        </Button>
      }
    >
      <strong>
        {storm.domain} suddenly refuses {plural(storm.contacts, 'contact', 'contacts')} for good
      </strong>{' '}
      <span className="second">held, nobody marked</span>
      <div className="said second">{storm.said}</div>
    </Item>
  ));
}

/** Receiving domains that are stopped in campaigns under way, and what the brake warns of after the last message. */
function Stops({ stops }: Pick<TodayData, 'stops'>) {
  const { zone } = useBrand();
  return stops.map(({ campaignId, campaignName, domain, because, at }) => (
    <Item
      key={`${campaignId} ${domain}`}
      time={moment(at, zone)}
      icon={<IconHandStop size={18} color="var(--av-stop-mark)" aria-hidden />}
      act={
        <Button component={Link} to={`/campaigns/${campaignId}`}>
          Look at it
        </Button>
      }
    >
      <strong>
        {domain ? `${domain} in ` : ''}
        {campaignName}
      </strong>
      <div className="second">{because}</div>
    </Item>
  ));
}

/** So many addresses at the bounce count are named; how many more there are is said. */
const NAMED = 8;

function BounceCounted({ today: { changed, bounceCount, since } }: { today: TodayData }) {
  const { zone } = useBrand();
  if (bounceCount.length === 0) return null;
  return (
    <Item
      time={moment(bounceCount[0]!.since, zone)}
      icon={<IconMailboxOff size={18} color="var(--av-stop-mark)" aria-hidden />}
    >
      <strong>
        <Door to={whoIsAmong('reached-bounce-count', since)}>
          {plural(changed.bounceCount, 'address', 'addresses')}
        </Door>{' '}
        reached the bounce count
      </strong>{' '}
      <span className="second">now marked undeliverable</span>
      <Rows>
        {bounceCount.slice(0, NAMED).map((one) => (
          <tr key={one.contactId}>
            <td>
              <Door to={`/contacts/${one.contactId}`}>{one.name ?? one.address}</Door>
            </td>
            <td className="said second">{one.bounces.at(-1)?.reply}</td>
            <td className="figure second">{one.bounces.length} bounces</td>
          </tr>
        ))}
      </Rows>
      {changed.bounceCount > NAMED ? (
        <span className="second">and {count(changed.bounceCount - NAMED)} more</span>
      ) : null}
    </Item>
  );
}

/** Messages that came back and wait for somebody to read them; nothing when there are none. */
function Returned({
  n,
  state,
  icon,
  words,
  note,
}: {
  n: number;
  state: string;
  icon: ReactNode;
  words: string;
  note?: string;
}) {
  if (n === 0) return null;
  return (
    <Item
      time="now"
      icon={icon}
      act={
        <Button component={Link} to={`/returns?state=${state}`}>
          Read
        </Button>
      }
    >
      <strong>{words}</strong>
      {note === undefined ? null : <div className="second">{note}</div>}
    </Item>
  );
}

function UnderWay({ today }: { today: TodayData }) {
  if (today.sending.length === 0) return null;
  return (
    <Section head="Under way">
      {today.sending.map((campaign) => {
        const whole = campaign.accepted + campaign.waiting;
        return (
          <Item
            key={campaign.id}
            time={campaign.state}
            icon={<IconSend size={18} aria-hidden />}
            act={
              <Button component={Link} to={`/campaigns/${campaign.id}`}>
                Watch
              </Button>
            }
          >
            <Door to={`/campaigns/${campaign.id}`}>{campaign.name}</Door>
            <div className="bar-box" style={{ margin: '6px 0' }}>
              <div style={{ width: `${(100 * campaign.accepted) / Math.max(1, whole)}%` }} />
            </div>
            <span className="second">
              {count(campaign.accepted)} of {count(whole)} handed over
            </span>
          </Item>
        );
      })}
    </Section>
  );
}

function Due({ today }: { today: TodayData }) {
  const { zone } = useBrand();
  const { ladder } = today;
  if ((ladder?.moving ?? 0) === 0 && today.drafts.length === 0) return null;
  return (
    <Section head="Due">
      {ladder && ladder.moving > 0 && (
        <Item
          time="today"
          icon={<IconLadder size={18} aria-hidden />}
          act={
            <Button component={Link} to="/rules">
              Preview
            </Button>
          }
        >
          <strong>The ladder:</strong> <Door to="/rules">{plural(ladder.moving, 'contact', 'contacts')}</Door> would
          move, {count(ladder.toSunset)} to sunset
        </Item>
      )}
      {today.drafts.map((draft) => (
        <Item
          key={draft.id}
          time={moment(draft.changedAt, zone)}
          icon={<IconPencil size={18} aria-hidden />}
          act={
            <Button component={Link} to={`/campaigns/${draft.id}`}>
              Preflight
            </Button>
          }
        >
          <Door to={`/campaigns/${draft.id}`}>{draft.name}</Door> is drafted
        </Item>
      ))}
    </Section>
  );
}

function Since({ today }: { today: TodayData }) {
  const { zone } = useBrand();
  return (
    <Section
      head="Since yesterday"
      beside={
        <Link className="plain" to="/runs">
          All runs
        </Link>
      }
    >
      {today.runs.length === 0 ? <p className="second">No run since yesterday.</p> : null}
      {today.runs.slice(0, 12).map((run) => (
        <div key={run.id} className={css.run}>
          <span className="third">{moment(run.startedAt, zone)}</span>
          <ActorMark actor={run.actor.startsWith('the ') ? 'machine' : 'human'} />
          <span>
            {run.actor}: {run.reason}, {changedWords(run.counts) || 'nothing changed'}{' '}
            <Door to={`/runs/${run.id}`}>run {run.id}</Door>
            {run.undoneByRunId === null ? '' : ', undone'}
          </span>
        </div>
      ))}
    </Section>
  );
}

function Margin({ today }: { today: TodayData }) {
  return (
    <>
      <Section head="Rates, 90 days">
        <Rate
          of="Bounced ÷ tried"
          title="Bounce rate"
          limit={0.02}
          today={today}
          part={(day) => day.bounced}
          whole={(day) => day.accepted}
        />
        <Rate
          of="Complaints ÷ delivered"
          title="Complaint rate"
          limit={0.001}
          today={today}
          part={(day) => day.complained}
          whole={(day) => day.accepted - day.bounced}
        />
      </Section>
      <MayBeWritten today={today} />
    </>
  );
}

type Day = TodayData['days'][number];

/** A rate over all days, and below it each day's beside its limit. */
function Rate({
  of,
  title,
  limit,
  today: { days, at },
  part,
  whole,
}: {
  of: string;
  title: string;
  limit: number;
  today: TodayData;
  part: (day: Day) => number;
  whole: (day: Day) => number;
}) {
  const sum = (pick: (day: Day) => number): number => days.reduce((total, day) => total + pick(day), 0);
  const isNone = sum(({ accepted }) => accepted) === 0;
  return (
    <>
      <div className="row apart">
        {of} <strong>{percent(isNone ? null : sum(part) / Math.max(1, sum(whole)))}</strong>
      </div>
      <Needles
        title={title}
        limit={limit}
        from={new Date(Date.parse(at) - 90 * 86_400_000).toISOString()}
        to={at}
        needles={days.map((day) => ({ day: day.day, rate: part(day) / Math.max(1, whole(day)), of: day.accepted }))}
      />
    </>
  );
}

function MayBeWritten({ today }: { today: TodayData }) {
  const { zone } = useBrand();
  const { covered, mayBeWritten } = today.mayBeWrittenTo;
  return (
    <Section head="May be written to">
      <Ledger
        lines={[
          { words: 'On a list of this brand', figure: <Door to="/contacts">{count(covered)}</Door> },
          {
            sign: '−',
            words: 'held back from everything',
            figure: <Door to={whoIsAmong('held-back')}>{count(covered - mayBeWritten)}</Door>,
          },
        ]}
        total={{ words: 'Now', figure: <Door to={whoIsAmong('may-be-written')}>{count(mayBeWritten)}</Door> }}
        note={
          isOlder(today)
            ? `Counted ${moment(today.countedAt, zone)}, as the ladder. Every campaign counts afresh.`
            : 'Counted afresh, as every campaign counts.'
        }
      />
    </Section>
  );
}
