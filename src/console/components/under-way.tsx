import type { ReactNode } from 'react';
import { paceWords } from '../../client/wording/pace.ts';

/**
 * Long work: how far it is, how fast it goes, how long it still takes, and the buttons that stop it. `since` and
 * `countedAt` are instants; `before` was done at `since` already.
 */
export function UnderWay({
  label,
  done,
  whole,
  since,
  before = 0,
  countedAt,
  children,
}: {
  label: string;
  done: number;
  whole: number;
  since: string | null;
  before?: number;
  /** Milliseconds since the epoch. */
  countedAt: number;
  children?: ReactNode;
}) {
  const seconds = since === null ? 0 : (countedAt - Date.parse(since)) / 1000;
  return (
    <>
      <div
        className="bar-box"
        role="progressbar"
        aria-label={label}
        aria-valuenow={done}
        aria-valuemin={0}
        aria-valuemax={whole}
      >
        <div style={{ width: `${(100 * done) / Math.max(1, whole)}%` }} />
      </div>
      <div className="row apart" style={{ marginTop: 8 }}>
        <span className="second">{paceWords(done, whole, seconds > 0 ? (done - before) / seconds : 0)}</span>
        <span className="row">{children}</span>
      </div>
    </>
  );
}
