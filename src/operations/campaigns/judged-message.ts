import { checkSegments, together } from '../segments/condition-context.ts';
import { overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { keepLeftOut, keepMatching } from '../../store/statements/conditions.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';
import type { Deps } from '../deps.ts';
import { conditionsOf, findLeavesOut, type LeavesOut } from './leaving-out.ts';

/** A campaign as eligibility sees it, with what leaves people out of it. */
export function judgedMessage(campaign: Campaign, leavesOut: readonly LeavesOut[]): JudgedMessage {
  return {
    campaignId: campaign.id,
    brandId: campaign.brandId,
    purpose: campaign.purpose,
    listIds: campaign.listIds,
    leftOutListIds: leavesOut.map(({ listId }) => listId),
  };
}

/**
 * Works over the whole audience of a campaign. Its segments, and what leaves people out of it, are worked out afresh
 * beforehand, in the same transaction.
 * @throws Problem bad-condition when a segment or a standing exclusion can no longer be worked out
 */
export async function overAudience<T>(
  deps: Deps,
  campaign: Campaign,
  work: (sql: Sql, message: JudgedMessage, leavesOut: readonly LeavesOut[]) => Promise<T>,
): Promise<T> {
  const takenIn = await checkSegments(deps, campaign.brandId, campaign.segmentIds);
  const leavesOut = await findLeavesOut(deps, campaign);
  const conditions = conditionsOf(leavesOut);
  return overWholeSet(deps.database, async (sql) => {
    if (takenIn.length > 0)
      await keepMatching(
        sql,
        'taken_in',
        takenIn.map(({ condition }) => condition),
        takenIn.map(({ context }) => context).reduce(together),
      );
    if (conditions.length > 0) await keepLeftOut(sql, conditions);
    const bySegments = { takenIn: takenIn.length > 0, leftOut: conditions.length > 0 };
    return work(sql, { ...judgedMessage(campaign, leavesOut), bySegments }, leavesOut);
  });
}
