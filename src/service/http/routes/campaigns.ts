import {
  cancelCampaign,
  pauseCampaign,
  resumeCampaign,
  startCampaign,
} from '../../../operations/campaigns/control-campaign.ts';
import {
  changeCampaign,
  createCampaign,
  getCampaign,
  recordCampaign,
  type CampaignDraft,
} from '../../../operations/campaigns/edit-campaign.ts';
import { listPreflightContacts, preflightCampaign } from '../../../operations/campaigns/preflight-campaign.ts';
import { previewMessage } from '../../../operations/campaigns/preview-message.ts';
import { reportCampaign } from '../../../operations/campaigns/report-campaign.ts';
import * as schema from '../../../shared/schemas.ts';
import type { CampaignState, Reason } from '../../../shared/words.ts';
import { listCampaigns } from '../../../operations/campaigns/list-campaigns.ts';
import { listCampaignChanges, listRecipients } from '../../../store/statements/campaigns.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

export const campaignRoutes: Route[] = [
  route<never, PageQuery & { brandId?: number; state?: CampaignState }>({
    method: 'get', path: '/campaigns', summary: 'Campaigns, latest first', query: schema.campaignQuery,
    async handle({ deps, query }) {
      const rows = await listCampaigns(deps, query, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.id);
    },
  }),
  route<never, never, CampaignDraft>({
    method: 'post', path: '/campaigns', summary: 'Create a campaign as a draft', body: schema.newCampaign, status: 201,
    handle: ({ deps, body }) => createCampaign(deps, body),
  }),
  route<never, never, CampaignDraft & { startedAt: Date }>({
    method: 'post', path: '/campaigns/elsewhere', summary: 'Record a campaign that another system sent, so that events can name it', body: schema.elsewhereCampaign, status: 201,
    handle: ({ deps, body }) => recordCampaign(deps, body),
  }),
  route<WithId>({
    method: 'get', path: '/campaigns/:id', summary: 'One campaign', params: schema.idParams,
    handle: ({ deps, params }) => getCampaign(deps, params.id),
  }),
  route<WithId, never, Partial<CampaignDraft>>({
    method: 'patch', path: '/campaigns/:id', summary: 'Change a draft', params: schema.idParams, body: schema.campaignChange,
    handle: ({ deps, params, body, who }) => changeCampaign(deps, params.id, body, who.name),
  }),
  route<WithId>({
    method: 'get', path: '/campaigns/:id/preflight', summary: 'The audience with every hold-back counted, before anything is sent', params: schema.idParams,
    handle: ({ deps, params }) => preflightCampaign(deps, params.id),
  }),
  route<WithId, PageQuery & { reason?: Reason }>({
    method: 'get', path: '/campaigns/:id/preflight/contacts', summary: 'The contacts behind one figure of the preflight', params: schema.idParams, query: schema.preflightContactsQuery,
    async handle({ deps, params, query }) {
      const rows = await listPreflightContacts(deps, params.id, query.reason ?? null, readCursor(query.cursor, 0), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.contactId);
    },
  }),
  route<WithId, { address?: string }>({
    method: 'get', path: '/campaigns/:id/preview', summary: 'The message as one contact would get it', params: schema.idParams, query: schema.previewQuery,
    handle: ({ deps, params, query }) => previewMessage(deps, params.id, query.address),
  }),
  route<WithId, never, { expect: number; version?: number }>({
    method: 'post', path: '/campaigns/:id/start', summary: 'Start sending', needs: 'send', params: schema.idParams, body: schema.startRequest,
    handle: ({ deps, params, body, who }) => startCampaign(deps, params.id, { expected: body.expect, version: body.version, actor: who.name }),
  }),
  route<WithId, never, { reason: string }>({
    method: 'post', path: '/campaigns/:id/pause', summary: 'Pause sending; nothing more leaves', params: schema.idParams, body: schema.pauseRequest,
    handle: ({ deps, params, body, who }) => pauseCampaign(deps, params.id, body.reason, who.name),
  }),
  route<WithId>({
    method: 'post', path: '/campaigns/:id/resume', summary: 'Go on sending', needs: 'send', params: schema.idParams,
    handle: ({ deps, params, who }) => resumeCampaign(deps, params.id, who.name),
  }),
  route<WithId>({
    method: 'post', path: '/campaigns/:id/cancel', summary: 'Cancel for good; who still waits gets nothing', params: schema.idParams,
    handle: ({ deps, params, who }) => cancelCampaign(deps, params.id, who.name),
  }),
  route<WithId>({
    method: 'get', path: '/campaigns/:id/changes', summary: 'Who started, paused, resumed or cancelled a campaign, and why', params: schema.idParams,
    async handle({ deps, params }) {
      await getCampaign(deps, params.id);
      return listCampaignChanges(deps.database, params.id);
    },
  }),
  route<WithId>({
    method: 'get', path: '/campaigns/:id/report', summary: 'Ledger, what came back, who acted', params: schema.idParams,
    handle: ({ deps, params }) => reportCampaign(deps, params.id),
  }),
  route<WithId, PageQuery & { state?: string; reason?: string; acted?: string; actor?: string }>({
    method: 'get', path: '/campaigns/:id/recipients', summary: 'The contacts behind one figure of the report', params: schema.idParams, query: schema.recipientsQuery,
    async handle({ deps, params, query }) {
      const { state, reason, acted, actor } = query;
      const rows = await listRecipients(deps.database, params.id, { state, reason, acted, actor }, readCursor(query.cursor, 0), query.limit + 1);
      return pageOf(rows, query.limit, (row) => row.contactId);
    },
  }),
]; // prettier-ignore
