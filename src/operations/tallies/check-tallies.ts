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

const SAMPLE = 20;

/** Counts all tallies anew and says what differs. Changes nothing. */
export async function checkTallies(deps: Deps): Promise<CheckedTallies> {
  const catchingUp = (await listCatchingUp(deps.database)).filter(({ finishedAt }) => finishedAt === null);
  const compared = <T>({ rows, differing }: { rows: number; differing: T[] }) => ({
    rows,
    differing: differing.length,
    sample: differing.slice(0, SAMPLE),
  });
  return {
    tallies: compared(await overWholeSet(deps.database, compareTallies)),
    messages: compared(await overWholeSet(deps.database, compareNoted)),
    mailed: compared(await overWholeSet(deps.database, compareMailed)),
    catchingUp,
  };
}
