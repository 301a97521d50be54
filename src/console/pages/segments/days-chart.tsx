import '@mantine/charts/styles.css';
import { BarChart } from '@mantine/charts';
import type { SegmentDetail } from '../../../shared/contract/segments.ts';
import { count } from '../../components/words.ts';

const SERIES = [
  { name: 'mailable', label: 'might be mailed', color: 'var(--av-ink2)' },
  { name: 'others', label: 'might not', color: 'var(--av-rule)' },
];

/** How many matched on each day, those who might be mailed below. */
export default function DaysChart({ days, height }: { days: SegmentDetail['days']; height: number }) {
  return (
    <BarChart
      h={height}
      data={days.map(({ day, matching, mailable }) => ({ day, mailable, others: matching - mailable }))}
      dataKey="day"
      type="stacked"
      series={SERIES}
      valueFormatter={count}
      withLegend
      legendProps={{ verticalAlign: 'bottom' }}
      gridAxis="x"
      tickLine="none"
      maxBarWidth={28}
      barProps={{ isAnimationActive: false }}
      barChartProps={{ accessibilityLayer: false }}
    />
  );
}
