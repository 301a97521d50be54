import { parseAddress } from '../../core/address/normal-form.ts';
import type { BounceClass, EventKind } from '../../shared/words.ts';
import { findCampaignsOfBrands } from '../../store/statements/campaigns.ts';
import { createContacts, findContactIds } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { recordEvents, type IncomingEvent, type RecordedEvents } from './record-events.ts';

/** One event as another system sends it. */
export interface OutsideEvent {
  kind: EventKind;
  /** RFC 3339. */
  at: string;
  source: string;
  externalId: string;
  address: string;
  brandId?: number;
  campaignId?: number;
  class?: BounceClass;
  status?: string;
  reply?: string;
  url?: string;
  link?: number;
  userAgent?: string;
  lists?: number[];
  way?: string;
  what?: string;
}

export interface TakenEvents extends RecordedEvents {
  refused: { line: number; detail: string }[];
}

/** An event may be this far ahead of our clock; anything later is a mistake. */
const AHEAD_MS = 5 * 60_000;
const EARLIEST = Date.UTC(2000, 0, 1);

/**
 * Takes events from other systems: each is checked and matched to its contact and campaign; what cannot be used is
 * reported by line, all the rest is recorded. An address that is no contact is refused, or made one that is on no list. Source names of Avendel's own are not theirs to use.
 */
export async function takeEvents(
  deps: Deps,
  events: OutsideEvent[],
  unknown: 'refuse' | 'create' = 'refuse',
): Promise<TakenEvents> {
  const refused: TakenEvents['refused'] = [];
  const parsed = events.map((event) => parseAddress(event.address));
  const addresses = [...new Set(parsed.flatMap((one) => (one.ok ? [one.address] : [])))];
  let contacts = await findContactIds(deps.database, addresses);
  if (unknown === 'create' && contacts.size < addresses.length) {
    await createContacts(deps.database, addresses.filter((address) => !contacts.has(address)), deps.now()); // prettier-ignore
    contacts = await findContactIds(deps.database, addresses);
  }
  const campaigns = await findCampaignsOfBrands(deps.database, [
    ...new Set(events.flatMap((event) => event.campaignId ?? [])),
  ]);
  const incoming: IncomingEvent[] = [];
  events.forEach((event, index) => {
    const address = parsed[index]!;
    const contactId = address.ok ? contacts.get(address.address) : undefined;
    const brandId = event.campaignId === undefined ? event.brandId : campaigns.get(event.campaignId);
    const at = Date.parse(event.at);
    const detail = problemOf(deps, event, at, contactId, brandId);
    if (detail) refused.push({ line: index + 1, detail });
    else incoming.push(incomingOf(event, at, contactId!, brandId!));
  });
  return { ...(await recordEvents(deps, incoming)), refused };
}

function problemOf(
  deps: Deps,
  event: OutsideEvent,
  at: number,
  contactId: number | undefined,
  brandId: number | undefined,
): string | undefined {
  if (event.source === 'avendel') return 'the source “avendel” is for events that Avendel observes itself';
  if (contactId === undefined) return `no contact has the address ${event.address.slice(0, 200)}`;
  if (brandId === undefined)
    return event.campaignId === undefined
      ? 'name a brandId or a campaignId'
      : `there is no campaign ${event.campaignId}`;
  if (at > deps.now().getTime() + AHEAD_MS) return `${event.at} lies in the future`;
  return at < EARLIEST ? `${event.at} lies before the year 2000` : undefined;
}

function incomingOf(event: OutsideEvent, at: number, contactId: number, brandId: number): IncomingEvent {
  const {
    kind,
    source,
    externalId,
    campaignId,
    class: bounceClass,
    status,
    reply,
    url,
    link,
    userAgent,
    lists,
    way,
    what,
  } = event;
  const detail = {
    ...(kind === 'bounced' ? { class: bounceClass ?? 'soft' } : {}),
    status,
    reply,
    url,
    link,
    userAgent,
    lists,
    way,
    what,
  };
  return { kind, at, source, externalId, contactId, brandId, campaignId: campaignId ?? null, detail };
}
