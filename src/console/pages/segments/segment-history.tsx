import { Button } from '@mantine/core';
import type { SegmentDetail } from '../../../shared/api-segments.ts';
import { useSnapshots } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';

const WIDTH = 640;
const HEIGHT = 96;

/** How many matched on each day, those who might be mailed filled; a table stands behind it. */
export function SegmentDays({ segment: { days } }: { segment: SegmentDetail }) {
  if (days.length < 2)
    return (
      <Section head="By day">
        <p className="second">Counted once a day; {days.length === 0 ? 'the first count comes within the hour' : 'the trend begins with the second'}.</p>
      </Section>
    ); // prettier-ignore
  const top = Math.max(1, ...days.map(({ matching }) => matching));
  const band = WIDTH / days.length;
  const last = days[days.length - 1]!;
  return (
    <Section head={`${plural(days.length, 'day', 'days')}, ${count(days[0]!.matching)} to ${count(last.matching)}`}>
      <svg viewBox={`0 -4 ${WIDTH} ${HEIGHT + 24}`} width="100%" role="img" aria-label={`Matching contacts by day, from ${days[0]!.matching} on ${days[0]!.day} to ${last.matching} on ${last.day}`}>
        {days.map(({ day, matching, mailable }, index) => (
          <g key={day}>
            <rect x={index * band} y={HEIGHT - (HEIGHT * matching) / top} width={band * 0.62} height={(HEIGHT * matching) / top} fill="none" stroke="var(--av-ink2)" />
            <rect x={index * band} y={HEIGHT - (HEIGHT * mailable) / top} width={band * 0.62} height={(HEIGHT * mailable) / top} fill="var(--av-ink2)" />
          </g>
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--av-rule)" />
        <text x={0} y={HEIGHT + 16} fontSize={12.5} fill="var(--av-ink3)">{days[0]!.day}</text>
        <text x={WIDTH} y={HEIGHT + 16} fontSize={12.5} fill="var(--av-ink3)" textAnchor="end">{last.day}</text>
      </svg>
      <details>
        <summary className="second">As a table</summary>
        <table className="rows">
          <thead><tr><th>Day</th><th className="figure">Matched</th><th className="figure">Might be mailed</th></tr></thead>
          <tbody>{days.map((one) => <tr key={one.day}><td>{one.day}</td><td className="figure">{count(one.matching)}</td><td className="figure">{count(one.mailable)}</td></tr>)}</tbody>
        </table>
      </details>
    </Section>
  ); // prettier-ignore
}

/** Freezes who matches now, and lists what was frozen. */
export function Snapshots({ segment, matching }: { segment: SegmentDetail; matching: number | undefined }) {
  const { zone } = useBrand();
  const freeze = useAct((client, _: void) => client.freezeSegment(segment.id));
  return (
    <Section head="Snapshots">
      <Await of={useSnapshots(segment.id)} rows={1}>
        {(all) => all.map((one) => (
          <p key={one.id}>
            <Door to={`/segments/${segment.id}/since/${one.id}`}>{count(one.contacts)}</Door>
            <span className="second"> frozen {moment(one.takenAt, zone)} by {one.takenBy}</span>
          </p>
        ))}
      </Await>
      <ProblemNote error={freeze.error} />
      <Button mt={8} fullWidth loading={freeze.isPending} onClick={() => freeze.mutate()}>
        {matching === undefined ? 'Freeze a snapshot of the kept version' : `Freeze a snapshot of ${count(matching)}`}
      </Button>
    </Section>
  ); // prettier-ignore
}
