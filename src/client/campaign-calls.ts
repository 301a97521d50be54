import type * as api from '../shared/api.ts';
import type { Calls, PageOptions } from './calls.ts';

export interface NewCampaign {
  brandId: number;
  name: string;
  subject?: string;
  html?: string;
  text?: string;
  /** Lists and segments taken in; at least one. */
  listIds?: number[];
  segmentIds?: number[];
  leftOutListIds?: number[];
  leftOutSegmentIds?: number[];
  purpose?: 'marketing' | 'service';
}

/** Campaigns: drafts, preflight, sending, reports. */
export function makeCampaignCalls({ get, post, send }: Calls) {
  return {
    campaigns: (filter: { brandId?: number; state?: string } & PageOptions = {}) =>
      get<api.Page<api.CampaignListItem>>('/campaigns', filter),
    campaign: (id: number) => get<api.Campaign>(`/campaigns/${id}`),
    createCampaign: (campaign: NewCampaign) => post<api.Campaign>('/campaigns', campaign),
    recordCampaign: (campaign: NewCampaign & { startedAt: string }) =>
      post<api.Campaign>('/campaigns/elsewhere', campaign),
    changeCampaign: (id: number, change: Partial<NewCampaign>) =>
      send<api.Campaign>('PATCH', `/campaigns/${id}`, { body: change }),
    preflight: (id: number) => get<api.Preflight>(`/campaigns/${id}/preflight`),
    preflightContacts: (id: number, reason?: string, options: PageOptions = {}) =>
      get<api.Page<api.JudgedContact>>(`/campaigns/${id}/preflight/contacts`, { reason, ...options }),
    preview: (id: number, address?: string) => get<api.MessagePreview>(`/campaigns/${id}/preview`, { address }),
    startCampaign: (id: number, expect: number, version?: number) =>
      post<api.Campaign>(`/campaigns/${id}/start`, { expect, version }),
    campaignChanges: (id: number) => get<api.CampaignChange[]>(`/campaigns/${id}/changes`),
    pauseCampaign: (id: number, reason?: string) =>
      post<api.Campaign>(`/campaigns/${id}/pause`, reason === undefined ? {} : { reason }),
    resumeCampaign: (id: number) => post<api.Campaign>(`/campaigns/${id}/resume`),
    cancelCampaign: (id: number) => post<api.Campaign>(`/campaigns/${id}/cancel`),
    report: (id: number) => get<api.CampaignReport>(`/campaigns/${id}/report`),
    recipients: (
      id: number,
      filter: { state?: string; reason?: string; acted?: string; actor?: string } & PageOptions = {},
    ) => get<api.Page<api.Recipient>>(`/campaigns/${id}/recipients`, filter),
  };
}
