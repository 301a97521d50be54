import { useSearchParams } from 'react-router';

export interface ListState {
  of: (name: string) => string | undefined;
  /** Changes a part of it; a list whose filter or order changed begins anew. */
  set: (name: string, value: string | null) => void;
  clear: () => void;
}

/** Filter, order and page of a list, kept in the address bar: a list can be gone back to, and sent to somebody. */
export function useListState(): ListState {
  const [params, setParams] = useSearchParams();
  return {
    of: (name) => params.get(name) || undefined,
    set: (name, value) =>
      setParams(
        (was) => {
          const now = new URLSearchParams(was);
          if (value) now.set(name, value);
          else now.delete(name);
          if (name !== 'cursor') now.delete('cursor');
          return now;
        },
        // Going back leads to the page before, not through every letter that was typed.
        { replace: name !== 'cursor' },
      ),
    clear: () => setParams({}),
  };
}
