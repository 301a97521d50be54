import { segments } from '../../../shared/contract/segments.ts';
import { handlers } from '../route.ts';
import { changeSegment, createSegment, removeSegment } from '../../../operations/segments/keep-segments.ts';
import { listKeptSegments, listKeptSnapshots, showSegment } from '../../../operations/segments/look-at-segments.ts';
import {
  compareSnapshots,
  freezeSegment,
  listSnapshotChange,
  removeSnapshot,
} from '../../../operations/segments/snapshots.ts';
import { pageOf, readCursor } from '../paging.ts';

export const segmentsRoutes = handlers(segments, {
  segments: ({ deps, query }) => listKeptSegments(deps, query.brandId),
  createSegment: ({ deps, body, who }) => createSegment(deps, { ...body, actor: who.name }),
  segment: ({ deps, params }) => showSegment(deps, params.id),
  changeSegment: ({ deps, params, body, who }) => changeSegment(deps, params.id, { ...body, actor: who.name }),
  removeSegment: ({ deps, params }) => removeSegment(deps, params.id),
  freezeSegment: ({ deps, params, body, who }) =>
    freezeSegment(deps, { segmentId: params.id, name: body.name, actor: who.name }),
  snapshots: ({ deps, query }) => listKeptSnapshots(deps, query),
  snapshotChange: ({ deps, params, query }) => compareSnapshots(deps, params.id, query.with ?? null),
  async snapshotChangeContacts({ deps, params, query }) {
    const rows = await listSnapshotChange(
      deps,
      params.id,
      query.with ?? null,
      query.direction,
      readCursor(query.cursor, 0),
      query.limit + 1,
    );
    return pageOf(rows, query.limit, (row) => row.id);
  },
  removeSnapshot: ({ deps, params }) => removeSnapshot(deps, params.id),
});
