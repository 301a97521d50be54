import type { SenderIdentity } from '../../core/message/compile-message.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { BrandEntity, ListEntity } from '../../store/entities/organisation.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';

/** The identity that a campaign's messages carry. */
export async function findSender(deps: Deps, campaign: Pick<Campaign, 'brandId' | 'listIds'>): Promise<SenderIdentity> {
  const brand = found(
    await deps.database.getRepository(BrandEntity).findOneBy({ id: campaign.brandId }),
    `brand ${campaign.brandId}`,
  );
  const list =
    campaign.listIds[0] === undefined
      ? null
      : await deps.database.getRepository(ListEntity).findOneBy({ id: campaign.listIds[0] });
  return {
    brandName: brand.name,
    fromAddress: brand.fromAddress,
    returnDomain: brand.returnDomain,
    publicUrl: deps.publicUrl,
    listName: list?.name ?? brand.name,
  };
}
