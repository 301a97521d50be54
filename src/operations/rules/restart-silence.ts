import type { Sql } from '../../store/sql.ts';
import type { Act } from '../../store/statements/journal.ts';
import type { Deps } from '../deps.ts';
import { moveToStage } from './sunset-rule.ts';

/**
 * Works out the stage of these contacts again, each at the brand whose sunset entry a person lifted, and at no other.
 */
export async function restartSilence(
  deps: Deps,
  sql: Sql,
  lifted: { contactId: number; brandId: number }[],
  act: Act,
): Promise<void> {
  for (const brandId of new Set(lifted.map((one) => one.brandId))) {
    const contactIds = lifted.filter((one) => one.brandId === brandId).map(({ contactId }) => contactId);
    await moveToStage(deps, sql, brandId, contactIds, act);
  }
}
