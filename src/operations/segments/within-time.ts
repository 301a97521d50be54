import type { EntityManager } from 'typeorm';
import { byAnyPlan, inTransaction, isStopped, overWholeSet, type Sees } from '../../store/database.ts';
import { keepAmong } from '../../store/statements/among.ts';
import { keepMatching, limitCounting } from '../../store/statements/conditions.ts';
import { keepReachable } from '../../store/statements/mailable.ts';
import type { ContactFilter } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkCondition } from './condition-context.ts';

const DAY_MS = 86_400_000;

/** A count that somebody waits for is stopped after so long. */
const LONGEST_MS = 30_000;

/** Works over the whole set, and stops when that takes too long. @throws Problem took-too-long */
export async function withinTime<T>(
  deps: Deps,
  work: (sql: EntityManager, next: () => void) => Promise<T>,
  sees?: Sees,
): Promise<T> {
  try {
    return await overWholeSet(
      deps.database,
      async (sql, next) => {
        await limitCounting(sql, LONGEST_MS);
        return work(sql, next);
      },
      sees,
    );
  } catch (error) {
    if (!isStopped(error)) throw error;
    throw new Problem(
      'took-too-long',
      `Counting took longer than ${LONGEST_MS / 1000} seconds and was stopped. Nothing was changed.`,
    );
  }
}

const NOTHING = { where: null, brandId: null, among: null };

/**
 * Works in one transaction in which a filter's condition, whom a figure counts, and who can be reached where that is
 * asked for, have been worked out beforehand.
 * @throws Problem bad-condition, took-too-long
 */
export async function overFilter<T>(
  deps: Deps,
  filter: Pick<ContactFilter, 'where' | 'brandId' | 'among' | 'since'> | null,
  work: (sql: EntityManager) => Promise<T>,
  { sees, byReach = false }: { sees?: Sees; byReach?: boolean } = {},
): Promise<T> {
  const { where, brandId, among } = filter ?? NOTHING;
  if (where === null && among === null && !byReach) return inTransaction(deps.database, work, sees);
  const since = filter?.since ?? new Date(deps.now().getTime() - DAY_MS);
  const checked = where === null ? null : await checkCondition(deps, brandId, where);
  return withinTime(
    deps,
    async (sql, next) => {
      if (checked) await keepMatching(sql, 'matching', [checked.condition], checked.context);
      if (byReach) await keepReachable(sql);
      if (among !== null) await keepAmong(sql, among, brandId, since);
      await byAnyPlan(sql);
      // Counting is limited; an act on many that goes on from there takes what it takes.
      await limitCounting(sql, 0);
      next();
      return work(sql);
    },
    sees,
  );
}
