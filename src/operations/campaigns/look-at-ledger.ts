import {
  countRecipients,
  listCampaignChanges,
  listRecipients,
  type CampaignChange,
  type CampaignRecipient,
  type RecipientFilter,
} from '../../store/statements/campaigns.ts';
import type { Deps } from '../deps.ts';
import { getCampaign } from './edit-campaign.ts';

/** Who is in the ledger of a campaign, numbered above `after`, and how many there are in all. */
export async function lookAtLedger(
  deps: Deps,
  id: number,
  filter: RecipientFilter,
  after: number,
  limit: number,
): Promise<{ rows: CampaignRecipient[]; total: number }> {
  return {
    rows: await listRecipients(deps.database, id, filter, after, limit),
    total: await countRecipients(deps.database, id, filter),
  };
}

/** How the state of a campaign changed, and why. @throws Problem not-found */
export async function listChanges(deps: Deps, id: number): Promise<CampaignChange[]> {
  await getCampaign(deps, id);
  return listCampaignChanges(deps.database, id);
}
