import { inRetriedTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { findRun, type RunRow } from '../../store/statements/journal.ts';
import { advanceRun, endOpenRun, stopOpenRun, takeOpenRun } from '../../store/statements/run-work.ts';
import { makeTurns } from '../../store/turns.ts';
import { acting, type Acting } from '../acts/act-on-contacts.ts';
import { erasing, type Erasing } from '../acts/erase-contacts.ts';
import { suppressingStrangers, type SuppressingStrangers } from '../reconciliations/strangers.ts';
import { takingVerdicts, type TakingVerdicts } from '../verifications/verify.ts';
import type { Deps } from '../deps.ts';
import { judgingAnew, type JudgingAnew } from '../events/rejudge-acts.ts';
import { found, Problem } from '../problem.ts';
import { findingMachines, type FindingMachines } from '../rules/automated-addresses.ts';
import { countingBounces, type CountingBounces } from '../rules/bounce-rule.ts';
import { movingStages, type MovingStages } from '../rules/sunset-rule.ts';
import { makeTries } from '../tries.ts';
import { addCounts, type Counts, type Doing, type RunOf } from '../piece.ts';
import { undoing, type Undoing } from './undo-run.ts';

type Work =
  | Acting
  | Erasing
  | SuppressingStrangers
  | TakingVerdicts
  | JudgingAnew
  | FindingMachines
  | CountingBounces
  | MovingStages
  | Undoing;

const DOINGS: { [D in Work['do']]: Doing<Extract<Work, { do: D }>> } = {
  act: acting,
  erase: erasing,
  strangers: suppressingStrangers,
  verdicts: takingVerdicts,
  'judge anew': judgingAnew,
  machines: findingMachines,
  bounces: countingBounces,
  stages: movingStages,
  undo: undoing,
};

/**
 * Pieces worked on at once by a process: erasing, for one, reads files by another connection than that of its piece.
 */
const turnsOf = makeTurns(4);

export type Went = 'on' | 'ended' | 'taken';

/**
 * Does the next piece of a run, or ends it: `taken` while another process is at it. A piece and how far it brought the
 * run are one transaction, so that a process that dies has done all of it or nothing.
 */
export async function workPiece(deps: Deps, runId: number): Promise<Went> {
  const { went, run } = await turnsOf(deps.database).runExclusive(() =>
    inRetriedTransaction(deps.database, async (sql): Promise<{ went: Went; run?: RunOf<Work> }> => {
      const taken = await takeOpenRun(sql, runId);
      if (taken === 'taken') return { went: 'taken' };
      if (!taken) return { went: 'ended' };
      const run = taken as RunOf<Work>;
      if (run.stopped !== null) return { went: await end(deps, sql, run, run.counts), run };
      const { after, done, changed, last } = await doingOf(run).piece(deps, sql, run);
      const counts = addCounts(run.counts, changed);
      if (last) return { went: await end(deps, sql, run, counts), run };
      await advanceRun(sql, runId, { after, done, counts });
      return { went: 'on', run };
    }),
  );
  if (run) await doingOf(run).settle?.(deps, run);
  return went;
}

async function end(deps: Deps, sql: Sql, run: RunOf<Work>, counts: Counts): Promise<'ended'> {
  const more = await doingOf(run).end?.(deps, sql, run);
  await endOpenRun(sql, run.id, addCounts(counts, more ?? {}), run.stopped !== null);
  return 'ended';
}

/** Each kind of work is done by its own. */
function doingOf(run: RunOf<Work>): Doing<Work> {
  return DOINGS[run.work.do];
}

/**
 * Does the first piece of a run at once, so that the answer to whoever began it already says what came of a small one;
 * the workers go on with the rest. What the first piece fails with they meet again, and report.
 */
export async function workFirst(deps: Deps, runId: number): Promise<RunRow> {
  const went = await workPiece(deps, runId).catch(() => 'on');
  if (went !== 'ended') deps.announce('run');
  return getRun(deps, runId);
}

/** Works a run through to its end. @throws what a piece fails with; the workers go on from there */
export async function workThrough(deps: Deps, runId: number): Promise<RunRow> {
  for (let went = await workPiece(deps, runId); went !== 'ended'; went = await workPiece(deps, runId))
    if (went === 'taken') await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
  return getRun(deps, runId);
}

const LOOK_AGAIN_MS = 50;

/**
 * Stops a run after the piece it is at. What was changed stays, and can be undone.
 * @throws Problem wrong-state, not-found
 */
export async function stopRun(deps: Deps, runId: number, actor: string): Promise<RunRow> {
  const run = await getRun(deps, runId);
  if (!(await stopOpenRun(deps.database, runId, `${actor} stopped it`)))
    throw new Problem(
      'wrong-state',
      run.finishedAt === null ? `Run ${runId} cannot be stopped, or is stopping already.` : `Run ${runId} has ended.`,
    );
  return workFirst(deps, runId);
}

async function getRun(deps: Deps, runId: number): Promise<RunRow> {
  return found(await findRun(deps.database, runId), `run ${runId}`);
}

/** Works runs on, a piece at a time; see makeTries. What fails again and again ends, and says why. */
export function makeRunTries(
  deps: Deps,
  log: (id: number, error: unknown) => void,
): (id: number) => Promise<Went | 'waits'> {
  return makeTries(deps, {
    log,
    work: (id) => workPiece(deps, id),
    standing: async (id) => (await getRun(deps, id)).done,
    async giveUp(id, tries, error) {
      const { done, whole } = await getRun(deps, id);
      const [far, of] = [done, whole].map((n) => n.toLocaleString('en-GB'));
      await stopOpenRun(
        deps.database,
        id,
        `it stopped ${tries} times after ${far} of ${of}: ${(error as Error).message}. What was changed stays and can be undone; the log of the service says more`,
      );
    },
  });
}
