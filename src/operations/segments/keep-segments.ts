import { formatCondition } from '../../core/conditions/format-condition.ts';
import { inTransaction } from '../../store/database.ts';
import { listExclusions } from '../../store/statements/exclusions.ts';
import {
  deleteSegment,
  findSegment,
  insertSegment,
  listCampaignsWithSegment,
  lockSegment,
  updateSegment,
  type SegmentRow,
} from '../../store/statements/segments.ts';
import type { Deps } from '../deps.ts';
import { assertVersion, found, Problem } from '../problem.ts';
import { checkCondition, type GivenCondition } from './condition-context.ts';
import {
  carryName,
  findNamingExclusions,
  findNamingLadder,
  findNamingSegments,
  findNamingWaves,
} from './name-users.ts';

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
  const kept = {
    brandId: one.brandId,
    name: one.name,
    description: one.description ?? '',
    tags: one.tags ?? [],
    condition: formatCondition(condition),
    by: one.actor,
    reason: one.reason ?? 'made',
  };
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
 * @throws Problem bad-condition, changed-meanwhile, name-taken, not-found
 */
export async function changeSegment(
  deps: Deps,
  id: number,
  change: {
    name?: string;
    description?: string;
    tags?: string[];
    condition?: GivenCondition;
    /** The version that was looked at. */
    version?: number;
    reason: string;
    actor: string;
  },
): Promise<SegmentRow> {
  const seen = await getSegment(deps, id);
  const condition =
    change.condition &&
    formatCondition((await checkCondition(deps, seen.brandId, change.condition, seen.name)).condition);
  const name = change.name ?? seen.name;
  const by = { by: change.actor, reason: change.reason };
  await unlessTaken(name, () =>
    inTransaction(deps.database, async (sql) => {
      // Held until it is kept: what is not given stays as whoever was first left it.
      const was = found(await lockSegment(sql, id), `segment ${id}`);
      assertVersion(change.version, `“${was.name}”`, was);
      await updateSegment(sql, id, {
        name: change.name ?? was.name,
        description: change.description ?? was.description,
        tags: change.tags ?? was.tags,
        condition: condition ?? was.condition,
        ...by,
      });
      if (name !== was.name) await carryName(sql, was.brandId, { kind: 'segment', name: was.name }, name, by.by);
    }),
  );
  return getSegment(deps, id);
}

/** @throws Problem wrong-state when segments, campaigns, the ladder or standing exclusions use it, not-found */
export async function removeSegment(deps: Deps, id: number): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    // Held until it is gone: no standing exclusion begins with it meanwhile.
    const segment = found(await lockSegment(sql, id), `segment ${id}`);
    const thing = { kind: 'segment' as const, name: segment.name };
    const ladder = await findNamingLadder(sql, segment.brandId, thing);
    const users = [
      ...(await findNamingSegments(sql, segment.brandId, thing)),
      ...(await listCampaignsWithSegment(sql, id)),
      ...(ladder ? [{ name: 'the ladder of its brand' }] : []),
      ...(await findNamingExclusions(sql, segment.brandId, thing)),
      ...(await findNamingWaves(sql, segment.brandId, thing)),
      ...(await listExclusions(sql, segment.brandId, false)).filter(({ segmentId }) => segmentId === id),
    ];
    if (users.length > 0)
      throw new Problem(
        'wrong-state',
        `“${segment.name}” is used by ${users.map(({ name }) => `“${name}”`).join(', ')}. Change those first.`,
      );
    await deleteSegment(sql, id);
  });
}

/** Segments whose condition names this one. */
export async function findUsers(deps: Deps, segment: SegmentRow): Promise<SegmentRow[]> {
  return findNamingSegments(deps.database, segment.brandId, { kind: 'segment', name: segment.name });
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
