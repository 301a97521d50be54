import { findImport } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { failImport, runImport } from './import-contacts.ts';

/** Tries without a row more than the one before. */
const MOST_TRIES = 5;
/** Before the second try; before each further one as much longer. */
const PAUSE_MS = 1000;

interface Tries {
  count: number;
  rowsDone: number;
  /** Not before, in milliseconds. */
  next: number;
}

/**
 * Works imports through. One that stops for a reason that is not the file's is tried again, after a pause, from where it
 * stopped; when that helps nothing it fails and says so. It never stands in the way of another. `log` is told of each stop.
 */
export function makeImportTries(deps: Deps, log: (id: number, error: unknown) => void): (id: number) => Promise<void> {
  const stopped = new Map<number, Tries>();
  return async (id) => {
    const before = stopped.get(id);
    if (before && deps.now().getTime() < before.next) return;
    try {
      await runImport(deps, id);
      stopped.delete(id);
    } catch (error) {
      log(id, error);
      const rowsDone = (await findImport(deps.database, id))?.rowsDone ?? 0;
      const count = before?.rowsDone === rowsDone ? before.count + 1 : 1;
      stopped.set(id, { count, rowsDone, next: deps.now().getTime() + count * PAUSE_MS });
      if (count < MOST_TRIES) return;
      stopped.delete(id);
      await failImport(deps, id, giveUp(rowsDone, error));
    }
  };
}

function giveUp(rowsDone: number, error: unknown): string {
  return `It stopped ${MOST_TRIES} times after row ${rowsDone.toLocaleString('en-GB')}, for a reason that is not the file's: ${(error as Error).message}. What came in stays and can be undone. The log of the service says more; once that is mended, import the file again.`;
}
