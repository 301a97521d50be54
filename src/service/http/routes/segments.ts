import { READY_MADE } from '../../../core/conditions/ready-made.ts';
import {
  changeSegment,
  createSegment,
  findUsers,
  getSegment,
  removeSegment,
} from '../../../operations/segments/keep-segments.ts';
import {
  explainCondition,
  pageOfMatching,
  previewCondition,
  type ConditionRequest,
} from '../../../operations/segments/work-out.ts';
import * as schema from '../../../shared/schemas.ts';
import { listSegments, listSegmentVersions } from '../../../store/statements/segments.ts';
import { pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

export const segmentRoutes: Route[] = [
  route<never, never, ConditionRequest>({
    method: 'post', path: '/conditions/preview', summary: 'Count every part of a condition, with a sample and what is odd about it', body: schema.conditionRequest,
    handle: ({ deps, body }) => previewCondition(deps, body),
  }),
  route<never, never, ConditionRequest & { address: string }>({
    method: 'post', path: '/conditions/explain', summary: 'Whether one address matches, and the fact that decided each part', body: schema.conditionExplain,
    handle: ({ deps, body }) => explainCondition(deps, body),
  }),
  route<never, never, ConditionRequest & PageQuery>({
    method: 'post', path: '/conditions/contacts', summary: 'The contacts that match, by number', body: schema.conditionPage,
    async handle({ deps, body }) {
      return pageOf(await pageOfMatching(deps, body, readCursor(body.cursor, 0), body.limit + 1), body.limit, (row) => row.id);
    },
  }),
  route({
    method: 'get', path: '/conditions/ready-made', summary: 'Conditions for the usual questions, to begin with',
    handle: () => Promise.resolve(READY_MADE),
  }),
  route<never, { brandId?: number }>({
    method: 'get', path: '/segments', summary: 'Segments, of one brand or all', query: schema.segmentsQuery,
    handle: ({ deps, query }) => listSegments(deps.database, query.brandId ?? null),
  }),
  route<never, never, { brandId: number; name: string; description?: string; condition: string; reason?: string }>({
    method: 'post', path: '/segments', summary: 'Keep a condition under a name', body: schema.newSegment, status: 201,
    handle: ({ deps, body, who }) => createSegment(deps, { ...body, actor: who.name }),
  }),
  route<WithId>({
    method: 'get', path: '/segments/:id', summary: 'One segment with its versions, and the segments that use it', params: schema.idParams,
    async handle({ deps, params }) {
      const segment = await getSegment(deps, params.id);
      const usedBy = (await findUsers(deps, segment)).map(({ id, name }) => ({ id, name }));
      return { ...segment, versions: await listSegmentVersions(deps.database, params.id), usedBy };
    },
  }),
  route<WithId, never, { name?: string; description?: string; condition?: string; reason: string }>({
    method: 'patch', path: '/segments/:id', summary: 'Change a segment, as another version', params: schema.idParams, body: schema.segmentChange,
    handle: ({ deps, params, body, who }) => changeSegment(deps, params.id, { ...body, actor: who.name }),
  }),
  route<WithId>({
    method: 'delete', path: '/segments/:id', summary: 'Delete a segment that none uses', params: schema.idParams, status: 204,
    handle: ({ deps, params }) => removeSegment(deps, params.id),
  }),
]; // prettier-ignore
