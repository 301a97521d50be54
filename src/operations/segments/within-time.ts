import type { EntityManager } from 'typeorm';
import { byAnyPlan, inTransaction, isStopped, overWholeSet, type Sees } from '../../store/database.ts';
import { keepMatching, limitCounting } from '../../store/statements/conditions.ts';
import type { ContactFilter } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkCondition } from './condition-context.ts';

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
    throw new Problem('took-too-long', `Counting took longer than ${LONGEST_MS / 1000} seconds and was stopped. Nothing was changed.`); // prettier-ignore
  }
}

/**
 * Works in one transaction in which a filter's condition, if it has one, has been worked out beforehand.
 * @throws Problem bad-condition, took-too-long
 */
export async function overFilter<T>(
  deps: Deps,
  filter: Pick<ContactFilter, 'where' | 'brandId'> | null,
  work: (sql: EntityManager) => Promise<T>,
  sees?: Sees,
): Promise<T> {
  if (!filter || filter.where === null) return inTransaction(deps.database, work, sees);
  const { condition, context } = await checkCondition(deps, filter.brandId, filter.where);
  return withinTime(
    deps,
    async (sql, next) => {
      await keepMatching(sql, 'matching', [condition], context);
      await byAnyPlan(sql);
      // Counting is limited; an act on many that goes on from there takes what it takes.
      await limitCounting(sql, 0);
      next();
      return work(sql);
    },
    sees,
  );
}
