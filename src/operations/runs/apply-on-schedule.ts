import { BrandEntity } from '../../store/entities/organisation.ts';
import { withExclusiveLock } from '../../store/statements/processes.ts';
import { endTrouble, noteTrouble } from '../../store/statements/troubles.ts';
import type { Deps } from '../deps.ts';
import { workThrough } from './work-through.ts';
import { beginAutomated } from '../rules/automated-addresses.ts';
import { beginBounces } from '../rules/bounce-rule.ts';
import { beginSunset } from '../rules/sunset-rule.ts';

/** Class of the advisory locks that say "the rules are being applied on schedule". */
const SCHEDULE_LOCKS = 73_007;

/** Says of one step of the schedule that it failed. */
export type LogFailure = (error: unknown, what: string, brandId: number | null) => void;

/**
 * Applies every rule to everybody, one after the other. One that fails keeps no other from its turn: it is logged, and
 * Today says so until it goes well again. A pass that is still going on is not begun a second time beside itself, in
 * whichever process; says whether this one was begun.
 */
export async function applyRulesOnSchedule(deps: Deps, log: LogFailure): Promise<boolean> {
  const runner = deps.database.createQueryRunner();
  try {
    return await withExclusiveLock(runner, SCHEDULE_LOCKS, 0, () => applyAll(deps, log));
  } finally {
    await runner.release();
  }
}

async function applyAll(deps: Deps, log: LogFailure): Promise<void> {
  const request = { expected: null, reason: 'on schedule', actorKind: 'rule' as const };
  const step = async (what: string, brandId: number | null, begin: () => Promise<number>): Promise<void> => {
    try {
      await workThrough(deps, await begin());
      await endTrouble(deps.database, what, brandId);
    } catch (error) {
      log(error, what, brandId);
      await noteTrouble(deps.database, what, brandId, (error as Error).message).catch(() => undefined);
    }
  };
  await step('The rule of automated addresses', null, () =>
    beginAutomated(deps, { ...request, actor: 'the rule of automated addresses' }),
  );
  await step('The bounce rule', null, () => beginBounces(deps, { ...request, actor: 'the bounce rule' }));
  for (const { id } of await deps.database.getRepository(BrandEntity).find({ order: { id: 'ASC' } }))
    await step('The sunset rule', id, () => beginSunset(deps, { ...request, brandId: id, actor: 'the sunset rule' }));
}
