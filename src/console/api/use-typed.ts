import { useEffect, useState } from 'react';

/** What is typed into a form, over what is kept and its version. */
interface Typing<T> {
  base: T;
  version: number;
  typed: T;
}

export interface Typed<T> {
  typed: T;
  set: (change: Partial<T>) => void;
  isChanged: boolean;
  /** The version that the typing began from: it is kept over no other. */
  version: number;
  /** Whether it was typed before this page was opened, and not kept. */
  cameBack: boolean;
  /** What somebody else kept since, with what it was when the typing began; null where nobody did. */
  meanwhile: { was: T; now: T } | null;
  /** Goes on with what was typed, over what is kept now; what was left as it was follows that. */
  goOnWithMine: () => void;
  /** Leaves what was typed, for what is kept. */
  leaveMine: () => void;
  /** What was typed when this was drawn was kept, as this version; some fields begin anew with it. */
  wasKept: (version: number, anew?: Partial<T>) => void;
  /** It was kept as something new, which has a page of its own: the tab need not keep it any longer. */
  forget: () => void;
}

/**
 * The fields of a form. What is typed and not kept stays in the browser's tab, under its `place`: whoever leaves, goes
 * back or loads the page again finds it. What somebody else keeps meanwhile is followed where nothing was typed, and
 * shown where something was.
 */
export function useTyped<T extends object>(place: string, kept: T, version: number): Typed<T> {
  const [began] = useState(() => readBack<T>(place, kept));
  const [cameBack, setCameBack] = useState(began !== null);
  const [state, setState] = useState<Typing<T>>(began ?? { base: kept, version, typed: kept });
  const isChanged = !isSame(state.typed, state.base);
  const isBehind = state.version !== version;
  // Nothing is typed, or what is typed is what is kept by now: what is kept is followed.
  const isSettled = isChanged ? isBehind && isSame(state.typed, kept) : isBehind || !isSame(state.base, kept);
  const now = isSettled ? { base: kept, version, typed: kept } : state;
  if (isSettled) setState(now);
  const isKept = isSettled || !isChanged;
  useEffect(() => {
    if (isKept) sessionStorage.removeItem(keyOf(place));
    else remember(place, state);
  }, [place, isKept, state]);
  const begin = (typing: Typing<T>): void => {
    setState(typing);
    setCameBack(false);
  };
  return {
    typed: now.typed,
    set: (change) => setState((was) => ({ ...was, typed: { ...was.typed, ...change } })),
    isChanged: !isKept,
    version: now.version,
    cameBack: cameBack && !isKept,
    meanwhile: isBehind && !isSettled ? { was: state.base, now: kept } : null,
    forget: () => sessionStorage.removeItem(keyOf(place)),
    goOnWithMine: () => begin({ base: kept, version, typed: mergeOver(kept, state) }),
    leaveMine() {
      sessionStorage.removeItem(keyOf(place));
      begin({ base: kept, version, typed: kept });
    },
    wasKept(as, anew = {}) {
      sessionStorage.removeItem(keyOf(place));
      setState((was) => ({ typed: { ...was.typed, ...anew }, base: { ...state.typed, ...anew }, version: as }));
    },
  };
}

/** Whether something was typed at a place and not kept. */
export function hasTyped(place: string): boolean {
  return sessionStorage.getItem(keyOf(place)) !== null;
}

/** Takes everything that was typed out of the browser: whoever signs in next finds none of it. */
export function forgetTyped(): void {
  for (const key of Object.keys(sessionStorage)) if (key.startsWith(PREFIX)) sessionStorage.removeItem(key);
}

const PREFIX = 'typed ';
const keyOf = (place: string): string => `${PREFIX}${place}`;

export const isSame = (one: unknown, other: unknown): boolean => JSON.stringify(one) === JSON.stringify(other);

/** What is kept, with what was typed where that is another than the typing began from. */
function mergeOver<T extends object>(kept: T, { base, typed }: Typing<T>): T {
  const keys = Object.keys(kept) as (keyof T)[];
  return Object.fromEntries(keys.map((key) => [key, isSame(typed[key], base[key]) ? kept[key] : typed[key]])) as T;
}

function remember<T>(place: string, typing: Typing<T>): void {
  try {
    sessionStorage.setItem(keyOf(place), JSON.stringify(typing));
  } catch {
    // The browser has no room for it: it stays on the page alone.
  }
}

/** What was typed before, if it has the fields that the form has now. */
function readBack<T extends object>(place: string, kept: T): Typing<T> | null {
  try {
    const found = JSON.parse(sessionStorage.getItem(keyOf(place)) ?? 'null') as Typing<T> | null;
    return found && Object.keys(kept).every((key) => key in found.typed && key in found.base) ? found : null;
  } catch {
    return null;
  }
}
