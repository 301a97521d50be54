import { findImport } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { makeTries } from '../tries.ts';
import { failImport, runImport } from './import-contacts.ts';

/** Works imports through; see makeTries. One that is given up has failed, and says why. */
export function makeImportTries(
  deps: Deps,
  log: (id: number, error: unknown) => void,
): (id: number) => Promise<unknown> {
  const standing = async (id: number): Promise<number> => (await findImport(deps.database, id))?.rowsDone ?? 0;
  return makeTries(deps, {
    log,
    work: (id) => runImport(deps, id),
    standing,
    async giveUp(id, tries, error) {
      const rowsDone = (await standing(id)).toLocaleString('en-GB');
      await failImport(
        deps,
        id,
        `It stopped ${tries} times after row ${rowsDone}, for a reason that is not the file's: ${(error as Error).message}. What came in stays and can be undone. The log of the service says more; once that is mended, import the file again.`,
      );
    },
  });
}
