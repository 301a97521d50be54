import { inTransaction } from '../../store/database.ts';
import { foldTallies, vacuumTallyChanges } from '../../store/statements/tallies.ts';
import type { Deps } from '../deps.ts';

/** After so many folded changes their room is taken back: else each fold would go through what is deleted already. */
const VACUUM_AFTER = 50_000;

/** What folds the changes of the tallies into them, and says how many they were; 0 where another process is at it. */
export function makeFolding(deps: Deps): () => Promise<number> {
  let sinceVacuum = 0;
  return async () => {
    const folded = await inTransaction(deps.database, foldTallies, 'REPEATABLE READ');
    sinceVacuum += folded;
    if (sinceVacuum >= VACUUM_AFTER) {
      sinceVacuum = 0;
      await vacuumTallyChanges(deps.database);
    }
    return folded;
  };
}
