import type { ContactCost } from '../../shared/contract/cost.ts';
import { priceOfMonth, reportPriceProblems, type PriceLadder } from '../../core/cost/price-ladder.ts';
import { overWholeSet } from '../../store/database.ts';
import { countSelection } from '../../store/statements/acts-on-many.ts';
import { keepReachable } from '../../store/statements/mailable.ts';
import { selectionOf } from '../../store/statements/selection.ts';
import { findSetting, saveSetting } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';

const PRICE_LADDER = 'price-ladder';

/** What contacts cost now, and what they would once those whom no campaign can reach are archived. */
export type { ContactCost } from '../../shared/contract/cost.ts';

/**
 * How many contacts count towards the bill, how many of them no campaign can reach, and what a month costs with and
 * without these.
 */
export async function countCost(deps: Deps): Promise<ContactCost> {
  const ladder = (await findSetting<PriceLadder>(deps.database, PRICE_LADDER)) ?? null;
  const [all, unreachable] = await overWholeSet(deps.database, async (sql) => {
    await keepReachable(sql);
    return [
      await countSelection(sql, selectionOf({}), { act: 'archive' }),
      await countSelection(sql, selectionOf({ standing: 'unreachable' }), { act: 'archive' }),
    ] as const;
  });
  const counted = all.willChange;
  const monthNow = ladder && priceOfMonth(ladder, counted);
  const monthAfter = ladder && priceOfMonth(ladder, counted - unreachable.contacts);
  return {
    ladder,
    counted,
    archived: all.contacts - all.willChange,
    unreachable: unreachable.contacts,
    monthNow,
    monthAfter,
    savingYear: monthNow === null || monthAfter === null ? null : 12 * (monthNow - monthAfter),
  };
}

/** @throws Problem invalid-input */
export async function savePriceLadder(deps: Deps, ladder: PriceLadder, actor: string): Promise<ContactCost> {
  const [problem] = reportPriceProblems(ladder);
  if (problem) throw new Problem('invalid-input', problem.message, { field: problem.field });
  await saveSetting(deps.database, PRICE_LADDER, ladder, actor);
  return countCost(deps);
}
