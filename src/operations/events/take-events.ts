import type { OutsideEvent } from '../../shared/contract/events.ts';
import { eventId } from '../../core/activity/event.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { findCampaignsOfBrands } from '../../store/statements/campaigns.ts';
import { createContacts, findContactIds } from '../../store/statements/contacts.ts';
import { keepEventsAside } from '../../store/statements/events-aside.ts';
import type { Deps } from '../deps.ts';
import { recordEvents, type IncomingEvent, type RecordedEvents } from './record-events.ts';

export interface TakenEvents extends RecordedEvents {
  /** Kept until their address is a contact. */
  aside: number;
  refused: { line: number; detail: string }[];
}

/** An event may be this far ahead of our clock; anything later is a mistake. */
const AHEAD_MS = 5 * 60_000;
const EARLIEST = Date.UTC(2000, 0, 1);

/**
 * Takes events from other systems: each is checked and matched to its contact and campaign; what cannot be used is
 * reported by line, all the rest is recorded. An address that is no contact is refused, made one that is on no list, or
 * its event is kept aside until it is one. Source names of Avendel's own are not theirs to use.
 */
export async function takeEvents(
  deps: Deps,
  events: OutsideEvent[],
  unknown: 'refuse' | 'create' | 'keep' = 'refuse',
): Promise<TakenEvents> {
  const refused: TakenEvents['refused'] = [];
  const parsed = events.map((event) => parseAddress(event.address));
  const addresses = [...new Set(parsed.flatMap((one) => (one.ok ? [one.address] : [])))];
  let contacts = await findContactIds(deps.database, addresses);
  if (unknown === 'create' && contacts.size < addresses.length) {
    await createContacts(
      deps.database,
      addresses.filter((address) => !contacts.has(address)),
      deps.now(),
    );
    contacts = await findContactIds(deps.database, addresses);
  }
  const campaigns = await findCampaignsOfBrands(deps.database, [
    ...new Set(events.flatMap((event) => event.campaignId ?? [])),
  ]);
  const incoming: IncomingEvent[] = [];
  const aside: { id: string; address: string; body: unknown }[] = [];
  events.forEach((event, index) => {
    const address = parsed[index]!;
    const contactId = address.ok ? contacts.get(address.address) : undefined;
    const brandId = event.campaignId === undefined ? event.brandId : campaigns.get(event.campaignId);
    const at = Date.parse(event.at);
    const detail = problemOf(deps, event, at, contactId, brandId);
    if (detail === NO_CONTACT && unknown === 'keep' && address.ok)
      aside.push({ id: eventId(event.source, event.externalId), address: address.address, body: event });
    else if (detail === NO_CONTACT)
      refused.push({ line: index + 1, detail: `no contact has the address ${event.address.slice(0, 200)}` });
    else if (detail) refused.push({ line: index + 1, detail });
    else incoming.push(incomingOf(event, at, contactId!, brandId!));
  });
  const kept = aside.length === 0 ? 0 : await keepEventsAside(deps.database, aside);
  return { ...(await recordEvents(deps, incoming)), aside: kept, refused };
}

const NO_CONTACT = 'no contact';

function problemOf(
  deps: Deps,
  event: OutsideEvent,
  at: number,
  contactId: number | undefined,
  brandId: number | undefined,
): string | undefined {
  if (event.source === 'avendel') return 'the source “avendel” is for events that Avendel observes itself';
  if (brandId === undefined)
    return event.campaignId === undefined
      ? 'name a brandId or a campaignId'
      : `there is no campaign ${event.campaignId}`;
  if (at > deps.now().getTime() + AHEAD_MS) return `${event.at} lies in the future`;
  if (at < EARLIEST) return `${event.at} lies before the year 2000`;
  return contactId === undefined ? NO_CONTACT : undefined;
}

/** What is kept of an event beside what every event has. */
const DETAILS = ['status', 'reply', 'url', 'link', 'userAgent', 'lists', 'way', 'what'] as const;

function incomingOf(event: OutsideEvent, at: number, contactId: number, brandId: number): IncomingEvent {
  const { kind, source, externalId, campaignId } = event;
  const detail: Record<string, unknown> = kind === 'bounced' ? { class: event.class ?? 'soft' } : {};
  for (const name of DETAILS) if (event[name] !== undefined) detail[name] = event[name];
  return { kind, at, source, externalId, contactId, brandId, campaignId: campaignId ?? null, detail };
}
