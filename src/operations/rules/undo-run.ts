import { inTransaction } from '../../store/database.ts';
import { findRun, finishRun, insertRun } from '../../store/statements/journal.ts';
import { closeUndoneRun, listMovedOn, removeBroughtIn, undoRunChanges } from '../../store/statements/undo-run.ts';
import { holdAgain } from '../../store/statements/storms.ts';
import { undoRejudging } from '../events/rejudge-acts.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { forgetCostly } from '../remember.ts';
import { todayOf } from './sunset-rule.ts';

export interface UndoneRun {
  runId: number;
  restored: number;
  leftAlone: number;
  /** Contacts that an import had brought in, and of whom nothing else is known. */
  removed: number;
  /** The first hundred that something changed again since, and that stay as they are. */
  movedOn: { contactId: number | null; address: string | null; subject: string }[];
}

/**
 * Puts back every mark, subscription and suppression that a run changed, except what something changed again later. Whom
 * an import brought in, and of whom nothing else is known, is removed.
 */
export async function undoRun(deps: Deps, runId: number, reason: string, actor: string): Promise<UndoneRun> {
  const run = found(await findRun(deps.database, runId), `run ${runId}`);
  if (run.undoneByRunId !== null)
    throw new Problem('wrong-state', `Run ${runId} was undone by run ${run.undoneByRunId}.`);
  if (run.kind === 'erase') throw new Problem('wrong-state', `Run ${runId} erased people. That cannot be undone.`);
  if (run.finishedAt === null)
    throw new Problem('wrong-state', `Run ${runId} is still under way; undo it when it has finished.`);
  const undone = await inTransaction(deps.database, async (sql) => {
    const movedOn = await listMovedOn(sql, runId, 100);
    const id = await insertRun(sql, { kind: 'undo', brandId: run.brandId, actor, reason, undoesRunId: runId });
    if (!(await closeUndoneRun(sql, runId, id)))
      throw new Problem('wrong-state', `Run ${runId} was undone by somebody else meanwhile.`);
    const act = { actorKind: 'person' as const, actor, runId: id };
    const counts = await undoRunChanges(sql, runId, act);
    const removed = run.kind === 'import' ? await removeBroughtIn(sql, runId, id) : 0;
    await holdAgain(sql, runId);
    const acts = await undoRejudging(deps, sql, runId);
    await finishRun(sql, id, {
      restored: counts.restored,
      leftAlone: counts.leftAlone,
      ...(removed > 0 ? { removed } : {}),
      ...(acts > 0 ? { acts } : {}),
    });
    return {
      runId: id,
      ...counts,
      removed,
      movedOn: movedOn.map(({ contactId, address, subject }) => ({ contactId, address, subject })),
    };
  });
  if (run.brandId !== null) forgetCostly(deps, todayOf(run.brandId));
  await callBackFromSends(deps, 'all');
  return undone;
}
