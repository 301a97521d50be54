import type { EntityManager } from 'typeorm';
import { renameInCondition, speaksOf, type NamedThing } from '../../core/conditions/rename.ts';
import type { SunsetRule } from '../../core/rules/sunset-ladder.ts';
import type { Sql } from '../../store/sql.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { listExclusions, rewordExclusion, type ExclusionRow } from '../../store/statements/exclusions.ts';
import { findSunsetRule, saveSunsetRule } from '../../store/statements/rules.ts';
import { listSegments, updateSegment, type SegmentRow } from '../../store/statements/segments.ts';
import type { WavePlan } from '../../shared/contract/campaigns.ts';
import { listPlannedWaves, rewordWaves } from '../../store/statements/waves.ts';
import { Problem } from '../problem.ts';

/** Segments of a brand whose condition speaks of a thing by its name. */
export async function findNamingSegments(sql: Sql, brandId: number, thing: NamedThing): Promise<SegmentRow[]> {
  return (await listSegments(sql, brandId)).filter(({ condition }) => speaksOf(condition, thing));
}

/** The ladder of a brand, if whom it covers hangs on this thing. */
export async function findNamingLadder(sql: Sql, brandId: number, thing: NamedThing): Promise<SunsetRule | undefined> {
  const { rule } = await findSunsetRule(sql, brandId);
  return rule.covers && speaksOf(rule.covers, thing) ? rule : undefined;
}

/** Standing exclusions in effect that hold for a brand and whose condition speaks of a thing by its name. */
export async function findNamingExclusions(sql: Sql, brandId: number, thing: NamedThing): Promise<ExclusionRow[]> {
  return (await listExclusions(sql, brandId, false)).filter(
    ({ condition }) => condition !== null && speaksOf(condition, thing),
  );
}

/** Campaigns that have not started and whose waves speak of a thing by its name. */
export async function findNamingWaves(
  sql: Sql,
  brandId: number,
  thing: NamedThing,
): Promise<{ id: number; name: string; waves: WavePlan[] }[]> {
  return (await listPlannedWaves(sql, brandId)).filter(({ waves }) =>
    waves.some(({ of }) => 'condition' in of && speaksOf(of.condition, thing)),
  );
}

/**
 * Carries a new name of a thing into the conditions that speak of it: into segments as versions of theirs, and into the
 * ladder, standing exclusions and waves. In the transaction that gives the thing its name: between the two, conditions
 * would speak of nothing.
 * @throws Problem wrong-state when a standing exclusion of several brands speaks of it
 */
export async function carryName(
  sql: EntityManager,
  brandId: number,
  thing: NamedThing,
  name: string,
  by: string,
): Promise<void> {
  const rule = await findNamingLadder(sql, brandId, thing);
  if (rule) await saveSunsetRule(sql, brandId, { ...rule, covers: renameInCondition(rule.covers!, thing, name) }, by);
  for (const { id, brandId: own, name: called, condition } of await findNamingExclusions(sql, brandId, thing)) {
    if (own === null && (await sql.getRepository(BrandEntity).count()) > 1)
      throw new Problem(
        'wrong-state',
        `The standing exclusion “${called}” of all brands speaks of the ${thing.kind} “${thing.name}”. End it first.`,
      );
    await rewordExclusion(sql, id, renameInCondition(condition!, thing, name));
  }
  for (const { id, waves } of await findNamingWaves(sql, brandId, thing)) {
    const inOtherWords = waves.map((wave) =>
      'condition' in wave.of ? { ...wave, of: { condition: renameInCondition(wave.of.condition, thing, name) } } : wave,
    );
    await rewordWaves(sql, id, inOtherWords);
  }
  const reason = `the ${thing.kind} “${thing.name}” is called “${name}” now`;
  for (const user of await findNamingSegments(sql, brandId, thing))
    await updateSegment(sql, user.id, {
      name: user.name,
      description: user.description,
      tags: user.tags,
      condition: renameInCondition(user.condition, thing, name),
      by,
      reason,
    });
}
