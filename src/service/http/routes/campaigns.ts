import { campaigns } from '../../../shared/contract/campaigns.ts';
import { handlers } from '../route.ts';
import {
  changeCampaign,
  createCampaign,
  getCampaign,
  recordCampaign,
  removeDraft,
  withProblems,
} from '../../../operations/campaigns/edit-campaign.ts';
import { listCampaigns } from '../../../operations/campaigns/list-campaigns.ts';
import { NEWEST_INT, pageOf, readCursor } from '../paging.ts';

export const campaignsRoutes = handlers(campaigns, {
  async campaigns({ deps, query }) {
    const rows = await listCampaigns(deps, query, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  createCampaign: async ({ deps, body }) => withProblems(deps, await createCampaign(deps, body)),
  recordCampaign: ({ deps, body }) => recordCampaign(deps, { ...body, startedAt: new Date(body.startedAt) }),
  campaign: ({ deps, params }) => getCampaign(deps, params.id),
  changeCampaign: async ({ deps, params, body, who }) =>
    withProblems(deps, await changeCampaign(deps, params.id, body, who.name)),
  removeDraft: ({ deps, params, query }) => removeDraft(deps, params.id, query.version),
});
