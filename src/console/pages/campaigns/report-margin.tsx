import type { ReactNode } from 'react';
import { leftOutWords } from '../../../client/wording/held-by.ts';
import { waitingFor } from '../../../client/wording/sending-pace.ts';
import type { Progress } from '../../../shared/contract/pace.ts';
import type { CampaignReport, RecipientsQuery } from '../../../shared/contract/reports.ts';
import { ReasonMark } from '../../components/marks.tsx';
import { Door, Ledger, Section } from '../../components/page.tsx';
import { count, percent } from '../../components/words.ts';
import type { Filter } from './recipients.tsx';
import css from './report.module.css';

const RATE_WORDS = {
  bounce: 'Bounced ÷ tried',
  hard: 'Hard ÷ tried',
  complaint: 'Complaints ÷ delivered',
  unsubscribe: 'Unsubscribed ÷ delivered',
};

/** The ledger beside a report, what was set aside, and the rates; under `first` what has to be decided. */
export function Margin({
  report,
  waits,
  first,
  open,
}: {
  report: CampaignReport;
  /** Who waits for what, while it is under way. */
  waits: Progress['waits'] | null;
  first: ReactNode;
  open: (filter: Filter) => void;
}) {
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
      {first}
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
              report.state === 'cancelled' || report.state === 'finished' ? 'not sent' : 'waiting',
              ledger.waiting + ledger.onTheirWay,
              'waiting',
            ),
            ...waitingLines(waits),
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

/** What those who wait wait for: of the line before. */
function waitingLines(waits: Progress['waits'] | null) {
  return (waits ? waitingFor(waits) : []).map(({ what, contacts }) => ({
    words: <span className="second">of these for {what}</span>,
    figure: <span className="second">{count(contacts)}</span>,
  }));
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
