import type { SunsetPreview, SunsetRule } from '../../shared/api.ts';
import { count } from './words.ts';

const WIDTH = 780;
const HEIGHT = 190;
const TOP = 44;

interface Props {
  bins: SunsetPreview['silence'];
  rule: SunsetRule;
  saved: SunsetRule;
  onMove: (stage: SunsetRule['steps'][number]['stage'], days: number) => void;
}

/**
 * Days of silence as a histogram with the ladder's thresholds as handles on it: solid for who is silent and was written
 * to enough, outlined for who was not. Each handle is a slider; the field in the ladder holds the same value.
 */
export function Silence({ bins, rule, saved, onMove }: Props) {
  const most = Math.max(1, ...bins.map((bin) => bin.silent + bin.unasked));
  const band = WIDTH / Math.max(1, bins.length);
  const scale = (value: number): number => (HEIGHT * value) / most;
  const stageAt = (days: number): string =>
    [...rule.steps].reverse().find((step) => days >= step.days)?.stage ?? 'engaged';
  const xOf = (days: number): number => placeOf(bins, days) * band;
  return (
    <div style={{ overflowX: 'auto' }}>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT + TOP + 30}`}
        width="100%"
        style={{ minWidth: 420 }}
        role="group"
        aria-label="Contacts by days of silence, with the thresholds of the ladder"
      >
        {bins.map((bin, index) => {
          const x = index * band + band * 0.19;
          const colour = `var(--av-stage-${stageAt(bin.from)})`;
          const base = TOP + HEIGHT;
          return (
            <g key={bin.from}>
              <rect x={x} width={band * 0.62} y={base - scale(bin.silent)} height={scale(bin.silent)} fill={colour} />
              {bin.unasked > 0 && (
                <rect
                  x={x + 0.5}
                  width={band * 0.62 - 1}
                  y={base - scale(bin.silent + bin.unasked)}
                  height={scale(bin.unasked)}
                  fill="none"
                  stroke={colour}
                  strokeDasharray="3 2"
                />
              )}
              <text
                x={index * band}
                y={base + 18}
                fontSize={13}
                fill="var(--av-ink3)"
                textAnchor={index === 0 ? 'start' : 'middle'}
              >
                {bin.from}
              </text>
              <title>{`from ${bin.from} days: ${count(bin.silent)} silent, ${count(bin.unasked)} not written to enough`}</title>
            </g>
          );
        })}
        <line x1={0} x2={WIDTH} y1={TOP + HEIGHT} y2={TOP + HEIGHT} stroke="var(--av-rule)" />
        {saved.steps.map((step) =>
          rule.steps.some((now) => now.stage === step.stage && now.days !== step.days) ? (
            <line
              key={`was ${step.stage}`}
              x1={xOf(step.days)}
              x2={xOf(step.days)}
              y1={TOP}
              y2={TOP + HEIGHT}
              stroke="var(--av-rule)"
              strokeDasharray="4 3"
            />
          ) : null,
        )}
        {rule.steps.map((step) => {
          const moved = saved.steps.some((was) => was.stage === step.stage && was.days !== step.days);
          const x = xOf(step.days);
          return (
            <g
              key={step.stage}
              role="slider"
              tabIndex={0}
              aria-label={`${step.stage} from days of silence`}
              aria-valuenow={step.days}
              aria-valuemin={1}
              aria-valuemax={3650}
              onKeyDown={(event) => {
                const by =
                  (event.shiftKey ? 10 : 1) *
                  (event.key === 'ArrowRight' || event.key === 'ArrowUp'
                    ? 1
                    : event.key === 'ArrowLeft' || event.key === 'ArrowDown'
                      ? -1
                      : 0);
                if (by !== 0) {
                  event.preventDefault();
                  onMove(step.stage, Math.max(1, step.days + by));
                }
              }}
            >
              <line x1={x} x2={x} y1={30} y2={TOP + HEIGHT} stroke="var(--av-act)" strokeWidth={2} />
              <rect
                x={x - 27}
                y={6}
                width={54}
                height={24}
                rx={6}
                fill={moved ? 'var(--av-act-fill)' : 'var(--av-sheet)'}
                stroke="var(--av-act)"
              />
              <text
                x={x}
                y={23}
                fontSize={14}
                fontWeight={600}
                textAnchor="middle"
                fill={moved ? 'var(--av-act-text)' : 'var(--av-act)'}
              >
                {step.days} d
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

/** Where so many days stand among the bins, in bins from the left. */
function placeOf(bins: Props['bins'], days: number): number {
  const at = bins.findIndex((bin) => bin.from > days);
  const index = at < 0 ? bins.length - 1 : Math.max(0, at - 1);
  const [from, to] = [bins[index]?.from ?? 0, bins[index + 1]?.from ?? (bins[index]?.from ?? 0) * 1.5 + 1];
  return index + Math.min(1, (days - from) / (to - from));
}
