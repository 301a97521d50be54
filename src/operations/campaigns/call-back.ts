import { inRetriedTransaction } from '../../store/database.ts';
import { countOnTheirWay, recallClaimedDeliveries } from '../../store/statements/deliveries.ts';
import type { Deps } from '../deps.ts';

/** How long an act that suppresses somebody waits for messages to them that are on their way at that instant. */
const LONGEST_WAIT_MS = 2000;
const LOOK_AGAIN_MS = 20;

/**
 * Called after the commit of whatever made contacts ineligible: takes them out of sends that are under way. What was
 * claimed goes back to the first gate; what is being handed over at this very instant is waited for, so that no message
 * leaves after Avendel has said that the contact is suppressed. Returns how many were still on their way at the end.
 */
export async function callBackFromSends(deps: Deps, contactIds: number[] | 'all'): Promise<number> {
  if (contactIds !== 'all' && contactIds.length === 0) return 0;
  // The gate locks the same rows in its own order: whichever of the two is made to give way tries again.
  await inRetriedTransaction(deps.database, (sql) => recallClaimedDeliveries(sql, contactIds));
  const until = Date.now() + LONGEST_WAIT_MS;
  let onTheirWay = await countOnTheirWay(deps.database, contactIds);
  while (onTheirWay > 0 && contactIds !== 'all' && Date.now() < until) {
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
    onTheirWay = await countOnTheirWay(deps.database, contactIds);
  }
  return onTheirWay;
}
