import type { ReactNode } from 'react';
import { Await } from './page.tsx';
import { Turn, type Pages } from './turn.tsx';

/** A table of rows, which fold on a phone. `heads` are the cells of its head; most short tables need none. */
export function Rows({ heads, children }: { heads?: ReactNode; children: ReactNode }) {
  return (
    <table className="rows folds">
      {heads ? (
        <thead>
          <tr>{heads}</tr>
        </thead>
      ) : null}
      <tbody>{children}</tbody>
    </table>
  );
}

interface Props<T> {
  of: { data: { items: T[]; next: string | null } | undefined; error: unknown };
  pages: Pages;
  size: number;
  /** What is said in place of a table without rows. */
  none: string;
  heads?: ReactNode;
  children: (item: T) => ReactNode;
}

/** One page of a list as a table, with the ways to the others. */
export function PageOfRows<T>({ of, pages, size, none, heads, children }: Props<T>) {
  return (
    <Await of={of}>
      {({ items, next }) => (
        <>
          {items.length === 0 ? <p className="second">{none}</p> : <Rows heads={heads}>{items.map(children)}</Rows>}
          <Turn pages={pages} next={next} size={size} />
        </>
      )}
    </Await>
  );
}
