import {
  listCampaignsWithSegment,
  listSegments,
  listSegmentVersions,
  type SegmentRow,
  type SegmentVersion,
} from '../../store/statements/segments.ts';
import { listCounts, listSnapshots, type DayCount, type SnapshotRow } from '../../store/statements/snapshots.ts';
import type { Deps } from '../deps.ts';
import { findUsers, getSegment } from './keep-segments.ts';

/** Days of a segment's trend. */
const DAYS_SHOWN = 90;

/** A segment with what it was before, what uses it, and how many it had day by day. */
export interface ShownSegment extends SegmentRow {
  versions: SegmentVersion[];
  usedBy: { id: number; name: string }[];
  campaigns: { id: number; name: string }[];
  days: DayCount[];
}

/** Segments of a brand, or of all. */
export function listKeptSegments(deps: Deps, brandId: number | undefined): Promise<SegmentRow[]> {
  return listSegments(deps.database, brandId ?? null);
}

/** @throws Problem not-found */
export async function showSegment(deps: Deps, id: number): Promise<ShownSegment> {
  const segment = await getSegment(deps, id);
  return {
    ...segment,
    versions: await listSegmentVersions(deps.database, id),
    usedBy: (await findUsers(deps, segment)).map(({ id, name }) => ({ id, name })),
    campaigns: await listCampaignsWithSegment(deps.database, id),
    days: await listCounts(deps.database, id, DAYS_SHOWN),
  };
}

/** Snapshots of a brand, or of a segment. */
export function listKeptSnapshots(deps: Deps, of: { brandId?: number; segmentId?: number }): Promise<SnapshotRow[]> {
  return listSnapshots(deps.database, of);
}
