import { Button } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { useLocation, useSearchParams } from 'react-router';

/** Where one is in a list of many pages, and the ways from there. */
export interface Pages {
  cursor: string | undefined;
  /** Pages gone through to get here; a list that was opened in its middle knows none. */
  behind: number;
  next: (cursor: string) => void;
  back: () => void;
  first: () => void;
}

/** Cursors of the pages gone through, the first of which has none. */
type Trail = (string | null)[];

function pagesOf(cursor: string | undefined, trail: Trail, go: (cursor: string | null, trail: Trail) => void): Pages {
  return {
    cursor,
    behind: trail.length,
    next: (to) => go(to, [...trail, cursor ?? null]),
    back: () => go(trail.at(-1) ?? null, trail.slice(0, -1)),
    first: () => go(null, []),
  };
}

/** Pages of the list of a page: the cursor stands in the address, what was gone through in the browser's history. */
export function usePages(): Pages {
  const [params, setParams] = useSearchParams();
  const state = useLocation().state as { trail?: Trail } | null;
  return pagesOf(params.get('cursor') ?? undefined, state?.trail ?? [], (cursor, trail) =>
    setParams(
      (was) => {
        const now = new URLSearchParams(was);
        if (cursor === null) now.delete('cursor');
        else now.set('cursor', cursor);
        return now;
      },
      { state: { trail } },
    ),
  );
}

/** Pages of a list within a page, which begins anew when the page is opened again. */
export function useOwnPages(): Pages {
  const [at, setAt] = useState<{ cursor: string | null; trail: Trail }>({ cursor: null, trail: [] });
  return pagesOf(at.cursor ?? undefined, at.trail, (cursor, trail) => setAt({ cursor, trail }));
}

interface Props {
  pages: Pages;
  /** The cursor of the page behind this one, if there is one. */
  next: string | null;
  size: number;
}

/** The ways to the next page of a list, a page back, and to its beginning. */
export function Turn({ pages: { cursor, behind, next: go, back, first }, next, size }: Props) {
  const here = useRef<HTMLSpanElement>(null);
  const from = useRef({ cursor, next });
  // The button that was pressed may be gone, once its page is there.
  useEffect(() => {
    const hasTurned = from.current.cursor !== cursor || from.current.next !== next;
    if (hasTurned && document.activeElement === document.body) here.current?.focus({ preventScroll: true });
    from.current = { cursor, next };
  }, [cursor, next]);
  if (!next && !cursor) return null;
  return (
    <span className="row led turn" ref={here} tabIndex={-1} role="group" aria-label="Pages">
      {cursor && behind !== 1 ? <Button onClick={first}>From the beginning</Button> : null}
      {behind > 0 ? <Button onClick={back}>Back {size}</Button> : null}
      {next ? <Button onClick={() => go(next)}>Next {size}</Button> : null}
    </span>
  );
}
