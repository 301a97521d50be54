import { formatCondition } from '../../core/conditions/format-condition.ts';
import type { OfBrandOrAll } from '../../shared/contract/caps.ts';
import type { LeftOutOfBrand, NewExclusion } from '../../shared/contract/exclusions.ts';
import { inTransaction, violates } from '../../store/database.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { BrandEntity, ListEntity, type Brand } from '../../store/entities/organisation.ts';
import { noteChange, raiseVersion } from '../../store/statements/campaigns.ts';
import { keepFirstMet } from '../../store/statements/conditions.ts';
import {
  countLeftOut,
  deleteSetAside,
  endExclusion as endWithin,
  findExclusion,
  holdClaims,
  insertExclusion,
  insertSetAside,
  listExclusions,
  listSetAside,
  type ExclusionRow,
  type NewRow,
  type SetAsideRow,
} from '../../store/statements/exclusions.ts';
import { keepMailable } from '../../store/statements/mailable.ts';
import { findSegment, lockSegment } from '../../store/statements/segments.ts';
import type { Deps } from '../deps.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { found, Problem } from '../problem.ts';
import { checkCondition } from '../segments/condition-context.ts';
import { withinTime } from '../segments/within-time.ts';
import { getCampaign } from './edit-campaign.ts';
import { conditionsOf, leavesOutOf } from './leaving-out.ts';

/** Standing exclusions that hold for a brand, or all; with those that have ended if that is asked for. */
export async function lookAtExclusions(deps: Deps, { brandId, ended }: OfBrandOrAll): Promise<ExclusionRow[]> {
  return listExclusions(deps.database, brandId ?? null, ended ?? false);
}

/**
 * Whom a standing exclusion would leave out of what each brand it holds for may write to now. Nothing is kept.
 * @throws Problem bad-condition, not-found, took-too-long
 */
export async function previewExclusion(deps: Deps, one: NewExclusion): Promise<LeftOutOfBrand[]> {
  const { brands, row } = await check(deps, one);
  const counted: LeftOutOfBrand[] = [];
  for (const brand of brands) {
    const leavesOut = await leavesOutOf(deps, { id: 0, ...row }, brand.id);
    const lists = await deps.database.getRepository(ListEntity).findBy({ brandId: brand.id });
    const found = await withinTime(deps, async (sql) => {
      const conditions = conditionsOf([leavesOut]);
      if (conditions.length > 0) await keepFirstMet(sql, 'left_out', conditions);
      await keepMailable(sql, { id: brand.id, listIds: lists.map(({ id }) => id) }, null);
      return countLeftOut(sql, leavesOut.listId);
    });
    counted.push({ brandId: brand.id, brandName: brand.name, ...found });
  }
  return counted;
}

/**
 * Leaves a list, a segment, or whomever a condition matches, out of every marketing campaign of a brand or of all. When
 * it is said to be in effect, nobody passes the gate any more whom it leaves out.
 * @throws Problem bad-condition, name-taken, not-found, took-too-long; invalid-input when it leaves out everybody to
 *   whom
 *    a brand may write
 */
export async function createExclusion(deps: Deps, one: NewExclusion & { actor: string }): Promise<ExclusionRow> {
  const { brands, row } = await check(deps, one);
  const empty = (await previewExclusion(deps, one)).find(
    ({ mayBeWritten, leftOut }) => mayBeWritten > 0 && leftOut === mayBeWritten,
  );
  if (empty)
    throw new Problem(
      'invalid-input',
      `It would leave out all ${empty.leftOut} contacts to whom ${empty.brandName} may write. Nothing was kept.`,
      { field: one.listId ? 'listId' : one.segmentId ? 'segmentId' : 'condition' },
    );
  try {
    const id = await inTransaction(deps.database, async (sql) => {
      // Held: it is not removed meanwhile.
      if (row.segmentId !== null && !(await lockSegment(sql, row.segmentId)))
        throw new Problem('not-found', `There is no segment ${row.segmentId}.`, { field: 'segmentId' });
      await holdClaims(sql);
      return insertExclusion(sql, { ...row, by: one.actor });
    });
    if (brands.length > 0) await callBackFromSends(deps, 'all');
    return await getExclusion(deps, id);
  } catch (error) {
    if (violates(error, 'exclusion_key'))
      throw new Problem('name-taken', `There is a standing exclusion “${one.name}” already.`, { field: 'name' });
    throw error;
  }
}

