import { parseAddress } from '../../core/address/normal-form.ts';
import { BrandEntity, ListEntity } from '../../store/entities/organisation.ts';
import { findContact, findContactSubscriptions } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { recordEvents } from '../events/record-events.ts';
import { found, Problem } from '../problem.ts';
import { leavingEvent } from './leave.ts';

export interface UnsubscribeRequest {
  address: string;
  /** What the person said, and how: “by telephone, too many messages”. */
  reason: string;
  /** One list only; else everything of the brands below. */
  listId?: number;
  /** One brand; else every brand. */
  brandId?: number;
  actor: string;
}

export interface Unsubscribed {
  contactId: number;
  brands: number[];
  /** Lists the contact was subscribed to before. */
  left: string[];
}

/**
 * Unsubscribes somebody who asked by telephone, letter or reply: as final as their own click, with who took it down and
 * why.
 */
export async function unsubscribeByRequest(deps: Deps, request: UnsubscribeRequest): Promise<Unsubscribed> {
  const parsed = parseAddress(request.address);
  if (!parsed.ok)
    throw new Problem('invalid-input', `“${request.address.slice(0, 200)}” is not an address.`, { field: 'address' });
  const contact = await findContact(deps.database, { address: parsed.address });
  if (!contact)
    throw new Problem(
      'not-found',
      `${parsed.address} is no contact of ours. To keep them out for good, put the address on a suppression list of your own.`,
    );
  const list =
    request.listId === undefined
      ? null
      : found(
          await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }),
          `list ${request.listId}`,
        );
  const brandIds = list
    ? [list.brandId]
    : request.brandId === undefined
      ? (await deps.database.getRepository(BrandEntity).find()).map((brand) => brand.id)
      : [request.brandId];
  const before = await findContactSubscriptions(deps.database, contact.id);
  await recordEvents(
    deps,
    brandIds.map((brandId) =>
      leavingEvent(deps, {
        contactId: contact.id,
        brandId,
        campaignId: null,
        lists: list && [list.id],
        way: `asked ${request.actor}: ${request.reason}`,
      }),
    ),
  );
  const left = before
    .filter((row) => row.state === 'subscribed' && brandIds.includes(row.brandId) && (!list || row.listId === list.id))
    .map((row) => row.listName);
  return { contactId: contact.id, brands: brandIds, left };
}
