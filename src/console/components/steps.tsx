import { useState } from 'react';
import type { Preflight } from '../../shared/contract/sending.ts';
import { leftOutWords } from '../../client/wording/held-by.ts';
import { REASON_LOOK, ReasonMark, TONE_COLOURS } from './marks.tsx';
import { count } from './words.ts';
import css from './steps.module.css';

/**
 * The audience as a step chart: the whole strip at true scale, its held-back end opened into enlarged steps, each in
 * its own table row. Row and step are one button, which opens the contacts behind it.
 */
export function Steps({
  preflight,
  open,
  onOpen,
}: {
  preflight: Preflight;
  open: OpenReason | null;
  onOpen: (open: OpenReason) => void;
}) {
  const { audience, willGet, heldBack, reasons } = preflight;
  const rows = reasons.map((row, index) => {
    const to = audience - reasons.slice(0, index).reduce((sum, before) => sum + before.contacts, 0);
    return { ...row, from: to - row.contacts, to };
  });
  const place = (at: number): number => (heldBack === 0 ? 0 : (100 * (at - willGet)) / heldBack);
  return (
    <div>
      <div className="row apart">
        <strong>{count(willGet)} will get this</strong>
        <strong>{count(heldBack)} held back</strong>
      </div>
      <div
        style={{ display: 'flex', height: 17, margin: '4px 0' }}
        role="img"
        aria-label={`${count(willGet)} of ${count(audience)} will get this`}
      >
        <div style={{ width: `${(100 * willGet) / Math.max(1, audience)}%`, background: 'var(--av-ink)' }} />
        <div style={{ flex: 1, border: '1px solid var(--av-ink)', borderLeftWidth: 0 }} />
      </div>
      <Wedge share={audience === 0 ? 1 : willGet / audience} />
      <div className={css.reasonHead}>
        <span>Held back because</span>
        <span className="figure">Contacts</span>
        <span style={{ paddingLeft: 16 }}>Three of them</span>
        <span className={css.ends}>
          <span>{count(willGet)}</span>
          <span>{count(audience)}</span>
        </span>
      </div>
      {rows.map((row) => (
        <ReasonRow
          key={keyOf(row)}
          row={row}
          step={{ left: `${place(row.from)}%`, width: `${place(row.to) - place(row.from)}%` }}
          open={open !== null && keyOf(open) === keyOf(row)}
          onOpen={() => onOpen({ reason: row.reason, by: row.by })}
        />
      ))}
      <Sum audience={audience} heldBack={heldBack} willGet={willGet} />
      <Key />
    </div>
  );
}

interface ReasonRowProps {
  row: Preflight['reasons'][number];
  /** Where in the enlarged end its contacts are. */
  step: { left: string; width: string };
  open: boolean;
  onOpen: () => void;
}

function ReasonRow({ row, step, open, onOpen }: ReasonRowProps) {
  return (
    <button
      type="button"
      className={open ? `${css.reasonRow} open` : css.reasonRow}
      aria-expanded={open}
      onClick={onOpen}
    >
      <span className={css.what} title={row.by ? leftOutWords(row.by) : undefined}>
        <ReasonMark reason={row.reason} />
        {row.by ? <span className="second">: {row.by.name}</span> : null}
      </span>
      <span className="figure">
        <span className="door">{count(row.contacts)}</span>
      </span>
      <span className={`${css.three} second`}>{row.sample.map((one) => one.name ?? one.address).join(', ')}</span>
      <span className={css.step}>
        <i style={{ ...step, background: TONE_COLOURS[REASON_LOOK[row.reason].tone] }} />
      </span>
    </button>
  );
}

/** The lines that open the held-back end of the strip into the enlargement below. */
function Wedge({ share }: { share: number }) {
  return (
    <svg
      viewBox="0 0 100 8"
      preserveAspectRatio="none"
      width="100%"
      height={20}
      aria-hidden
      style={{ display: 'block' }}
    >
      <polygon points={`${100 * share},0 100,0 100,8 66,8`} fill="var(--av-board)" />
      <line
        x1={100 * share}
        y1={0}
        x2={66}
        y2={8}
        stroke="var(--av-rule)"
        strokeDasharray="2 2"
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  );
}

function Sum({ audience, heldBack, willGet }: { audience: number; heldBack: number; willGet: number }) {
  return (
    <div className={css.reasonSum}>
      <strong>Held back</strong>
      <strong className="figure">{count(heldBack)}</strong>
      <span style={{ paddingLeft: 16 }}>
        {count(audience)} − {count(heldBack)} = {count(willGet)}
      </span>
    </div>
  );
}

function Key() {
  const tones = [
    ['stop', 'must not be written to'],
    ['look', 'somebody could mend this'],
    ['calm', 'set aside, this time or on purpose'],
  ] as const;
  return (
    <div className="row second" style={{ marginTop: 12, gap: 16 }}>
      {tones.map(([tone, words]) => (
        <span key={tone} className="mark">
          <span style={{ width: 11, height: 11, background: TONE_COLOURS[tone] }} />
          {words}
        </span>
      ))}
    </div>
  );
}

/** A line of the hold-backs: a reason, and if it leaves people out, by what. */
export type OpenReason = Pick<Preflight['reasons'][number], 'reason' | 'by'>;
const keyOf = ({ reason, by }: OpenReason): string => (by ? `${by.kind} ${by.id}` : reason);

/** Which line's contacts are open, if any. */
export function useOpenReason(): [OpenReason | null, (open: OpenReason) => void] {
  const [open, setOpen] = useState<OpenReason | null>(null);
  return [open, (line) => setOpen((was) => (was && keyOf(was) === keyOf(line) ? null : line))];
}
