import { Readable } from 'node:stream';
import { runImport } from '../../src/operations/imports/import-contacts.ts';
import { receiveImport } from '../../src/operations/imports/receive-import.ts';
import type { Deps } from '../../src/operations/deps.ts';
import type { IncomingEvent } from '../../src/operations/events/record-events.ts';
import { createBrand, createList } from '../../src/operations/organisation/set-up.ts';
import { recordCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { findImport, type ImportRow } from '../../src/store/statements/imports.ts';
import { findContactIds } from '../../src/store/statements/contacts.ts';
import { NOTHING_ELSE } from './parts.ts';

export const DAY = 86_400_000;

export interface SmallWorld {
  brandId: number;
  listId: number;
  contactIds: number[];
  addresses: string[];
}

/** A brand with one list and so many contacts on it, joined long ago. */
export async function makeSmallWorld(deps: Deps, contacts: number): Promise<SmallWorld> {
  const brand = await createBrand(deps, {
    name: 'Larkfield Observatory',
    fromAddress: 'digest@larkfield.example',
    returnDomain: 'returns.larkfield.example',
    zone: 'UTC',
  });
  const list = await createList(deps, { brandId: brand.id, name: 'Night Digest', optIn: 'single' });
  const addresses = Array.from({ length: contacts }, (_, index) => `reader${index}@lanternpost.example`);
  await importText(
    deps,
    list.id,
    ['address,name,joined', ...addresses.map((address, index) => `${address},Reader ${index},2025-01-01`)].join('\n'),
  );
  const ids = await findContactIds(deps.database, addresses);
  return { brandId: brand.id, listId: list.id, addresses, contactIds: addresses.map((address) => ids.get(address)!) };
}

export async function importText(
  deps: Deps,
  listId: number,
  text: string | Buffer,
  dryRun = false,
  mapping?: Record<string, string | null>,
): Promise<ImportRow> {
  const bytes = Readable.from([typeof text === 'string' ? Buffer.from(text) : text]);
  const request = { listId, fileName: 'contacts.csv', dryRun, mapping, actor: 'Rosa Lindgard' };
  const row = await receiveImport(deps, request, bytes);
  await runImport(deps, row.id);
  return (await findImport(deps.database, row.id))!;
}

/** So many campaigns sent elsewhere, a week apart, the last a day before \`now\`. */
export async function makePastCampaigns(
  deps: Deps,
  world: SmallWorld,
  count: number,
): Promise<{ id: number; at: number }[]> {
  const campaigns = [];
  for (let index = 0; index < count; index++) {
    const at = deps.now().getTime() - DAY - (count - 1 - index) * 7 * DAY;
    const draft = {
      brandId: world.brandId,
      name: `Digest ${index + 1}`,
      subject: 's',
      html: '',
      listIds: [world.listId],
      ...NOTHING_ELSE,
    };
    campaigns.push({ id: (await recordCampaign(deps, { ...draft, startedAt: new Date(at) })).id, at });
  }
  return campaigns;
}

/** An event of another system; its external id is made of what it is, so that giving it twice is a repeat. */
export function outside(
  world: SmallWorld,
  kind: IncomingEvent['kind'],
  contact: number,
  campaign: { id: number } | null,
  at: number,
  detail: IncomingEvent['detail'] = {},
): IncomingEvent {
  return {
    kind,
    at,
    source: 'elsewhere',
    externalId: `${kind}:${contact}:${campaign?.id ?? 0}:${at}:${JSON.stringify(detail)}`,
    contactId: world.contactIds[contact]!,
    brandId: world.brandId,
    campaignId: campaign?.id ?? null,
    detail,
  };
}
