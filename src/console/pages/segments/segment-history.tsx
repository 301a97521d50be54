import { Button } from '@mantine/core';
import { lazy, Suspense } from 'react';
import type { SegmentDetail } from '../../../shared/contract/segments.ts';
import { useSnapshots } from '../../api/queries/segments.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';

const CHART_HEIGHT = 170;
/** What draws is as large as all else of the page, and asked for where there is something to draw. */
const DaysChart = lazy(() => import('./days-chart.tsx'));

/** How many matched on each day, those who might be mailed filled; a table stands behind it. */
export function SegmentDays({ segment: { days } }: { segment: SegmentDetail }) {
  if (days.length < 2)
    return (
      <Section head="By day">
        <p className="second">
          Counted once a day;{' '}
          {days.length === 0 ? 'the first count comes within the hour' : 'the trend begins with the second'}.
        </p>
      </Section>
    );
  const last = days[days.length - 1]!;
  return (
    <Section head={`${plural(days.length, 'day', 'days')}, ${count(days[0]!.matching)} to ${count(last.matching)}`}>
      <div
        role="img"
        aria-label={`Matching contacts by day, from ${days[0]!.matching} on ${days[0]!.day} to ${last.matching} on ${last.day}`}
      >
        <Suspense fallback={<div style={{ height: CHART_HEIGHT }} />}>
          <DaysChart days={days} height={CHART_HEIGHT} />
        </Suspense>
      </div>
      <DaysTable days={days} />
    </Section>
  );
}

function DaysTable({ days }: Pick<SegmentDetail, 'days'>) {
  return (
    <details>
      <summary className="second">As a table</summary>
      <table className="rows">
        <thead>
          <tr>
            <th>Day</th>
            <th className="figure">Matched</th>
            <th className="figure">Might be mailed</th>
          </tr>
        </thead>
        <tbody>
          {days.map((one) => (
            <tr key={one.day}>
              <td>{one.day}</td>
              <td className="figure">{count(one.matching)}</td>
              <td className="figure">{count(one.mailable)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

/** Freezes who matches now, and lists what was frozen. */
export function Snapshots({ segment, matching }: { segment: SegmentDetail; matching: number | undefined }) {
  const { zone } = useBrand();
  const freeze = useAct((client, _: void) => client.freezeSegment({ id: segment.id }));
  return (
    <Section head="Snapshots">
      <Await of={useSnapshots(segment.id)} rows={1}>
        {(all) =>
          all.map((one) => (
            <p key={one.id}>
              <Door to={`/segments/${segment.id}/since/${one.id}`}>{count(one.contacts)}</Door>
              <span className="second">
                {' '}
                frozen {moment(one.takenAt, zone)} by {one.takenBy}
              </span>
            </p>
          ))
        }
      </Await>
      <ProblemNote error={freeze.error} />
      <Button mt={8} fullWidth loading={freeze.isPending} onClick={() => freeze.mutate()}>
        {matching === undefined ? 'Freeze a snapshot of the kept version' : `Freeze a snapshot of ${count(matching)}`}
      </Button>
    </Section>
  );
}
