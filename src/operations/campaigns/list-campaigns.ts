import type { CampaignState } from '../../shared/words.ts';
import { listCampaignHeads, type CampaignHead } from '../../store/statements/campaigns.ts';
import { countFigures } from '../../store/statements/tallies.ts';
import type { Deps } from '../deps.ts';
import { ledgerOf } from './report-campaign.ts';

/** A campaign in a list, with how far it has come: contacts of its audience, those accepted, those who still wait. */
export type CampaignRow = CampaignHead & { audience: number; accepted: number; waiting: number };

/** Campaigns of a brand, or of all, in one state, or in any, numbered below `before`; latest first. */
export async function listCampaigns(
  deps: Deps,
  filter: { brandId?: number; state?: CampaignState },
  before: number,
  limit: number,
): Promise<CampaignRow[]> {
  const rows = await listCampaignHeads(deps.database, filter, before, limit);
  const figures = await countFigures(
    deps.database,
    rows.map(({ id }) => id),
  );
  return rows.map((row) => {
    const { audience, accepted, waiting, onTheirWay } = ledgerOf(figures.get(row.id)!);
    return { ...row, audience, accepted, waiting: waiting + onTheirWay };
  });
}
