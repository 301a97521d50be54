import { partsOf } from '../../core/conditions/check-names.ts';
import { parseCondition } from '../../core/conditions/parse-condition.ts';
import { minuteOf } from '../../core/time/days.ts';
import { violates } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { keepMatching } from '../../store/statements/conditions.ts';
import { findSunsetRule } from '../../store/statements/rules.ts';
import { listSegments } from '../../store/statements/segments.ts';
import {
  countChange,
  deleteSnapshot,
  findSnapshot,
  insertSnapshot,
  listChange,
  type SnapshotRow,
} from '../../store/statements/snapshots.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { checkCondition } from './condition-context.ts';
import { getSegment } from './keep-segments.ts';
import { withinTime } from './within-time.ts';

/** @throws Problem not-found */
export async function getSnapshot(deps: Deps, id: number): Promise<SnapshotRow> {
  return found(await findSnapshot(deps.database, id), `snapshot ${id}`);
}

/**
 * Keeps who matches a segment now, for later. Named by the segment and the instant unless it is given a name.
 * @throws Problem name-taken, took-too-long
 */
export async function freezeSegment(
  deps: Deps,
  request: { segmentId: number; name?: string; actor: string },
): Promise<SnapshotRow> {
  const segment = await getSegment(deps, request.segmentId);
  const { condition, context } = await checkCondition(deps, segment.brandId, segment.condition, segment.name);
  const takenAt = deps.now();
  const name = request.name ?? `${segment.name}, ${minuteOf(takenAt.getTime(), context.zone)}`;
  const one = {
    brandId: segment.brandId,
    segmentId: segment.id,
    name,
    condition: segment.condition,
    takenBy: request.actor,
    takenAt,
  };
  try {
    const id = await withinTime(deps, async (sql) => {
      await keepMatching(sql, 'matching', [condition], context);
      return insertSnapshot(sql, one);
    });
    return await getSnapshot(deps, id);
  } catch (error) {
    if (!violates(error, 'snapshot_name_key')) throw error;
    throw new Problem('name-taken', `There is a snapshot “${name}” already.`, { field: 'name' });
  }
}

/** @throws Problem wrong-state when a segment or the ladder names it, not-found */
export async function removeSnapshot(deps: Deps, id: number): Promise<void> {
  const snapshot = await getSnapshot(deps, id);
  const names = (condition: string): boolean =>
    [...partsOf(parseCondition(condition))].some((part) => part.kind === 'snapshot' && part.name === snapshot.name);
  const { rule } = await findSunsetRule(deps.database, snapshot.brandId);
  const users = [
    ...(await listSegments(deps.database, snapshot.brandId)).filter(({ condition }) => names(condition)),
    ...(rule.covers && names(rule.covers) ? [{ name: 'the ladder of its brand' }] : []),
  ];
  if (users.length > 0)
    throw new Problem(
      'wrong-state',
      `“${snapshot.name}” is used by ${users.map(({ name }) => `“${name}”`).join(', ')}. Change those first.`,
    );
  await deleteSnapshot(deps.database, id);
}

export interface SnapshotChange {
  from: SnapshotRow;
  /** Null: the segment as it is now. */
  to: SnapshotRow | null;
  came: number;
  left: number;
  stayed: number;
}

/** Who came in and who left since a snapshot: until another, or until now by what its segment asks now. */
export async function compareSnapshots(deps: Deps, id: number, otherId: number | null): Promise<SnapshotChange> {
  const { from, to } = await findPair(deps, id, otherId);
  const counts = await overPair(deps, from, to, (sql) => countChange(sql, { from: from.id, to: to?.id ?? null }));
  return { from, to, ...counts };
}

/** One page of those who came or left. */
export async function listSnapshotChange(
  deps: Deps,
  id: number,
  otherId: number | null,
  direction: 'came' | 'left',
  after: number,
  limit: number,
): ReturnType<typeof listChange> {
  const { from, to } = await findPair(deps, id, otherId);
  return overPair(deps, from, to, (sql) =>
    listChange(sql, { from: from.id, to: to?.id ?? null }, direction, after, limit),
  );
}

async function findPair(
  deps: Deps,
  id: number,
  otherId: number | null,
): Promise<{ from: SnapshotRow; to: SnapshotRow | null }> {
  const from = await getSnapshot(deps, id);
  const to = otherId === null ? null : await getSnapshot(deps, otherId);
  if (to && to.brandId !== from.brandId)
    throw new Problem('invalid-input', 'The two snapshots are of different brands.', { field: 'with' });
  if (!to && from.segmentId === null)
    throw new Problem('wrong-state', `The segment of “${from.name}” is gone. Compare it with another snapshot.`);
  return { from, to };
}

async function overPair<T>(
  deps: Deps,
  from: SnapshotRow,
  to: SnapshotRow | null,
  work: (sql: Sql) => Promise<T>,
): Promise<T> {
  if (to) return withinTime(deps, work);
  const segment = await getSegment(deps, from.segmentId!);
  const { condition, context } = await checkCondition(deps, segment.brandId, segment.condition, segment.name);
  return withinTime(deps, async (sql) => {
    await keepMatching(sql, 'matching', [condition], context);
    return work(sql);
  });
}
