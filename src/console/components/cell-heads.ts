import { useEffect, type RefObject } from 'react';
import { useNarrow } from './narrow.ts';

/**
 * On a phone the rows of a table fold, and their heads are out of sight: each figure then carries the head of its
 * column, as `data-head`, which style.css writes before it.
 */
export function useCellHeads(page: RefObject<HTMLElement | null>): void {
  const narrow = useNarrow();
  useEffect(() => {
    if (!narrow || !page.current) return;
    const name = (): void => page.current?.querySelectorAll<HTMLTableElement>('table.folds').forEach(nameCells);
    name();
    const watching = new MutationObserver(name);
    watching.observe(page.current, { childList: true, subtree: true });
    return () => watching.disconnect();
  }, [narrow, page]);
}

function nameCells(table: HTMLTableElement): void {
  const heads = [...(table.tHead?.rows[0]?.cells ?? [])].map((head) => head.textContent.trim());
  for (const row of [...table.tBodies].flatMap((body) => [...body.rows]))
    if (row.cells.length === heads.length)
      for (const [index, cell] of [...row.cells].entries())
        if (cell.dataset['head'] !== heads[index]) cell.dataset['head'] = heads[index]!;
}
