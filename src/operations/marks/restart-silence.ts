import { BrandEntity } from '../../store/entities/organisation.ts';
import type { Sql } from '../../store/database.ts';
import type { Act } from '../../store/statements/journal.ts';
import { findSunsetRule } from '../../store/statements/rules.ts';
import { findBuiltInLists } from '../../store/statements/suppression.ts';
import { applyStages } from '../../store/statements/sunset-stages.ts';
import type { Deps } from '../deps.ts';

/** Works out the stage of these contacts at every brand again, after a person lifted their sunset entry. */
export async function restartSilence(deps: Deps, sql: Sql, contactIds: number[], act: Act): Promise<void> {
  if (contactIds.length === 0) return;
  const lists = await findBuiltInLists(sql);
  for (const brand of await sql.getRepository(BrandEntity).find()) {
    const { rule } = await findSunsetRule(sql, brand.id);
    await applyStages(sql, brand.id, rule, deps.now(), contactIds, lists.get(`sunset ${brand.id}`)!, act);
  }
}
