import { overWholeSet } from '../../store/database.ts';
import { compareNoted } from '../../store/statements/noted.ts';
import { listCatchingUp, type CatchingUp } from '../../store/statements/catching-up.ts';
import { compareMailed } from '../../store/statements/mailed.ts';
import type { CheckedTallies as Shown } from '../../shared/contract/tallies.ts';
import { compareTallies } from '../../store/statements/tallies.ts';
import type { Deps } from '../deps.ts';

export type CheckedTallies = Omit<Shown, 'catchingUp'> & { catchingUp: CatchingUp[] };

/** How far what was stored before this version has been taken in. */
export function lookAtTallies({ database }: Deps): Promise<CatchingUp[]> {
  return listCatchingUp(database);
}

/** Counts all tallies anew and says what differs. Changes nothing. */
export async function checkTallies(deps: Deps): Promise<CheckedTallies> {
  const catchingUp = (await listCatchingUp(deps.database)).filter(({ finishedAt }) => finishedAt === null);
  return {
    tallies: await overWholeSet(deps.database, compareTallies),
    messages: await overWholeSet(deps.database, compareNoted),
    mailed: await overWholeSet(deps.database, compareMailed),
    catchingUp,
  };
}
