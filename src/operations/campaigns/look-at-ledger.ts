import {
  countRecipients,
  listCampaignChanges,
  listRecipients,
  type CampaignChange,
  type CampaignRecipient,
  type RecipientFilter,
} from '../../store/statements/campaigns.ts';
import type { LeftOutBy } from '../../shared/contract/held-by.ts';
import { nameCapped, nameLeftOutBy, type CappedByNamed } from '../../store/statements/held-back-by.ts';
import type { Deps } from '../deps.ts';
import { getCampaign } from './edit-campaign.ts';

/** Who is in the ledger of a campaign, numbered above `after`, and how many there are in all. */
export async function lookAtLedger(
  deps: Deps,
  id: number,
  filter: RecipientFilter,
  after: number,
  limit: number,
): Promise<{ rows: RecipientNamed[]; total: number }> {
  return {
    rows: await nameHolding(deps, await listRecipients(deps.database, id, filter, after, limit)),
    total: await countRecipients(deps.database, id, filter),
  };
}

/** A recipient with the names of what holds them back. */
export type RecipientNamed = Omit<CampaignRecipient, 'leftOutBy' | 'cappedBy'> & {
  leftOutBy: LeftOutBy | null;
  cappedBy: CappedByNamed | null;
};

/** Gives rows of a ledger the names of what leaves them out, and of the campaigns that fill their cap. */
export async function nameHolding(deps: Deps, rows: CampaignRecipient[]): Promise<RecipientNamed[]> {
  const named = await nameLeftOutBy(deps.database, new Set(rows.flatMap(({ leftOutBy }) => leftOutBy ?? [])));
  return (await nameCapped(deps.database, rows)).map((row) => ({
    ...row,
    leftOutBy: row.leftOutBy === null ? null : (named.get(row.leftOutBy) ?? null),
  }));
}

/** How the state of a campaign changed, and why. @throws Problem not-found */
export async function listChanges(deps: Deps, id: number): Promise<CampaignChange[]> {
  await getCampaign(deps, id);
  return listCampaignChanges(deps.database, id);
}
