import type { LeftOutBy } from '../../shared/contract/held-by.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import type { NumberedConditions } from '../../store/statements/conditions.ts';
import { listExclusionsOf, type ExclusionRow } from '../../store/statements/exclusions.ts';
import { findSegment } from '../../store/statements/segments.ts';
import { In } from 'typeorm';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { checkCondition, checkSegments, together, type CheckedCondition } from '../segments/condition-context.ts';

/** One thing that leaves people out of a campaign: those on a list, or whom a condition matches. */
export interface LeavesOut {
  by: LeftOutBy;
  /** 0 where it is a condition. */
  listId: number;
  checked: CheckedCondition | null;
}

/**
 * All that leaves people out of a campaign, in the order in which it decides: its own lists and segments, then the
 * standing exclusions of its brand and of the organisation, if it is marketing and has not set them aside; of all these
 * lists first, as the gate asks them before it asks conditions.
 * @throws Problem bad-condition when one of them can no longer be worked out, with its name
 */
export async function findLeavesOut(deps: Deps, campaign: Campaign): Promise<LeavesOut[]> {
  const { brandId, leftOutListIds, leftOutSegmentIds } = campaign;
  const all: LeavesOut[] = [];
  const lists = await deps.database.getRepository(ListEntity).findBy({ id: In(leftOutListIds) });
  for (const { id, name } of lists.sort((one, other) => one.id - other.id))
    all.push({ by: { kind: 'list', id, name }, listId: id, checked: null });
  for (const [index, checked] of (await checkSegments(deps, brandId, leftOutSegmentIds)).entries()) {
    const id = leftOutSegmentIds[index]!;
    const name = found(await findSegment(deps.database, id), `segment ${id}`).name;
    all.push({ by: { kind: 'segment', id, name }, listId: 0, checked });
  }
  if (campaign.purpose === 'marketing')
    for (const exclusion of await listExclusionsOf(deps.database, campaign))
      all.push(await leavesOutOf(deps, exclusion, brandId));
  return [...all.filter(({ checked }) => checked === null), ...all.filter(({ checked }) => checked !== null)];
}

/** A standing exclusion as it is asked by a brand. @throws Problem bad-condition, not-found, with its name */
export async function leavesOutOf(
  deps: Deps,
  one: Pick<ExclusionRow, 'id' | 'name' | 'listId' | 'segmentId' | 'condition'>,
  brandId: number,
): Promise<LeavesOut> {
  const by = { kind: 'exclusion' as const, id: one.id, name: one.name };
  if (one.listId !== null) return { by, listId: one.listId, checked: null };
  try {
    if (one.condition !== null) return { by, listId: 0, checked: await checkCondition(deps, brandId, one.condition) };
    const segment = found(await findSegment(deps.database, one.segmentId!), `segment ${one.segmentId}`);
    // A segment speaks of its own brand, whoever leaves it out.
    return { by, listId: 0, checked: await checkCondition(deps, segment.brandId, segment.condition, segment.name) };
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    throw new Problem(error.code, `The standing exclusion “${one.name}” cannot be worked out: ${error.detail}`, {
      field: error.field,
      extra: error.extra,
    });
  }
}

/** The conditions among them, by the brand of which they are asked, each with its place from 1. */
export function conditionsOf(all: readonly LeavesOut[]): NumberedConditions[] {
  const byBrand = new Map<number, NumberedConditions>();
  for (const [index, { checked }] of all.entries()) {
    if (!checked) continue;
    const { condition, context } = checked;
    const those = byBrand.get(context.brandId);
    byBrand.set(context.brandId, {
      context: those ? together(those.context, context) : context,
      conditions: [...(those?.conditions ?? []), { by: index + 1, condition }],
    });
  }
  return [...byBrand.values()];
}

/** What leaves people out as the ledger writes it, in order. */
export function namesOf(all: readonly LeavesOut[]): string[] {
  return all.map(({ by }) => `${by.kind} ${by.id}`);
}
