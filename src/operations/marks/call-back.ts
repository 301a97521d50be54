import { inRetriedTransaction } from '../../store/database.ts';
import {
  findSubAddressed,
  listOnTheirWay,
  recallClaimedDeliveries,
  type DeliveryOnItsWay,
} from '../../store/statements/deliveries.ts';
import type { Deps } from '../deps.ts';

/** How long an act that suppresses somebody waits for messages to them that are on their way at that instant. */
const LONGEST_WAIT_MS = 2000;
const LOOK_AGAIN_MS = 20;

/**
 * Called after the commit of whatever made contacts ineligible: takes them out of sends that are under way. What was
 * claimed goes back to the first gate; what is being handed over at this very instant is waited for. So whoever gets
 * the answer can rely on this: to nobody concerned is a message handed over after it, but for as many as it says were
 * still on their way. Whom an entry of these contacts' addresses stops by their sub-address is concerned too; of `all`,
 * those whom `isConcerned` names.
 */
export async function callBackFromSends(
  deps: Deps,
  contactIds: number[] | 'all',
  isConcerned: (address: string) => boolean = () => true,
): Promise<number> {
  if (contactIds !== 'all' && contactIds.length === 0) return 0;
  const ids = contactIds === 'all' ? null : [...contactIds, ...(await findSubAddressed(deps.database, contactIds))];
  // The gate locks the same rows in its own order: whichever of the two is made to give way tries again.
  await inRetriedTransaction(deps.database, (sql) => recallClaimedDeliveries(sql, ids));
  const until = Date.now() + LONGEST_WAIT_MS;
  // What passes the gate from now on was judged by what is committed. Only what passed before is waited for.
  let left = (await listOnTheirWay(deps.database, ids)).filter(({ address }) => isConcerned(address));
  while (left.length > 0 && Date.now() < until) {
    await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS));
    const now = new Set((await listOnTheirWay(deps.database, ids)).map(keyOf));
    left = left.filter((one) => now.has(keyOf(one)));
  }
  return left.length;
}

function keyOf({ campaignId, contactId, handedAt }: DeliveryOnItsWay): string {
  return `${campaignId} ${contactId} ${handedAt.getTime()}`;
}
