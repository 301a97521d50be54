import { overWholeSet } from '../../store/database.ts';
import { compareNoted } from '../../store/statements/acts.ts';
import { listCatchingUp, type CatchingUp } from '../../store/statements/catching-up.ts';
import { compareMailed } from '../../store/statements/mailed.ts';
import { compareTallies } from '../../store/statements/tallies.ts';
import type { Deps } from '../deps.ts';

/** What was counted anew, and what differed; there must be nothing. */
export interface CheckedTallies {
  /** Tallies, from the ledger. */
  tallies: { rows: number; differing: number; sample: string[] };
  /** What is noted on each message of what came of it, from the events; contacts of those that differ. */
  messages: { rows: number; differing: number; sample: number[] };
  /** Which messages reached each contact, from the ledger; contacts that differ. */
  mailed: { rows: number; differing: number; sample: number[] };
  /** What was stored before this version and is not taken in yet is not compared. */
  catchingUp: CatchingUp[];
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
