import { percent, plural } from './words.ts';

export interface Needle {
  day: string;
  rate: number;
  of: number;
}

const WIDTH = 240;
const HEIGHT = 72;
/** Denominators under this are drawn, never judged. */
const LEAST_JUDGED = 200;

const isOver = ({ of, rate }: Needle, limit: number): boolean => of >= LEAST_JUDGED && rate > limit;

/** Rates as needles, one a sending day, with their limit; days over it turn brick. A table stands behind it. */
export function Needles({
  title,
  needles,
  limit,
  from,
  to,
}: {
  title: string;
  needles: Needle[];
  limit: number;
  from: string;
  to: string;
}) {
  // A day with few messages must not flatten all others: it is drawn to the top, and no further.
  const top = Math.max(
    limit * 1.25,
    ...needles.filter((needle) => needle.of >= LEAST_JUDGED).map((needle) => needle.rate),
  );
  const y = (rate: number): number => HEIGHT - (HEIGHT * Math.min(rate, top)) / top;
  const [start, end] = [Date.parse(from), Date.parse(to)];
  const across = (day: string): { x1: number; x2: number } => {
    const x = 2 + ((WIDTH - 4) * (Date.parse(day) - start)) / (end - start);
    return { x1: x, x2: x };
  };
  const over = needles.filter((needle) => isOver(needle, limit)).map(({ day }) => day);
  return (
    <figure style={{ margin: '0 0 16px' }}>
      <svg
        viewBox={`0 -14 ${WIDTH} ${HEIGHT + 32}`}
        width="100%"
        role="img"
        aria-label={`${title}: ${needles.length} sending days, ${over.length} over the limit of ${percent(limit)}`}
      >
        {needles.map((needle) => (
          <line
            key={needle.day}
            {...across(needle.day)}
            y1={HEIGHT}
            y2={y(needle.rate)}
            stroke={isOver(needle, limit) ? 'var(--av-stop-mark)' : 'var(--av-ink2)'}
            strokeWidth={2}
          />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--av-rule)" />
        <line x1={0} x2={WIDTH} y1={y(limit)} y2={y(limit)} stroke="var(--av-stop)" strokeDasharray="4 3" />
        <text x={0} y={y(limit) - 4} fontSize={12.5} fill="var(--av-stop)">
          limit {percent(limit, 1)}
        </text>
        <text x={0} y={HEIGHT + 14} fontSize={12.5} fill="var(--av-ink3)">
          90 days ago
        </text>
        <text x={WIDTH} y={HEIGHT + 14} fontSize={12.5} fill="var(--av-ink3)" textAnchor="end">
          today
        </text>
      </svg>
      <figcaption className="third">{inWords(needles.length, over)}</figcaption>
    </figure>
  );
}

function inWords(days: number, over: string[]): string {
  if (days === 0) return 'Nothing was sent in these days.';
  if (over.length === 0) return 'Inside the limit on every sending day.';
  return `Over the limit on ${plural(over.length, 'day', 'days')}: ${over.slice(0, 3).join(', ')}.`;
}
