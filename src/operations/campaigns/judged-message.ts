import { checkCondition, checkSegments, together } from '../segments/condition-context.ts';
import { overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { keepFirstMet, keepMatching, type NumberedConditions } from '../../store/statements/conditions.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';
import { sharesOf } from '../../core/sending/wave-plan.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
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
 * The conditions of a campaign's waves, each with the number of its wave; nothing if it has none.
 * @throws Problem bad-condition, naming the wave
 */
export async function checkWaves(
  deps: Deps,
  { brandId, waves }: Pick<Campaign, 'brandId' | 'waves'>,
): Promise<NumberedConditions | undefined> {
  let found: NumberedConditions | undefined;
  for (const [index, { of }] of (waves ?? []).entries()) {
    if (!('condition' in of)) continue;
    const { condition, context } = await checkCondition(deps, brandId, of.condition).catch((error: unknown) => {
      if (!(error instanceof Problem)) throw error;
      throw new Problem(error.code, `Wave ${index + 1}: ${error.detail}`, { field: 'waves', extra: error.extra });
    });
    found = {
      context: found ? together(found.context, context) : context,
      conditions: [...(found?.conditions ?? []), { by: index + 1, condition }],
    };
  }
  return found;
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
  const inWaves = await checkWaves(deps, campaign);
  return overWholeSet(deps.database, async (sql) => {
    if (takenIn.length > 0)
      await keepMatching(
        sql,
        'taken_in',
        takenIn.map(({ condition }) => condition),
        takenIn.map(({ context }) => context).reduce(together),
      );
    if (conditions.length > 0) await keepFirstMet(sql, 'left_out', conditions);
    if (inWaves) await keepFirstMet(sql, 'in_wave', [inWaves]);
    const bySegments = { takenIn: takenIn.length > 0, leftOut: conditions.length > 0 };
    const waves = campaign.waves && {
      byCondition: inWaves !== undefined,
      shares: sharesOf(campaign.waves),
      last: campaign.waves.length,
    };
    return work(sql, { ...judgedMessage(campaign, leavesOut), bySegments, ...(waves && { waves }) }, leavesOut);
  });
}
