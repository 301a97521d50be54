import '@mantine/charts/styles.css';
import { LineChart } from '@mantine/charts';
import { count } from '../../components/words.ts';
import type { OpeningPoint } from './opening-points.ts';

const COLOURS = ['var(--av-ink)', 'var(--av-act)', 'var(--av-look-mark)', 'var(--av-stop-mark)'];
const TICKS = [0, 1, 6, 12, 24, 48, 72];

/** `6 h`, `a day`, `2 days`. */
const hourWords = (hours: number): string =>
  hours === 24 ? 'a day' : hours % 24 === 0 && hours > 0 ? `${hours / 24} days` : `${hours} h`;

/** Lines over the hours since each recipient got it; dashed ones say what is usual. */
export default function WhenChart({
  points,
  lines,
  format = count,
}: {
  points: OpeningPoint[];
  lines: { name: string; label: string; dashed?: boolean }[];
  format?: (value: number) => string;
}) {
  const last = points.at(-1)?.hours ?? 0;
  return (
    <LineChart
      h={200}
      data={points}
      dataKey="hours"
      curveType="linear"
      withDots={false}
      withLegend
      legendProps={{ verticalAlign: 'bottom' }}
      series={lines.map(({ name, label, dashed }, index) => ({
        name,
        label,
        color: dashed ? 'var(--av-ink2)' : COLOURS[index % COLOURS.length]!,
        strokeDasharray: dashed ? '4 4' : undefined,
      }))}
      valueFormatter={format}
      gridAxis="x"
      tickLine="none"
      xAxisProps={{
        type: 'number',
        domain: [0, last],
        ticks: TICKS.filter((hours) => hours <= last && (hours !== 1 || last <= 12) && (hours !== 6 || last <= 48)),
        tickFormatter: hourWords,
      }}
      tooltipProps={{ labelFormatter: (hours) => `after ${hourWords(Number(hours))}` }}
      lineProps={{ isAnimationActive: false }}
      lineChartProps={{ accessibilityLayer: false, margin: { top: 12, right: 12 } }}
    />
  );
}
