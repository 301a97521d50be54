import { lazy, Suspense } from 'react';
import { useSearchParams } from 'react-router';
import type { ComparedCampaign } from '../../../shared/contract/reports.ts';
import { useCompared } from '../../api/queries/campaigns.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Loading, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count, moment, percent } from '../../components/words.ts';
import { hoursSince, openingPoints } from './opening-points.ts';

const WhenChart = lazy(() => import('./when-chart.tsx'));

/** Campaigns side by side: `?ids=12,15`. */
export default function Compare() {
  const [query] = useSearchParams();
  const ids = [
    ...new Set(
      (query.get('ids') ?? '')
        .split(',')
        .map(Number)
        .filter((id) => Number.isInteger(id) && id > 0),
    ),
  ];
  const found = useCompared(ids);
  if (ids.length < 2)
    return (
      <Finding line="Campaigns" headline="Choose two campaigns or more to compare">
        They are chosen in the list of <Door to="/campaigns">campaigns</Door>.
      </Finding>
    );
  return (
    <Await of={found} rows={12}>
      {(campaigns) => <SideBySide campaigns={campaigns} at={found.dataUpdatedAt} />}
    </Await>
  );
}

interface Figure {
  words: string;
  of: (one: ComparedCampaign) => string;
  /** By which the largest is told, where more is better. */
  best?: (one: ComparedCampaign) => number;
}

const share = (of: (shares: NonNullable<ComparedCampaign['shares']>) => number) => (one: ComparedCampaign) =>
  one.shares ? of(one.shares) : -1;
const shown = (of: (one: ComparedCampaign) => number) => (one: ComparedCampaign) =>
  percent(of(one) < 0 ? null : of(one));
const rate = (name: ComparedCampaign['rates'][number]['name']) => (one: ComparedCampaign) => {
  const found = one.rates.find((each) => each.name === name)!;
  return `${percent(found.rate)}${found.over ? ', over' : ''}`;
};
const openedByPeople = share((shares) => shares.opened.human);
const clickedByPeople = share((shares) => shares.clicked.human);

const FIGURES: Figure[] = [
  { words: 'Audience', of: (one) => count(one.audience) },
  { words: 'Held back', of: (one) => count(one.heldBack) },
  { words: 'Refused', of: (one) => count(one.refused) },
  { words: 'Delivered', of: (one) => count(one.delivered) },
  { words: 'Opened, by people', of: shown(openedByPeople), best: openedByPeople },
  { words: 'Opened, by anyone', of: shown(share((shares) => shares.opened.any)) },
  { words: 'Clicked, by people', of: shown(clickedByPeople), best: clickedByPeople },
  { words: 'Clicked, by anyone', of: shown(share((shares) => shares.clicked.any)) },
  { words: 'Bounced ÷ tried', of: rate('bounce') },
  { words: 'Hard ÷ tried', of: rate('hard') },
  { words: 'Complaints ÷ delivered', of: rate('complaint') },
  { words: 'Unsubscribed ÷ delivered', of: rate('unsubscribe') },
];

function SideBySide({ campaigns, at }: { campaigns: ComparedCampaign[]; at: number }) {
  const { zone } = useBrand();
  const first = [...campaigns].sort((one, other) => openedByPeople(other) - openedByPeople(one))[0]!;
  return (
    <>
      <Finding
        line={`${campaigns.length} campaigns side by side`}
        headline={
          first.shares
            ? `${first.name} was opened most: ${percent(first.shares.opened.human, 1)} of people who got it`
            : 'Nothing was delivered yet'
        }
      >
        Shares of those to whom each was delivered. One that has just begun has had less time.
      </Finding>
      <div style={{ marginTop: 24 }}>
        <Section head="What came of them">
          <Rows
            heads={
              <>
                <th />
                {campaigns.map(({ id, name }) => (
                  <th key={id} className="figure">
                    <Door to={`/campaigns/${id}`}>{name}</Door>
                  </th>
                ))}
              </>
            }
          >
            <tr>
              <td>Started</td>
              {campaigns.map(({ id, startedAt }) => (
                <td key={id} className="figure">
                  {startedAt ? moment(startedAt, zone) : ''}
                </td>
              ))}
            </tr>
            {FIGURES.map(({ words, of, best }) => {
              const most = best ? Math.max(...campaigns.map(best)) : undefined;
              return (
                <tr key={words}>
                  <td>{words}</td>
                  {campaigns.map((one) => (
                    <td key={one.id} className="figure">
                      {best && best(one) === most && most >= 0 ? <strong>{of(one)}</strong> : of(one)}
                    </td>
                  ))}
                </tr>
              );
            })}
          </Rows>
        </Section>
        <Opening campaigns={campaigns} at={at} />
      </div>
    </>
  );
}

/** At the same age: what share of people had opened each by so many hours after they got it. */
function Opening({ campaigns, at }: { campaigns: ComparedCampaign[]; at: number }) {
  const told = campaigns.filter(({ byHour, delivered }) => byHour.length > 0 && delivered > 0);
  if (told.length === 0) return null;
  const points = openingPoints(
    Object.fromEntries(
      told.map(({ id, byHour, delivered, startedAt }) => [
        String(id),
        {
          rises: byHour.map(({ hours, opened }) => ({ hours, value: opened / delivered })),
          until: startedAt === null ? undefined : hoursSince(startedAt, at),
        },
      ]),
    ),
  );
  return (
    <Section head="When" beside="people who opened, since each got it">
      <Suspense fallback={<Loading rows={4} />}>
        <WhenChart
          points={points}
          lines={told.map(({ id, name }) => ({ name: String(id), label: name }))}
          format={(value) => percent(value, 1)}
        />
      </Suspense>
    </Section>
  );
}
