import type { CheckedCondition } from '../segments/condition-context.ts';
import { checkSegments } from '../segments/condition-context.ts';
import { overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { keepMatching } from '../../store/statements/conditions.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';
import type { Deps } from '../deps.ts';

/** A campaign as eligibility sees it. */
export function judgedMessage(campaign: Campaign): JudgedMessage {
  return {
    campaignId: campaign.id,
    brandId: campaign.brandId,
    purpose: campaign.purpose,
    listIds: campaign.listIds,
    leftOutListIds: campaign.leftOutListIds,
  };
}

/**
 * Works over the whole audience of a campaign. Its segments are worked out afresh beforehand, in the same transaction.
 * @throws Problem bad-condition when a segment can no longer be worked out
 */
export async function overAudience<T>(
  deps: Deps,
  campaign: Campaign,
  work: (sql: Sql, message: JudgedMessage) => Promise<T>,
): Promise<T> {
  const takenIn = await checkSegments(deps, campaign.brandId, campaign.segmentIds);
  const leftOut = await checkSegments(deps, campaign.brandId, campaign.leftOutSegmentIds);
  return overWholeSet(deps.database, async (sql) => {
    await keepAll(sql, 'taken_in', takenIn);
    await keepAll(sql, 'left_out', leftOut);
    const bySegments = { takenIn: takenIn.length > 0, leftOut: leftOut.length > 0 };
    return work(sql, { ...judgedMessage(campaign), bySegments });
  });
}

async function keepAll(sql: Sql, table: 'taken_in' | 'left_out', checked: CheckedCondition[]): Promise<void> {
  const [first] = checked;
  if (first)
    await keepMatching(
      sql,
      table,
      checked.map(({ condition }) => condition),
      first.context,
    );
}
