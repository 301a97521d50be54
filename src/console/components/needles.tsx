import { percent } from './words.ts';

export interface Needle {
  day: string;
  rate: number;
  of: number;
}

const WIDTH = 240;
const HEIGHT = 72;
/** Denominators under this are drawn, never judged. */
const LEAST_JUDGED = 200;

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
  const over = needles.filter((needle) => needle.of >= LEAST_JUDGED && needle.rate > limit);
  return (
    <figure style={{ margin: '0 0 16px' }}>
      <svg
        viewBox={`0 -14 ${WIDTH} ${HEIGHT + 32}`}
        width="100%"
        role="img"
        aria-label={`${title}: ${needles.length} sending days, ${over.length} over the limit of ${percent(limit)}`}
      >
        {needles.map((needle) => {
          const x = 2 + ((WIDTH - 4) * (Date.parse(needle.day) - start)) / (end - start);
          const high = needle.of >= LEAST_JUDGED && needle.rate > limit;
          return (
            <line
              key={needle.day}
              x1={x}
              x2={x}
              y1={HEIGHT}
              y2={y(needle.rate)}
              stroke={high ? 'var(--av-stop-mark)' : 'var(--av-ink2)'}
              strokeWidth={2}
            />
          );
        })}
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
      <figcaption className="third">
        {needles.length === 0
          ? 'Nothing was sent in these days.'
          : over.length === 0
            ? 'Inside the limit on every sending day.'
            : `Over the limit on ${over.length} ${over.length === 1 ? 'day' : 'days'}: ${over
                .map((needle) => needle.day)
                .slice(0, 3)
                .join(', ')}.`}
      </figcaption>
    </figure>
  );
}
