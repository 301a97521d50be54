import { lazy, Suspense } from 'react';
import type { ActShares, CampaignReport, WhatCame } from '../../../shared/contract/reports.ts';
import { useWhatCame } from '../../api/queries/campaigns.ts';
import { useCatchingUp } from '../../api/queries/tallies.ts';
import { Await, Door, Loading, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count, percent, plural } from '../../components/words.ts';
import { hoursSince, openingPoints } from './opening-points.ts';
import type { Filter } from './recipients.tsx';

const WhenChart = lazy(() => import('./when-chart.tsx'));

type Open = (filter: Filter) => void;

/** What came of a campaign: how many did what beside what is usual, when, and with which links. */
export function WhatCameOfIt({ report, open }: { report: CampaignReport; open: Open }) {
  const found = useWhatCame(report.campaignId, report.state === 'sending');
  return (
    <>
      <Acts report={report} usual={found.data?.usual ?? null} open={open} />
      <Await of={found} rows={3}>
        {(came) => (
          <>
            <When came={came} report={report} />
            <Links came={came} open={open} />
          </>
        )}
      </Await>
    </>
  );
}

interface Act {
  words: string;
  contacts: number;
  filter: NonNullable<Filter>;
  /** Its share among those that are usual; nothing where it has none. */
  usual?: (shares: ActShares) => number;
}

/** What can come of a campaign, how many did it, and which recipients they are. */
function actsOf({ opened, clicked, complained, unsubscribed, bounced }: CampaignReport): Act[] {
  const later = (kind: 'hard' | 'soft' | 'block', words: string): Act => ({
    words: `Bounced later, ${kind}`,
    contacts: bounced[kind],
    filter: { state: 'accepted', acted: 'bounced', actor: kind, words },
  });
  return [
    {
      words: 'Opened, by people',
      contacts: opened.human,
      filter: { acted: 'opened', actor: 'human', words: 'opened, by people' },
      usual: (shares) => shares.opened.human,
    },
    {
      words: 'Opened, by anyone',
      contacts: opened.any,
      filter: { acted: 'opened', words: 'opened, by anyone' },
      usual: (shares) => shares.opened.any,
    },
    {
      words: 'Clicked, by people',
      contacts: clicked.human,
      filter: { acted: 'clicked', actor: 'human', words: 'clicked, by people' },
      usual: (shares) => shares.clicked.human,
    },
    {
      words: 'Clicked, by anyone',
      contacts: clicked.any,
      filter: { acted: 'clicked', words: 'clicked, by anyone' },
      usual: (shares) => shares.clicked.any,
    },
    {
      words: 'Complained',
      contacts: complained,
      filter: { acted: 'complained', words: 'complained' },
      usual: (shares) => shares.complained,
    },
    {
      words: 'Unsubscribed',
      contacts: unsubscribed,
      filter: { acted: 'unsubscribed', words: 'unsubscribed' },
      usual: (shares) => shares.unsubscribed,
    },
    later('hard', 'bounced hard after they were accepted'),
    later('soft', 'bounced soft after they were accepted'),
    later('block', 'were blocked after they were accepted'),
  ];
}

function Acts({ report, usual, open }: { report: CampaignReport; usual: WhatCame['usual']; open: Open }) {
  const { delivered } = report;
  const lacking = useCatchingUp() ? '; what was sent before is still being counted' : '';
  const beside = usual ? `; usually, in the end: the median of the last ${usual.campaigns}` : '';
  return (
    <Section head="What came of it" beside={`of ${count(delivered)} delivered${beside}${lacking}`}>
      <table className="rows">
        <thead>
          <tr>
            <th>Act</th>
            <th className="figure">Contacts</th>
            <th className="figure">Of delivered</th>
            {usual ? (
              <>
                <th className="figure">Usually</th>
                <th className="figure">Points more</th>
              </>
            ) : null}
          </tr>
        </thead>
        <tbody>
          {actsOf(report).map(({ words, contacts, filter, usual: shareOf }) => (
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
              {usual ? (
                <Usually share={delivered === 0 ? null : contacts / delivered} of={shareOf?.(usual.shares)} />
              ) : null}
            </tr>
          ))}
        </tbody>
      </table>
    </Section>
  );
}

