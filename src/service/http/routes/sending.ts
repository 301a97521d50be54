import { sending } from '../../../shared/contract/sending.ts';
import { handlers } from '../route.ts';
import {
  cancelCampaign,
  pauseCampaign,
  resumeCampaign,
  startCampaign,
} from '../../../operations/campaigns/control-campaign.ts';
import { listChanges } from '../../../operations/campaigns/look-at-ledger.ts';
import { listPreflightContacts, preflightCampaign } from '../../../operations/campaigns/preflight-campaign.ts';
import { pageOf, readCursor } from '../paging.ts';

/** Campaigns on their way: preflight, sending. */
export const sendingRoutes = handlers(sending, {
  preflight: ({ deps, params }) => preflightCampaign(deps, params.id),
  async preflightContacts({ deps, params, query }) {
    const rows = await listPreflightContacts(
      deps,
      params.id,
      { reason: query.reason ?? null, by: query.by, inSpiteOf: query.inSpiteOf },
      readCursor(query.cursor, 0),
      query.limit + 1,
    );
    return pageOf(rows, query.limit, (row) => row.contactId);
  },
  startCampaign: ({ deps, params, body, who }) =>
    startCampaign(deps, params.id, {
      expected: body.expect,
      inSpite: body.inSpite,
      version: body.version,
      actor: who.name,
    }),
  pauseCampaign: ({ deps, params, body, who }) => pauseCampaign(deps, params.id, body.reason, who.name),
  resumeCampaign: ({ deps, params, body, who }) => resumeCampaign(deps, params.id, who.name, body.reason),
  cancelCampaign: ({ deps, params, who }) => cancelCampaign(deps, params.id, who.name),
  campaignChanges: ({ deps, params }) => listChanges(deps, params.id),
});
