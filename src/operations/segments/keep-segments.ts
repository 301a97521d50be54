import { partsOf } from '../../core/conditions/check-names.ts';
import { formatCondition } from '../../core/conditions/format-condition.ts';
import { parseCondition } from '../../core/conditions/parse-condition.ts';
import { inTransaction } from '../../store/database.ts';
import {
  deleteSegment,
  findSegment,
  insertSegment,
  listCampaignsWithSegment,
  listSegments,
  updateSegment,
  type SegmentRow,
} from '../../store/statements/segments.ts';
import type { SunsetRule } from '../../core/rules/sunset-ladder.ts';
import { findSunsetRule, saveSunsetRule } from '../../store/statements/rules.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { checkCondition, type GivenCondition } from './condition-context.ts';

export interface NewSegment {
  brandId: number;
  name: string;
  description?: string;
  tags?: string[];
  condition: GivenCondition;
  reason?: string;
  actor: string;
}

/** Keeps a condition under a name, in its canonical form. @throws Problem bad-condition, name-taken, not-found */
export async function createSegment(deps: Deps, one: NewSegment): Promise<SegmentRow> {
  const { condition } = await checkCondition(deps, one.brandId, one.condition, one.name);
  const kept = { brandId: one.brandId, name: one.name, description: one.description ?? '', tags: one.tags ?? [], condition: formatCondition(condition), by: one.actor, reason: one.reason ?? 'made' }; // prettier-ignore
  const id = await unlessTaken(one.name, () => insertSegment(deps.database, kept));
  return getSegment(deps, id);
}

/** @throws Problem not-found */
export async function getSegment(deps: Deps, id: number): Promise<SegmentRow> {
  return found(await findSegment(deps.database, id), `segment ${id}`);
}

/**
 * Changes a segment, as another version. A new name goes into the segments that use it, as versions of theirs, and into
 * the ladder that covers it.
 * @throws Problem bad-condition, name-taken, not-found
 */
export async function changeSegment(
  deps: Deps,
  id: number,
  change: {
    name?: string;
    description?: string;
    tags?: string[];
    condition?: GivenCondition;
    reason: string;
    actor: string;
  },
): Promise<SegmentRow> {
  const was = await getSegment(deps, id);
  const name = change.name ?? was.name;
  const { condition } = await checkCondition(deps, was.brandId, change.condition ?? was.condition, was.name);
  const by = { by: change.actor, reason: change.reason };
  const users = name === was.name ? [] : await findUsers(deps, was);
  const rule = name === was.name ? undefined : await coveringRule(deps, was);
  await unlessTaken(name, () =>
    inTransaction(deps.database, async (sql) => {
      await updateSegment(sql, id, { name, description: change.description ?? was.description, tags: change.tags ?? was.tags, condition: formatCondition(condition), ...by }); // prettier-ignore
      if (rule) await saveSunsetRule(sql, was.brandId, { ...rule, covers: renamed(rule.covers!, was.name, name) }, by.by); // prettier-ignore
      for (const user of users)
        await updateSegment(sql, user.id, { name: user.name, description: user.description, tags: user.tags, condition: renamed(user.condition, was.name, name), by: by.by, reason: `“${was.name}” is called “${name}” now` }); // prettier-ignore
    }),
  );
  return getSegment(deps, id);
}

/** @throws Problem wrong-state when other segments, campaigns or the ladder use it, not-found */
export async function removeSegment(deps: Deps, id: number): Promise<void> {
  const segment = await getSegment(deps, id);
  const rule = (await coveringRule(deps, segment)) ? [{ name: 'the ladder of its brand' }] : [];
  const users = [...(await findUsers(deps, segment)), ...(await listCampaignsWithSegment(deps.database, id)), ...rule];
  if (users.length > 0) throw new Problem('wrong-state', `“${segment.name}” is used by ${users.map(({ name }) => `“${name}”`).join(', ')}. Change those first.`); // prettier-ignore
  await deleteSegment(deps.database, id);
}

/** Segments whose condition names this one. */
export async function findUsers(deps: Deps, segment: SegmentRow): Promise<SegmentRow[]> {
  const all = await listSegments(deps.database, segment.brandId);
  return all.filter(({ condition }) => namesSegment(condition, segment.name));
}

/** The ladder of the brand, if whom it covers hangs on this segment. */
async function coveringRule(deps: Deps, { brandId, name }: SegmentRow): Promise<SunsetRule | undefined> {
  const { rule } = await findSunsetRule(deps.database, brandId);
  return rule.covers && namesSegment(rule.covers, name) ? rule : undefined;
}

function namesSegment(text: string, name: string): boolean {
  return [...partsOf(parseCondition(text))].some((part) => part.kind === 'segment' && part.name === name);
}

function renamed(text: string, from: string, to: string): string {
  const tree = JSON.stringify(parseCondition(text), (key, value: unknown) => {
    if (key === 'span') return undefined;
    const part = value as { kind?: unknown; name?: unknown } | null;
    return part?.kind === 'segment' && part.name === from ? { ...part, name: to } : value;
  });
  return formatCondition(JSON.parse(tree) as Parameters<typeof formatCondition>[0]);
}

async function unlessTaken<T>(name: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if ((error as { driverError?: { constraint?: string } }).driverError?.constraint !== 'segment_name_key')
      throw error;
    throw new Problem('name-taken', `There is a segment “${name}” already.`, { field: 'name' });
  }
}
