import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { findRun, insertRun, type RunRow } from '../../store/statements/journal.ts';
import { findRuleToPutBack, findSunsetRule, noteRuleOfRun, saveSunsetRule } from '../../store/statements/rules.ts';
import { holdAgain } from '../../store/statements/storms.ts';
import {
  closeUndoneRun,
  keepUndoTargets,
  lockToUndo,
  reopenUndoneRun,
  removeBroughtIn,
  undoRunChanges,
} from '../../store/statements/undo-run.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { undoRejudging } from '../events/rejudge-acts.ts';
import { found, Problem } from '../problem.ts';
import { forgetCostly } from '../remember.ts';
import { todayOf } from '../rules/sunset-rule.ts';
import { actOfRun, overTargets, type Counts, type Doing } from '../piece.ts';

/** The undoing of a run, as a run: its targets are whom that run changed something of. */
export interface Undoing {
  do: 'undo';
  /** The run that is undone. */
  run: number;
  /** It was an import: whom it brought in, and of whom nothing else is known, is removed. */
  imported: boolean;
  by: 'person';
}

/**
 * Begins to put back every mark, subscription and suppression that a run changed, except what something changed again
 * later: that is left, and listed. Whom an import brought in, and of whom nothing else is known, is removed. Of a run
 * that changed the ladder, `ruleToo` puts that back as well: else everybody would move again with the next of its runs.
 * @throws Problem wrong-state, not-found
 */
export async function beginUndo(
  deps: Deps,
  runId: number,
  reason: string,
  actor: string,
  ruleToo = false,
): Promise<number> {
  const run = found(await findRun(deps.database, runId), `run ${runId}`);
  if (run.undoneByRunId !== null)
    throw new Problem('wrong-state', `Run ${runId} was undone by run ${run.undoneByRunId}.`);
  if (run.kind === 'erase') throw new Problem('wrong-state', `Run ${runId} erased people. That cannot be undone.`);
  if (run.finishedAt === null)
    throw new Problem('wrong-state', `Run ${runId} is still under way; undo it when it has finished.`);
  return inTransaction(deps.database, async (sql) => {
    const work: Undoing = { do: 'undo', run: runId, imported: run.kind === 'import', by: 'person' };
    const id = await insertRun(sql, { kind: 'undo', brandId: run.brandId, actor, reason, undoesRunId: runId, work });
    if (!(await closeUndoneRun(sql, runId, id)))
      throw new Problem('wrong-state', `Run ${runId} was undone by somebody else meanwhile.`);
    await keepUndoTargets(sql, id, runId);
    if (ruleToo) await putRuleBack(sql, run, id, actor);
    return id;
  });
}

async function putRuleBack(sql: Sql, { id, brandId }: RunRow, undoId: number, actor: string): Promise<void> {
  const before = await findRuleToPutBack(sql, id);
  if (!before || brandId === null)
    throw new Problem(
      'wrong-state',
      `The ladder is not, or not any more, as run ${id} left it. Undo the run without it, and change the ladder by hand.`,
      { field: 'ruleToo' },
    );
  const { rule } = await findSunsetRule(sql, brandId);
  await saveSunsetRule(sql, brandId, before, actor);
  await noteRuleOfRun(sql, undoId, rule, before);
}

/** Puts back what the undone run changed of the next of its contacts. */
export const undoing: Doing<Undoing> = {
  piece: (_, sql, run) =>
    overTargets(sql, run, async (targets) => {
      await lockToUndo(sql, targets);
      const counts: Counts = { ...(await undoRunChanges(sql, run.work.run, targets, actOfRun(run))) };
      const removed = run.work.imported ? await removeBroughtIn(sql, run.work.run, targets, run.id) : 0;
      return removed > 0 ? { ...counts, removed } : counts;
    }),
  async end(deps, sql, { work, stopped }) {
    // What is not put back yet can be put back by another undo.
    if (stopped !== null) return reopenUndoneRun(sql, work.run).then(() => ({}));
    await holdAgain(sql, work.run);
    const acts = await undoRejudging(deps, sql, work.run);
    return acts > 0 ? { restored: 0, leftAlone: 0, acts } : { restored: 0, leftAlone: 0 };
  },
  async settle(deps, { brandId }) {
    if (brandId !== null) forgetCostly(deps, todayOf(brandId));
    await callBackFromSends(deps, 'all');
  },
};
