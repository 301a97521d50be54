import type * as segments from '../shared/api-segments.ts';
import type { Page } from '../shared/api.ts';
import type { Calls, PageOptions } from './calls.ts';

type OfBrand = { brandId: number; condition: string };

/** Conditions and segments. */
export function makeSegmentCalls({ get, post, send }: Calls) {
  return {
    previewCondition: (request: OfBrand) => post<segments.ConditionPreview>('/conditions/preview', request),
    explainCondition: (request: OfBrand & { address: string }) =>
      post<segments.Explained & { contactId: number }>('/conditions/explain', request),
    matchingContacts: (request: OfBrand & PageOptions) =>
      post<Page<segments.MatchingContact>>('/conditions/contacts', request),
    readyMade: () => get<segments.ReadyMade[]>('/conditions/ready-made'),
    segments: (brandId?: number) => get<segments.Segment[]>('/segments', { brandId }),
    segment: (id: number) => get<segments.SegmentDetail>(`/segments/${id}`),
    createSegment: (one: OfBrand & { name: string; description?: string; reason?: string }) =>
      post<segments.Segment>('/segments', one),
    changeSegment: (id: number, change: { name?: string; description?: string; condition?: string; reason: string }) =>
      send<segments.Segment>('PATCH', `/segments/${id}`, { body: change }),
    removeSegment: (id: number) => send<void>('DELETE', `/segments/${id}`, {}),
  };
}
