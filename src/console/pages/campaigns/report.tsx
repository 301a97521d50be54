import { Button } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { RecipientsQuery, CampaignReport } from '../../../shared/contract/reports.ts';
import type { CampaignChange } from '../../../shared/contract/sending.ts';
import { useCampaignChanges, useRecipients, useReport } from '../../api/queries/campaigns.ts';
import { useCatchingUp } from '../../api/queries/tallies.ts';
import { ContactDoor } from '../../components/contact-door.tsx';
import { heldByWords, leftOutWords } from '../../../client/wording/held-by.ts';
import { UnderWay } from '../../components/under-way.tsx';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { ReasonMark } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, Ledger, ProblemNote, Section } from '../../components/page.tsx';
import { SearchField } from '../../components/search-field.tsx';
import { count, moment, percent, plural } from '../../components/words.ts';
import { Waves } from './waves.tsx';
import { Turn, useOwnPages } from '../../components/turn.tsx';
import { Rows } from '../../components/rows.tsx';
import css from './report.module.css';

type Filter = (Pick<RecipientsQuery, 'state' | 'reason' | 'by' | 'acted' | 'actor'> & { words: string }) | null;

/**
 * A campaign that was started: progress while it runs, then what came back and who acted, with the ledger beside it.
 */
export function ReportPage({ campaign }: { campaign: Campaign }) {
  const { zone } = useBrand();
  const [filter, setFilter] = useState<Filter>(null);
  const found = useReport(campaign.id);
  return (
    <Await of={found} rows={12}>
      {(report) => (
        <>
          <Finding
            line={`${campaign.name}, ${report.state}${report.startedAt ? `, started ${moment(report.startedAt, zone)}` : ''}`}
            headline={headline(report)}
          >
            {plural(report.bounced.any, 'bounce', 'bounces')}, {plural(report.complained, 'complaint', 'complaints')}{' '}
            and {plural(report.unsubscribed, 'unsubscribe', 'unsubscribes')} so far.
            {haltWords(report, campaign, zone)}{' '}
            {report.trouble ? `The relay is in trouble and is tried again: ${report.trouble}.` : ''}
          </Finding>
          <Leaf margin={<Margin report={report} open={setFilter} />}>
            {isUnderWay(report.state) ? (
              <Progress campaign={campaign} report={report} countedAt={found.dataUpdatedAt} />
            ) : null}
            {campaign.waves ? <Waves campaign={campaign} state={report.state} /> : null}
            <Acts report={report} open={setFilter} />
            {filter ? <Recipients key={filter.words} campaignId={campaign.id} filter={filter} /> : null}
            <Domains report={report} />
            <Changes campaignId={campaign.id} state={report.state} />
          </Leaf>
        </>
      )}
    </Await>
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
    return before === 'draft' ? 'Changed the draft' : before === 'scheduled' ? 'Scheduled anew' : 'Waves';
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

function headline({ state, ledger, opened, delivered }: CampaignReport): string {
  const done = ledger.accepted + ledger.refused + ledger.uncertain;
  if (isUnderWay(state)) return `${count(done)} of ${count(done + ledger.waiting + ledger.onTheirWay)} handed over`;
  return `${count(ledger.accepted)} accepted; ${count(opened.human)} people opened it (${percent(delivered === 0 ? null : opened.human / delivered, 1)})`;
}

function Progress({ campaign, report, countedAt }: { campaign: Campaign; report: CampaignReport; countedAt: number }) {
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
        ) : (
          <Button onClick={() => act.mutate('resume')}>Go on</Button>
        )}
        <Button onClick={() => act.mutate('cancel')}>Cancel for good</Button>
      </UnderWay>
      <ProblemNote error={act.error} />
    </Section>
  );
}

/** What can come of a campaign, how many did it, and which recipients they are. */
function actsOf({
  opened,
  clicked,
  complained,
  unsubscribed,
  bounced,
}: CampaignReport): [string, number, NonNullable<Filter>][] {
  const later = (kind: 'hard' | 'soft' | 'block', words: string): [string, number, NonNullable<Filter>] => [
    `Bounced later, ${kind}`,
    bounced[kind],
    { state: 'accepted', acted: 'bounced', actor: kind, words },
  ];
  return [
    ['Opened, by people', opened.human, { acted: 'opened', actor: 'human', words: 'opened, by people' }],
    ['Opened, by anyone', opened.any, { acted: 'opened', words: 'opened, by anyone' }],
    ['Clicked, by people', clicked.human, { acted: 'clicked', actor: 'human', words: 'clicked, by people' }],
    ['Clicked, by anyone', clicked.any, { acted: 'clicked', words: 'clicked, by anyone' }],
    ['Complained', complained, { acted: 'complained', words: 'complained' }],
    ['Unsubscribed', unsubscribed, { acted: 'unsubscribed', words: 'unsubscribed' }],
    later('hard', 'bounced hard after they were accepted'),
    later('soft', 'bounced soft after they were accepted'),
    later('block', 'were blocked after they were accepted'),
  ];
}

