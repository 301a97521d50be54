import { beginAct, previewAct, type ActRequest } from '../../src/operations/acts/act-on-contacts.ts';
import { beginVerdicts } from '../../src/operations/verifications/verify.ts';
import type { Deps } from '../../src/operations/deps.ts';
import { beginRejudging } from '../../src/operations/events/rejudge-acts.ts';
import { beginAutomated } from '../../src/operations/rules/automated-addresses.ts';
import { beginBounces } from '../../src/operations/rules/bounce-rule.ts';
import { beginSunset } from '../../src/operations/rules/sunset-rule.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import type { RunRow } from '../../src/store/statements/journal.ts';
import { listLeftAlone } from '../../src/store/statements/undo-run.ts';

/** Runs, begun and worked through to their end. */
export const applyAct = async (
  deps: Deps,
  request: ActRequest & { expect: number; reason: string; actor: string },
): Promise<RunRow> =>
  workThrough(
    deps,
    await beginAct(deps, { ...request, expectMailable: (await previewAct(deps, request)).stillMailable.contacts }),
  );
export const applySunsetRule = async (deps: Deps, request: Parameters<typeof beginSunset>[1]): Promise<RunRow> =>
  workThrough(deps, await beginSunset(deps, request));
export const applyBounceRule = async (deps: Deps, request: Parameters<typeof beginBounces>[1]): Promise<RunRow> =>
  workThrough(deps, await beginBounces(deps, request));
export const applyAutomated = async (deps: Deps, request: Parameters<typeof beginAutomated>[1]): Promise<RunRow> =>
  workThrough(deps, await beginAutomated(deps, request));
export const rejudgeActs = async (deps: Deps, request: Parameters<typeof beginRejudging>[1]): Promise<RunRow> =>
  workThrough(deps, await beginRejudging(deps, request));
export const applyVerification = async (
  deps: Deps,
  id: number,
  request: Parameters<typeof beginVerdicts>[2],
): Promise<RunRow> => workThrough(deps, await beginVerdicts(deps, id, request));

/** The undo of a run, with its counts and what it left alone. */
export async function undoRun(deps: Deps, runId: number, reason: string, actor: string) {
  const { id, counts } = await workThrough(deps, await beginUndo(deps, runId, reason, actor));
  return { runId: id, ...counts, movedOn: await listLeftAlone(deps.database, id, 0, 100) } as {
    runId: number;
    restored: number;
    leftAlone: number;
    removed?: number;
    movedOn: Awaited<ReturnType<typeof listLeftAlone>>;
  };
}
