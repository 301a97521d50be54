import type { CampaignDraft } from '../../src/operations/campaigns/edit-campaign.ts';
import type { Deps } from '../../src/operations/deps.ts';
import { createBrand } from '../../src/operations/organisation/set-up.ts';
import { createSuppressionList } from '../../src/operations/suppression/keep-entries.ts';
import type { Brand } from '../../src/store/entities/organisation.ts';
import type { SuppressionListRow } from '../../src/store/statements/suppression.ts';

/** What a campaign may leave open. */
export const NOTHING_ELSE = {
  purpose: 'marketing' as const,
  text: '',
  leftOutListIds: [],
  segmentIds: [],
  leftOutSegmentIds: [],
};

/** A campaign to the list of a small world, as short as one can be. */
export function shortDraft({ brandId, listId }: { brandId: number; listId: number }, name: string): CampaignDraft {
  return { brandId, name, subject: 's', html: '<p>x</p>', listIds: [listId], ...NOTHING_ELSE };
}

/** A second brand of the organisation. */
export function makeShop(deps: Deps): Promise<Brand> {
  return createBrand(deps, {
    name: 'Larkfield Shop',
    fromAddress: 'shop@shop.larkfield.example',
    returnDomain: 'returns.shop.larkfield.example',
    zone: 'UTC',
  });
}

/** A suppression list of people, of the whole organisation. */
export function ownSuppressionList(
  deps: Deps,
  name: string,
  reach: 'everything' | 'marketing',
): Promise<SuppressionListRow> {
  return createSuppressionList(deps, { name, scope: 'organisation', scopeId: null, reach, exact: false });
}
