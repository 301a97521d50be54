import { inTransaction } from '../../store/database.ts';
import { takeInTallies } from '../../store/statements/noted.ts';
import { findNextMailed, holdCatchingUp, noteCaughtUp, type CaughtUp } from '../../store/statements/catching-up.ts';
import { takeInMailed } from '../../store/statements/mailed.ts';
import type { Sql } from '../../store/sql.ts';
import type { Deps } from '../deps.ts';

/** Messages taken in at once: whoever hands over to the same contacts, or records their acts, waits for as long. */
const PIECE = 5_000;

type TakeIn = (sql: Sql, after: number, upto: number) => Promise<void>;
const TAKING_IN: readonly [CaughtUp, TakeIn][] = [
  ['mailed', takeInMailed],
  ['tallies', takeInTallies],
];

/**
 * Takes in a piece of what was stored before this version, beside everything else; says whether there may be more. Any
 * number of processes may try: one is at it.
 */
export async function catchUp(deps: Deps): Promise<boolean> {
  for (const [what, takeIn] of TAKING_IN)
    if (await inTransaction(deps.database, (sql) => takeInPiece(sql, what, takeIn))) return true;
  return false;
}

async function takeInPiece(sql: Sql, what: CaughtUp, takeIn: TakeIn): Promise<boolean> {
  const held = await holdCatchingUp(sql, what);
  if (!held) return false;
  const upto = await findNextMailed(sql, held.upto, PIECE);
  if (upto !== undefined) await takeIn(sql, held.upto, upto);
  await noteCaughtUp(sql, what, upto ?? held.upto, upto === undefined);
  return true;
}