/** A standing exclusion as it is kept, and the brands for which it would hold; of all, it can be asked of each. */
async function check(deps: Deps, one: NewExclusion): Promise<{ brands: Brand[]; row: Omit<NewRow, 'by'> }> {
  const whose = one.brandId ? `brand ${one.brandId}` : 'the organisation';
  const repository = deps.database.getRepository(BrandEntity);
  const brands = await (one.brandId
    ? repository.findBy({ id: one.brandId })
    : repository.find({ order: { id: 'ASC' } }));
  if (brands.length === 0) throw new Problem('not-found', `There is no ${one.brandId ? whose : 'brand yet'}.`);
  let condition: string | null = null;
  if (one.condition !== undefined)
    for (const { id } of brands) condition = formatCondition((await checkCondition(deps, id, one.condition)).condition);
  for (const [kind, id, field, thing] of [
    [
      'list',
      one.listId,
      'listId',
      one.listId && (await deps.database.getRepository(ListEntity).findOneBy({ id: one.listId })),
    ],
    ['segment', one.segmentId, 'segmentId', one.segmentId && (await findSegment(deps.database, one.segmentId))],
  ] as const)
    if (id !== undefined && !(thing && brands.some((brand) => brand.id === thing.brandId)))
      throw new Problem('not-found', `There is no ${kind} ${id} of ${whose}.`, { field });
  const row = {
    brandId: one.brandId ?? null,
    name: one.name,
    listId: one.listId ?? null,
    segmentId: one.segmentId ?? null,
    condition,
    reason: one.reason,
  };
  return { brands, row };
}

/** Ends a standing exclusion; who is left out by it already stays left out. @throws Problem not-found, wrong-state */
export async function endExclusion(deps: Deps, id: number, because: string, actor: string): Promise<ExclusionRow> {
  const { name } = await getExclusion(deps, id);
  const ended = await inTransaction(deps.database, async (sql) => {
    await holdClaims(sql);
    return endWithin(sql, id, because, actor);
  });
  if (!ended) throw new Problem('wrong-state', `“${name}” has ended already.`);
  return getExclusion(deps, id);
}

/** @throws Problem not-found */
async function getExclusion(deps: Deps, id: number): Promise<ExclusionRow> {
  return found(await findExclusion(deps.database, id), `standing exclusion ${id}`);
}

/** What a campaign has set aside. @throws Problem not-found */
export async function lookAtSetAside(deps: Deps, campaignId: number): Promise<SetAsideRow[]> {
  await getCampaign(deps, campaignId);
  return listSetAside(deps.database, campaignId);
}

/**
 * Does without a standing exclusion in one draft. It stands in the campaign's record and in its report.
 * @throws Problem not-found, wrong-state
 */
export async function setExclusionAside(
  deps: Deps,
  campaignId: number,
  { exclusionId, reason, actor }: { exclusionId: number; reason: string; actor: string },
): Promise<Campaign> {
  const [campaign, exclusion] = [await getCampaign(deps, campaignId), await getExclusion(deps, exclusionId)];
  if (exclusion.endedAt !== null || (exclusion.brandId !== null && exclusion.brandId !== campaign.brandId))
    throw new Problem('not-found', `“${exclusion.name}” does not hold for “${campaign.name}”.`, {
      field: 'exclusionId',
    });
  return changeSetAside(deps, campaign, async (sql) => {
    if (!(await insertSetAside(sql, { campaignId, exclusionId, reason, by: actor })))
      throw new Problem('wrong-state', `“${campaign.name}” has set “${exclusion.name}” aside already.`);
    await noteChange(sql, campaignId, `set “${exclusion.name}” aside: ${reason}`, { actorKind: 'person', actor });
  });
}

/** Takes up again what a draft has set aside. @throws Problem not-found, wrong-state */
export async function takeExclusionUp(
  deps: Deps,
  campaignId: number,
  exclusionId: number,
  actor: string,
): Promise<Campaign> {
  const [campaign, exclusion] = [await getCampaign(deps, campaignId), await getExclusion(deps, exclusionId)];
  return changeSetAside(deps, campaign, async (sql) => {
    if (!(await deleteSetAside(sql, campaignId, exclusionId)))
      throw new Problem('not-found', `“${campaign.name}” has not set “${exclusion.name}” aside.`);
    await noteChange(sql, campaignId, `took “${exclusion.name}” up again`, { actorKind: 'person', actor });
  });
}

/** A change of the draft, as any other: who looked at it before starts it no more. */
async function changeSetAside(
  deps: Deps,
  { id, name, state }: Campaign,
  change: (sql: Parameters<typeof raiseVersion>[0]) => Promise<void>,
): Promise<Campaign> {
  await inTransaction(deps.database, async (sql) => {
    if (!(await raiseVersion(sql, id)))
      throw new Problem(
        'wrong-state',
        `“${name}” is ${state === 'draft' ? 'no draft any more' : state}; only a draft can be changed.`,
      );
    await change(sql);
  });
  return getCampaign(deps, id);
}