/** What is usual of an act, and by how many points of a hundred this is more. */
function Usually({ share, of }: { share: number | null; of: number | undefined }) {
  if (of === undefined)
    return (
      <>
        <td />
        <td />
      </>
    );
  return (
    <>
      <td className="figure second">{percent(of)}</td>
      <td className="figure">{share === null ? '' : pointsMore(share - of)}</td>
    </>
  );
}

/** `+1.33`, `−0.02`. */
export const pointsMore = (more: number): string => `${more < 0 ? '−' : '+'}${Math.abs(100 * more).toFixed(2)}`;

/** When people first opened and clicked, since each of them got it; an hour’s acts stand at its end. */
function When({ came, report }: { came: WhatCame; report: CampaignReport }) {
  const { byHour, usual } = came;
  if (byHour.length === 0) return null;
  const until = hoursSince(report.startedAt ?? report.at, Date.parse(report.at));
  const line = (of: 'opened' | 'openedAny' | 'clicked') => ({
    rises: byHour.map((point) => ({ hours: point.hours, value: point[of] })),
    until,
  });
  const opening = usual?.opening.map(({ hours, share }) => ({ hours, value: Math.round(share * report.delivered) }));
  const points = openingPoints({
    opened: line('opened'),
    clicked: line('clicked'),
    openedAny: line('openedAny'),
    ...(opening && { usually: { rises: opening } }),
  });
  const first = byHour.find(({ hours }) => hours === 1)?.opened ?? 0;
  const all = byHour.at(-1)!.opened;
  return (
    <Section head="When" beside={`people, since each got it${usual ? '; dashed: usually' : ''}`}>
      {all === 0 ? null : (
        <p className="second">
          {count(first)} of {plural(all, 'person', 'people')} who opened it did within the first hour,{' '}
          {count(byHour.filter(({ hours }) => hours <= 24).at(-1)?.opened ?? 0)} within a day.
        </p>
      )}
      <Suspense fallback={<Loading rows={4} />}>
        <WhenChart
          points={points}
          lines={[
            { name: 'opened', label: 'opened' },
            { name: 'clicked', label: 'clicked' },
            { name: 'openedAny', label: 'opened, by anyone' },
            ...(opening ? [{ name: 'usually', label: 'opened, usually', dashed: true }] : []),
          ]}
        />
      </Suspense>
    </Section>
  );
}

/** Which links were clicked, and by whom. */
function Links({ came: { links }, open }: { came: WhatCame; open: Open }) {
  if (links.length === 0) return null;
  return (
    <Section head="Links" beside="contacts who clicked">
      <Rows
        heads={
          <>
            <th>Leads to</th>
            <th className="figure">People</th>
            <th className="figure">Anyone</th>
          </>
        }
      >
        {links.map(({ number, url, people, anyone }) => {
          const figure = (contacts: number, of: Pick<NonNullable<Filter>, 'actor'>, by: string) => {
            const words = `clicked ${url}, ${by}`;
            if (contacts === 0) return count(0);
            return (
              <Door
                onClick={() => open({ acted: 'clicked', link: number, ...of, words })}
                label={`${count(contacts)} ${words}`}
              >
                {count(contacts)}
              </Door>
            );
          };
          return (
            <tr key={number}>
              <td className="breaks">{url}</td>
              <td className="figure">{figure(people, { actor: 'human' }, 'by people')}</td>
              <td className="figure">{figure(anyone, {}, 'by anyone')}</td>
            </tr>
          );
        })}
      </Rows>
    </Section>
  );
}
