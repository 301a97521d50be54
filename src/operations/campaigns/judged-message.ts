import type { Campaign } from '../../store/entities/campaign.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';

/** A campaign as eligibility sees it. */
export function judgedMessage(campaign: Campaign): JudgedMessage {
  return {
    campaignId: campaign.id,
    brandId: campaign.brandId,
    purpose: campaign.purpose,
    listIds: campaign.listIds,
    leftOutListIds: campaign.leftOutListIds,
  };
}