function Acts({ report, open }: { report: CampaignReport; open: (filter: Filter) => void }) {
  const { delivered } = report;
  const lacking = useCatchingUp() ? '; what was sent before is still being counted' : '';
  return (
    <Section head="What came of it" beside={`of ${count(delivered)} delivered${lacking}`}>
      <table className="rows">
        <thead>
          <tr>
            <th>Act</th>
            <th className="figure">Contacts</th>
            <th className="figure">Of delivered</th>
          </tr>
        </thead>
        <tbody>
          {actsOf(report).map(([words, contacts, filter]) => (
            <tr key={words}>
              <td>{words}</td>
              <td className="figure">
                {contacts === 0 ? (
                  count(0)
                ) : (
                  <Door onClick={() => open(filter)} label={`${count(contacts)} ${filter.words}`}>
                    {count(contacts)}
                  </Door>
                )}
              </td>
              <td className="figure second">{percent(delivered === 0 ? null : contacts / delivered)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** Everybody behind one figure: page by page, searched, downloaded. */
function Recipients({ campaignId, filter }: { campaignId: number; filter: NonNullable<Filter> }) {
  const { zone } = useBrand();
  const { words, ...of } = filter;
  const [part, setPart] = useState('');
  const pages = useOwnPages();
  const found = useRecipients(campaignId, { ...of, part, cursor: pages.cursor });
  const head = useRef<HTMLElement>(null);
  useEffect(() => head.current?.focus(), []);
  const query = new URLSearchParams(
    Object.entries({ ...of, part }).flatMap(([key, value]) => (value ? [[key, value]] : [])),
  );
  return (
    <section className="section" ref={head} tabIndex={-1} aria-label={`Who ${words}`}>
      <header>
        <h2>{found.data ? `${plural(found.data.total, 'contact', 'contacts')} ${words}` : `Who ${words}`}</h2>
        <a className="plain" href={`/api/v1/campaigns/${campaignId}/recipients.csv?${query}`}>
          CSV of these
        </a>
      </header>
      <SearchField
        label="Part of an address or name"
        placeholder="part of an address or name"
        value={part}
        set={(value) => {
          setPart(value);
          pages.first();
        }}
      />
      <Await of={found} rows={4}>
        {({ items, next }) => (
          <>
            <Rows>
              {items.map((row) => (
                <tr key={row.contactId}>
                  <td>
                    <ContactDoor id={row.contactId} name={row.name} address={row.address} archived={row.archived} />
                  </td>
                  <td className="second">{row.address}</td>
                  <td className={row.reply ? 'said second' : 'second'}>
                    {row.reply ??
                      heldByWords({ leftOutBy: null, cappedBy: row.cappedBy }, (instant) => moment(instant, zone))}
                  </td>
                  <td className="figure second">{row.at ? moment(row.at, zone) : ''}</td>
                </tr>
              ))}
            </Rows>
            {items.length === 0 ? (
              <p className="second">Nobody{part === '' ? '' : ' whose address or name holds that'}.</p>
            ) : null}
            <Turn pages={pages} next={next} size={20} />
          </>
        )}
      </Await>
    </section>
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

const RATE_WORDS = {
  bounce: 'Bounced ÷ tried',
  hard: 'Hard ÷ tried',
  complaint: 'Complaints ÷ delivered',
  unsubscribe: 'Unsubscribed ÷ delivered',
};

function Margin({ report, open }: { report: CampaignReport; open: (filter: Filter) => void }) {
  const { ledger } = report;
  const part = (words: string, contacts: number, state: RecipientsQuery['state']) =>
    contacts === 0
      ? []
      : [
          {
            sign: '−' as const,
            words,
            figure: <Door onClick={() => open({ state, words: `are ${words}` })}>{count(contacts)}</Door>,
          },
        ];
  return (
    <>
      <Section head="Ledger">
        <Ledger
          lines={[
            { words: 'Audience', figure: count(ledger.audience) },
            ...ledger.reasons.map((row) => ({
              sign: '−' as const,
              words: (
                <>
                  <ReasonMark reason={row.reason} />
                  {row.by ? <span className="second">: {leftOutWords(row.by)}</span> : null}
                </>
              ),
              figure: (
                <Door
                  onClick={() =>
                    open({
                      state: 'held-back',
                      reason: row.reason,
                      by: row.by ? `${row.by.kind} ${row.by.id}` : undefined,
                      words: `were held back: ${row.reason}${row.by ? `, ${leftOutWords(row.by)}` : ''}`,
                    })
                  }
                >
                  {count(row.contacts)}
                </Door>
              ),
            })),
            ...part('refused', ledger.refused, 'refused'),
            ...part('uncertain', ledger.uncertain, 'uncertain'),
            ...part(
              report.state === 'cancelled' ? 'not sent' : 'waiting',
              ledger.waiting + ledger.onTheirWay,
              'waiting',
            ),
          ]}
          total={{ words: 'Accepted', figure: count(ledger.accepted) }}
          note={ledger.agrees ? 'The ledger agrees.' : 'The ledger does not agree: tell the operator.'}
        />
      </Section>
      {report.setAside.length > 0 ? (
        <Section head="Set aside">
          {report.setAside.map((one) => (
            <p key={one.exclusionId}>
              “{one.name}”: {one.reason} <span className="second">({one.setBy})</span>
            </p>
          ))}
        </Section>
      ) : null}
      <Section head="Rates">
        {report.rates.map((rate) => (
          <Gauge key={rate.name} words={RATE_WORDS[rate.name]} {...rate} />
        ))}
      </Section>
    </>
  );
}

function Gauge({
  words,
  rate,
  limit,
  over,
}: {
  words: string;
  rate: number | null;
  limit: number;
  over: boolean | null;
}) {
  const width = Math.min(100, (100 * (rate ?? 0)) / (limit * 1.5));
  return (
    <div style={{ marginBottom: 12 }}>
      <div className="row apart">
        <span>{words}</span>
        <strong style={{ color: over ? 'var(--av-stop)' : undefined }}>{percent(rate)}</strong>
      </div>
      <div className={css.gauge} aria-hidden>
        <div className={over ? `${css.reached} ${css.over}` : css.reached} style={{ width: `${width}%` }} />
        <div className={css.limit} />
      </div>
      <span className="third">{over === null ? 'under 200: shown, not judged' : `limit ${percent(limit, 1)}`}</span>
    </div>
  );
}
