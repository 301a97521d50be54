import { READY_MADE } from '../../../core/conditions/ready-made.ts';
import {
  changeSegment,
  createSegment,
  findUsers,
  getSegment,
  removeSegment,
} from '../../../operations/segments/keep-segments.ts';
import { compareConditions } from '../../../operations/segments/compare-conditions.ts';
import { listConditionNames, type GivenCondition } from '../../../operations/segments/condition-context.ts';
import {
  compareSnapshots,
  freezeSegment,
  listSnapshotChange,
  removeSnapshot,
} from '../../../operations/segments/snapshots.ts';
import { explainCondition, previewCondition, type ConditionRequest } from '../../../operations/segments/work-out.ts';
import * as schema from '../../../shared/schemas.ts';
import * as segmentSchema from '../../../shared/schemas-segments.ts';
import { listCampaignsWithSegment, listSegments, listSegmentVersions } from '../../../store/statements/segments.ts';
import { listCounts, listSnapshots } from '../../../store/statements/snapshots.ts';
import { pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

/** Days of a segment's trend. */
const DAYS_SHOWN = 90;

export const segmentRoutes: Route[] = [
  route<never, never, ConditionRequest>({
    method: 'post', path: '/conditions/preview', summary: 'Count every part of a condition, with a sample and what is odd about it', body: segmentSchema.conditionRequest,
    handle: ({ deps, body }) => previewCondition(deps, body),
  }),
  route<never, never, ConditionRequest & { address: string }>({
    method: 'post', path: '/conditions/explain', summary: 'Whether one address matches, and the fact that decided each part', body: segmentSchema.conditionExplain,
    handle: ({ deps, body }) => explainCondition(deps, body),
  }),
  route<never, never, { brandId: number; conditions: string[]; without: string[] }>({
    method: 'post', path: '/conditions/compare', summary: 'Count conditions side by side, each less the same others', body: segmentSchema.conditionsCompare,
    handle: ({ deps, body }) => compareConditions(deps, body),
  }),
  route<never, { brandId: number }>({
    method: 'get', path: '/conditions/names', summary: 'Names that a condition of a brand can use', query: segmentSchema.conditionNamesQuery,
    handle: ({ deps, query }) => listConditionNames(deps, query.brandId),
  }),
  route({
    method: 'get', path: '/conditions/ready-made', summary: 'Conditions for the usual questions, to begin with',
    handle: () => Promise.resolve(READY_MADE),
  }),
  route<never, { brandId?: number }>({
    method: 'get', path: '/segments', summary: 'Segments, of one brand or all', query: segmentSchema.segmentsQuery,
    handle: ({ deps, query }) => listSegments(deps.database, query.brandId ?? null),
  }),
  route<never, never, { brandId: number; name: string; description?: string; tags?: string[]; condition: GivenCondition; reason?: string }>({
    method: 'post', path: '/segments', summary: 'Keep a condition under a name', body: segmentSchema.newSegment, status: 201,
    handle: ({ deps, body, who }) => createSegment(deps, { ...body, actor: who.name }),
  }),
  route<WithId>({
    method: 'get', path: '/segments/:id', summary: 'One segment with its versions, its counts by day, and what uses it', params: schema.idParams,
    async handle({ deps, params }) {
      const segment = await getSegment(deps, params.id);
      const usedBy = (await findUsers(deps, segment)).map(({ id, name }) => ({ id, name }));
      const [versions, campaigns] = [await listSegmentVersions(deps.database, params.id), await listCampaignsWithSegment(deps.database, params.id)];
      return { ...segment, versions, usedBy, campaigns, days: await listCounts(deps.database, params.id, DAYS_SHOWN) };
    },
  }),
  route<WithId, never, { name?: string; description?: string; tags?: string[]; condition?: GivenCondition; reason: string }>({
    method: 'patch', path: '/segments/:id', summary: 'Change a segment, as another version', params: schema.idParams, body: segmentSchema.segmentChange,
    handle: ({ deps, params, body, who }) => changeSegment(deps, params.id, { ...body, actor: who.name }),
  }),
  route<WithId>({
    method: 'delete', path: '/segments/:id', summary: 'Delete a segment that none uses', params: schema.idParams, status: 204,
    handle: ({ deps, params }) => removeSegment(deps, params.id),
  }),
  route<WithId, never, { name?: string }>({
    method: 'post', path: '/segments/:id/snapshots', summary: 'Freeze who matches a segment now', params: schema.idParams, body: segmentSchema.newSnapshot, status: 201,
    handle: ({ deps, params, body, who }) => freezeSegment(deps, { segmentId: params.id, name: body.name, actor: who.name }),
  }),
  route<never, { brandId?: number; segmentId?: number }>({
    method: 'get', path: '/snapshots', summary: 'Snapshots, latest first', query: segmentSchema.snapshotsQuery,
    handle: ({ deps, query }) => listSnapshots(deps.database, query),
  }),
  route<WithId, { with?: number }>({
    method: 'get', path: '/snapshots/:id/change', summary: 'How many came in and left since a snapshot', params: schema.idParams, query: segmentSchema.snapshotPair,
    handle: ({ deps, params, query }) => compareSnapshots(deps, params.id, query.with ?? null),
  }),
  route<WithId, PageQuery & { with?: number; direction: 'came' | 'left' }>({
    method: 'get', path: '/snapshots/:id/change/contacts', summary: 'Who came in, or left, since a snapshot', params: schema.idParams, query: segmentSchema.snapshotChangeQuery,
    async handle({ deps, params, query }) {
      const rows = await listSnapshotChange(deps, params.id, query.with ?? null, query.direction, readCursor(query.cursor, 0), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.id);
    },
  }),
  route<WithId>({
    method: 'delete', path: '/snapshots/:id', summary: 'Delete a snapshot that no segment names', params: schema.idParams, status: 204,
    handle: ({ deps, params }) => removeSnapshot(deps, params.id),
  }),
]; // prettier-ignore
