import { IconX } from '@tabler/icons-react';
import { useEffect, useRef, type ReactNode } from 'react';
import { Link } from 'react-router';
import { Refusal } from '../../client/send.ts';
import css from './page.module.css';

/** What is looked at, the finding itself, and one plain paragraph of further facts. */
export function Finding({ line, headline, children }: { line: ReactNode; headline: ReactNode; children?: ReactNode }) {
  const title = useRef<HTMLHeadingElement>(null);
  // The tab says what its page does.
  useEffect(() => {
    document.title = `${title.current?.textContent ?? ''} · Avendel`;
  });
  return (
    <header className="finding">
      <div className="line">{line}</div>
      <h1 ref={title}>{headline}</h1>
      {children === undefined ? null : <div className={css.paragraph}>{children}</div>}
    </header>
  );
}

/** A wide leaf in reading order and, beyond the double hairline, a margin with what follows from it. */
export function Leaf({
  children,
  margin,
  mirrored = false,
}: {
  children: ReactNode;
  margin: ReactNode;
  mirrored?: boolean;
}) {
  const aside = <aside className={css.margin}>{margin}</aside>;
  return (
    <div className={mirrored ? `${css.leaf} ${css.mirrored}` : css.leaf}>
      {mirrored ? aside : null}
      <div style={{ minWidth: 0 }}>{children}</div>
      {mirrored ? null : aside}
    </div>
  );
}

export function Section({ head, beside, children }: { head: ReactNode; beside?: ReactNode; children?: ReactNode }) {
  return (
    <section className="section">
      <header>
        <h2>{head}</h2>
        {beside === undefined ? null : <span className="second">{beside}</span>}
      </header>
      {children}
    </section>
  );
}

/** A figure that opens the list behind it: a link, or a button where it opens on the page. */
export function Door({
  to,
  onClick,
  children,
  label,
}: {
  to?: string;
  onClick?: () => void;
  children: ReactNode;
  label?: string;
}) {
  if (to !== undefined) {
    return (
      <Link className="door" to={to} aria-label={label}>
        {children}
      </Link>
    );
  }
  return (
    <button type="button" className="door" onClick={onClick} aria-label={label}>
      {children}
    </button>
  );
}

/** What went wrong, where, and what to do: from the service's own words. */
export function ProblemNote({ error }: { error: unknown }) {
  if (!error) return null;
  const problem =
    error instanceof Refusal
      ? error.problem
      : { detail: 'The service does not answer.', next: 'Look whether it is running, and try again.' };
  return (
    <div className="problem" role="alert">
      <IconX size={16} style={{ flex: 'none', marginTop: 3 }} aria-hidden />
      <span>
        {problem.detail} <span className="next">{problem.next}</span>
      </span>
    </div>
  );
}

/** Hairlines of the rows to come. */
export function Loading({ rows = 6 }: { rows?: number }) {
  return (
    <div role="status" aria-label="loading">
      {Array.from({ length: rows }, (_, index) => (
        <div key={index} className={css.loadingRow} />
      ))}
    </div>
  );
}

/** State in the one order: error, loading, data. */
export function Await<T>({
  of,
  rows,
  children,
}: {
  of: { data: T | undefined; error: unknown };
  rows?: number;
  children: (data: T) => ReactNode;
}) {
  if (of.data !== undefined) return children(of.data);
  return of.error ? <ProblemNote error={of.error} /> : <Loading rows={rows} />;
}

export interface LedgerLine {
  sign?: '+' | '−';
  words: ReactNode;
  figure: ReactNode;
}

/** A sum as in bookkeeping: lines, a single rule, the total, a double rule; below, whether a fresh count agrees. */
export function Ledger({ lines, total, note }: { lines: LedgerLine[]; total: LedgerLine; note?: ReactNode }) {
  return (
    <>
      <table className="ledger">
        <tbody>
          {lines.map((line, index) => (
            <tr key={index}>
              <td className="sign">{line.sign}</td>
              <td>{line.words}</td>
              <td className="figure">{line.figure}</td>
            </tr>
          ))}
          <tr className="total">
            <td />
            <td>{total.words}</td>
            <td className="figure">{total.figure}</td>
          </tr>
        </tbody>
      </table>
      {note === undefined ? null : (
        <p className="second" style={{ marginTop: 8 }}>
          {note}
        </p>
      )}
    </>
  );
}
