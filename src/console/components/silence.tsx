import type { KeyboardEvent } from 'react';
import type { SunsetPreview, SunsetRule } from '../../shared/contract/rules.ts';
import { useNarrow } from './narrow.ts';
import { count } from './words.ts';

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
  // Drawn for the width that there is, so that its words keep their size.
  const width = useNarrow() ? 380 : 780;
  const xOf = (days: number): number => (placeOf(bins, days) * width) / Math.max(1, bins.length);
  const wasAt = (stage: string): number | undefined => saved.steps.find((step) => step.stage === stage)?.days;
  return (
    <div>
      <svg
        viewBox={`0 0 ${width} ${HEIGHT + TOP + 30}`}
        width="100%"
        role="group"
        aria-label="Contacts by days of silence, with the thresholds of the ladder"
      >
        <Bars bins={bins} rule={rule} width={width} />
        <line x1={0} x2={width} y1={TOP + HEIGHT} y2={TOP + HEIGHT} stroke="var(--av-rule)" />
        {rule.steps.map(({ stage, days }) => {
          const was = wasAt(stage);
          return was === undefined || was === days ? null : (
            <line
              key={stage}
              x1={xOf(was)}
              x2={xOf(was)}
              y1={TOP}
              y2={TOP + HEIGHT}
              stroke="var(--av-rule)"
              strokeDasharray="4 3"
            />
          );
        })}
        {rule.steps.map((step) => (
          <Handle
            key={step.stage}
            step={step}
            x={xOf(step.days)}
            moved={wasAt(step.stage) !== step.days}
            move={(days) => onMove(step.stage, days)}
          />
        ))}
      </svg>
    </div>
  );
}

/** As many labels as have room, each of so many units of width. */
const LABEL = 44;

function Bars({ bins, rule, width }: Pick<Props, 'bins' | 'rule'> & { width: number }) {
  const most = Math.max(1, ...bins.map((bin) => bin.silent + bin.unasked));
  const band = width / Math.max(1, bins.length);
  const every = Math.ceil(LABEL / band);
  const base = TOP + HEIGHT;
  const scale = (value: number): number => (HEIGHT * value) / most;
  const stageAt = (days: number): string =>
    [...rule.steps].reverse().find((step) => days >= step.days)?.stage ?? 'engaged';
  return bins.map(({ from, silent, unasked }, index) => {
    const x = index * band + band * 0.19;
    const colour = `var(--av-stage-${stageAt(from)})`;
    return (
      <g key={from}>
        <rect x={x} width={band * 0.62} y={base - scale(silent)} height={scale(silent)} fill={colour} />
        {unasked > 0 && (
          <rect
            x={x + 0.5}
            width={band * 0.62 - 1}
            y={base - scale(silent + unasked)}
            height={scale(unasked)}
            fill="none"
            stroke={colour}
            strokeDasharray="3 2"
          />
        )}
        {index % every === 0 ? (
          <text
            x={index * band}
            y={base + 18}
            fontSize={13}
            fill="var(--av-ink3)"
            textAnchor={index === 0 ? 'start' : 'middle'}
          >
            {from}
          </text>
        ) : null}
        <title>{`from ${from} days: ${count(silent)} silent, ${count(unasked)} not written to enough`}</title>
      </g>
    );
  });
}

const KEYS: Readonly<Record<string, number>> = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 };

/** A threshold: arrows move it by a day, with Shift by ten. */
function Handle({
  step,
  x,
  moved,
  move,
}: {
  step: SunsetRule['steps'][number];
  x: number;
  moved: boolean;
  move: (days: number) => void;
}) {
  const onKeyDown = (event: KeyboardEvent): void => {
    const by = KEYS[event.key];
    if (by === undefined) return;
    event.preventDefault();
    move(Math.max(1, step.days + by * (event.shiftKey ? 10 : 1)));
  };
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={`${step.stage} from days of silence`}
      aria-valuenow={step.days}
      aria-valuemin={1}
      aria-valuemax={3650}
      onKeyDown={onKeyDown}
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
}

/** Where so many days stand among the bins, in bins from the left. */
function placeOf(bins: Props['bins'], days: number): number {
  const at = bins.findIndex((bin) => bin.from > days);
  const index = at < 0 ? bins.length - 1 : Math.max(0, at - 1);
  const [from, to] = [bins[index]?.from ?? 0, bins[index + 1]?.from ?? (bins[index]?.from ?? 0) * 1.5 + 1];
  return index + Math.min(1, (days - from) / (to - from));
}
