import type { CampaignState } from '../../shared/words.ts';
import {
  countDeliveries,
  listCampaignHeads,
  type CampaignHead,
  type DeliveryCounts,
} from '../../store/statements/campaigns.ts';
import type { Deps } from '../deps.ts';
import { rememberCostly } from '../remember.ts';

/** A campaign in a list, with how far it has come: of a large base some minutes ago, see rememberCostly. */
export type CampaignRow = CampaignHead & DeliveryCounts;

const NONE: DeliveryCounts = { audience: 0, accepted: 0, waiting: 0 };

/** Campaigns of a brand, or of all, in one state, or in any, numbered below `before`; latest first. */
export async function listCampaigns(
  deps: Deps,
  filter: { brandId?: number; state?: CampaignState },
  before: number,
  limit: number,
): Promise<CampaignRow[]> {
  const rows = await listCampaignHeads(deps.database, filter, before, limit);
  const isUnderWay = ({ state }: CampaignHead): boolean => state === 'sending' || state === 'paused';
  const counts = new Map([
    ...(await countsOf(deps, rows.filter(isUnderWay))),
    // What is drafted was sent to nobody.
    ...(await countsOf(
      deps,
      rows.filter((row) => !isUnderWay(row) && row.state !== 'draft'),
    )),
  ]);
  return rows.map((row) => ({ ...row, ...(counts.get(row.id) ?? NONE) }));
}

/** Those under way are counted apart from those that are over: what takes long then is counted less often. */
async function countsOf(deps: Deps, rows: CampaignHead[]): Promise<Map<number, DeliveryCounts>> {
  if (rows.length === 0) return new Map();
  const ids = rows.map(({ id }) => id);
  return (await rememberCostly(deps, `deliveries of ${ids.join()}`, () => countDeliveries(deps.database, ids))).value;
}
