import type * as segments from '../shared/api-segments.ts';
import type { Page } from '../shared/api.ts';
import type { Calls, PageOptions } from './calls.ts';

/** A condition is given as its text, or as the tree that previews answer. */
type OfBrand = { brandId: number; condition: string | Record<string, unknown> };

/** Conditions and segments. */
export function makeSegmentCalls({ get, post, send }: Calls) {
  return {
    previewCondition: (request: OfBrand) => post<segments.ConditionPreview>('/conditions/preview', request),
    explainCondition: (request: OfBrand & { address: string }) =>
      post<segments.Explained & { contactId: number }>('/conditions/explain', request),
    compareConditions: (request: { brandId: number; conditions: string[]; without?: string[] }) =>
      post<segments.ComparedCondition[]>('/conditions/compare', request),
    conditionNames: (brandId: number) => get<segments.ConditionNames>('/conditions/names', { brandId }),
    readyMade: () => get<segments.ReadyMade[]>('/conditions/ready-made'),
    segments: (brandId?: number) => get<segments.Segment[]>('/segments', { brandId }),
    segment: (id: number) => get<segments.SegmentDetail>(`/segments/${id}`),
    createSegment: (one: OfBrand & { name: string; description?: string; tags?: string[]; reason?: string }) =>
      post<segments.Segment>('/segments', one),
    changeSegment: (
      id: number,
      change: { name?: string; description?: string; tags?: string[]; condition?: string; reason: string },
    ) => send<segments.Segment>('PATCH', `/segments/${id}`, { body: change }),
    removeSegment: (id: number) => send<void>('DELETE', `/segments/${id}`, {}),
    freezeSegment: (id: number, name?: string) =>
      post<segments.Snapshot>(`/segments/${id}/snapshots`, name === undefined ? {} : { name }),
    snapshots: (of: { brandId?: number; segmentId?: number } = {}) => get<segments.Snapshot[]>('/snapshots', of),
    snapshotChange: (id: number, other?: number) =>
      get<segments.SnapshotChange>(`/snapshots/${id}/change`, { with: other }),
    snapshotChangeContacts: (id: number, direction: 'came' | 'left', other?: number, options: PageOptions = {}) =>
      get<Page<segments.MatchingContact>>(`/snapshots/${id}/change/contacts`, { direction, with: other, ...options }),
    removeSnapshot: (id: number) => send<void>('DELETE', `/snapshots/${id}`, {}),
  };
}
