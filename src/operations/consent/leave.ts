import { randomUUID } from 'node:crypto';
import { listsToLeave } from '../../core/consent/leaving.ts';
import type { DeliveryOfToken } from '../../store/statements/returns.ts';
import type { Deps } from '../deps.ts';
import { OWN_SOURCE, type IncomingEvent } from '../events/record-events.ts';

/** A contact's own leaving, however it was said. */
export interface Leaving {
  contactId: number;
  brandId: number;
  campaignId: number | null;
  /** The lists that they leave; null for all marketing of the brand. */
  lists: number[] | null;
  /** By which way, in words: “one click”, “mail”. */
  way: string;
  /** Milliseconds since the epoch; now, if not given. */
  at?: number;
  /** What makes a repeat one; of its own, if not given. */
  externalId?: string;
}

/** The event that a leaving is: recording it is all there is to do, for every way out. */
export function leavingEvent(deps: Deps, leaving: Leaving): IncomingEvent {
  const { contactId, brandId, campaignId, lists, way, at = deps.now().getTime() } = leaving;
  const externalId = leaving.externalId ?? `unsubscribe:${randomUUID()}`;
  const detail = { way, ...(lists === null ? {} : { lists }) };
  return { kind: 'unsubscribed', at, source: OWN_SOURCE, externalId, contactId, brandId, campaignId, detail };
}

/**
 * What somebody leaves by a message of ours: the lists that it came from, or everything of the brand if they say so or
 * it came from none.
 */
export function leavingByMessage(
  message: Pick<DeliveryOfToken, 'contactId' | 'brandId' | 'purpose' | 'listIds' | 'bySegment'> & {
    campaignId: number | null;
  },
  way: string,
  everything = false,
): Leaving {
  const { contactId, brandId, campaignId } = message;
  return { contactId, brandId, campaignId, lists: everything ? null : listsToLeave(message), way };
}
