import { inTransaction } from '../../store/database.ts';
import { holdCatchingUp, noteCaughtUp } from '../../store/statements/catching-up.ts';
import { takeInMailed } from '../../store/statements/mailed.ts';
import type { Deps } from '../deps.ts';

/** Messages of the past taken in at once: whoever hands over waits for as long. */
const PIECE = 20_000;

/**
 * Takes in a piece of what was stored before this version, beside everything else; says whether there may be more. Any
 * number of processes may try: one is at it.
 */
export function catchUp(deps: Deps): Promise<boolean> {
  return inTransaction(deps.database, async (sql) => {
    const held = await holdCatchingUp(sql, 'mailed');
    if (!held) return false;
    const upto = await takeInMailed(sql, held.upto, PIECE);
    await noteCaughtUp(sql, 'mailed', upto, upto === held.upto);
    return upto > held.upto;
  });
}
