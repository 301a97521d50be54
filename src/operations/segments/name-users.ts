import type { EntityManager } from 'typeorm';
import { renameInCondition, speaksOf, type NamedThing } from '../../core/conditions/rename.ts';
import type { SunsetRule } from '../../core/rules/sunset-ladder.ts';
import type { Sql } from '../../store/sql.ts';
import { findSunsetRule, saveSunsetRule } from '../../store/statements/rules.ts';
import { listSegments, updateSegment, type SegmentRow } from '../../store/statements/segments.ts';

/** Segments of a brand whose condition speaks of a thing by its name. */
export async function findNamingSegments(sql: Sql, brandId: number, thing: NamedThing): Promise<SegmentRow[]> {
  return (await listSegments(sql, brandId)).filter(({ condition }) => speaksOf(condition, thing));
}

/** The ladder of a brand, if whom it covers hangs on this thing. */
export async function findNamingLadder(sql: Sql, brandId: number, thing: NamedThing): Promise<SunsetRule | undefined> {
  const { rule } = await findSunsetRule(sql, brandId);
  return rule.covers && speaksOf(rule.covers, thing) ? rule : undefined;
}

/**
 * Carries a new name of a thing into the conditions that speak of it: into segments as versions of theirs, and into the
 * ladder. In the transaction that gives the thing its name: between the two, conditions would speak of nothing.
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
