import type { Sql } from '../store/sql.ts';
import type { Act } from '../store/statements/journal.ts';
import { listTargets, type OpenRun } from '../store/statements/run-work.ts';
import type { Deps } from './deps.ts';

/**
 * Targets dealt with in one transaction: short enough that nobody waits long for a lock, long enough to pay for itself.
 */
export const PIECE = 10_000;

export type Counts = Record<string, number>;

/** A run with what is to be done in it. */
export type RunOf<W> = Omit<OpenRun, 'work'> & { work: W };

/** How far a piece has brought its run. */
export interface Piece {
  after: number | null;
  /** Dealt with since the run began. */
  done: number;
  /** What this piece changed. */
  changed: Counts;
  /** Nobody is left. */
  last: boolean;
}

/** A kind of work that runs do, piece by piece. */
export interface Doing<W> {
  /**
   * The next piece, within the transaction that notes how far the run is. Whatever has changed since the run began is
   * looked at again.
   */
  piece(deps: Deps, sql: Sql, run: RunOf<W>): Promise<Piece>;
  /** Within the transaction that ends the run; what it changed is counted too. */
  end?(deps: Deps, sql: Sql, run: RunOf<W>): Promise<Counts>;
  /** After the commit of each piece and of the end. */
  settle?(deps: Deps, run: RunOf<W>): Promise<void>;
}

/** Deals with the next targets of a run. */
export async function overTargets<W>(
  sql: Sql,
  run: RunOf<W>,
  change: (targets: number[]) => Promise<Counts>,
): Promise<Piece> {
  const next = await listTargets(sql, run, PIECE + 1);
  const targets = next.slice(0, PIECE);
  // A run that concerns nobody still says so, in its counts.
  const changed = await change(targets);
  return { after: targets.at(-1) ?? run.after, done: run.done + targets.length, changed, last: next.length <= PIECE };
}

/** Whoever does what a run does, for the journal. */
export function actOfRun(run: RunOf<{ by: Act['actorKind'] }>): Act {
  return { actorKind: run.work.by, actor: run.actor, runId: run.id };
}

/** Two counts of changes as one. */
export function addCounts(one: Counts, other: Counts): Counts {
  const sum = { ...one };
  for (const [what, n] of Object.entries(other)) sum[what] = (sum[what] ?? 0) + n;
  return sum;
}
