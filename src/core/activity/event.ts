import { createHash } from 'node:crypto';
import type { Actor, BounceClass, EventKind } from '../../shared/words.ts';

/** What is particular to an event of its kind. */
export interface EventDetail {
  /** bounced, delayed: how the return was classed, and what the server said. */
  class?: BounceClass;
  status?: string;
  reply?: string;
  because?: string;
  /** clicked: number and address of the link. */
  link?: number;
  url?: string;
  /** opened, clicked: what fetched it, from which address of the network, and how. */
  userAgent?: string;
  network?: string;
  method?: string;
  /** What fetched it and from where is not kept any more: who it was stays as it was judged. */
  swept?: boolean;
  /** unsubscribed, subscribed, confirmed: the lists concerned; none means the whole brand. */
  lists?: number[];
  /** unsubscribed, complained: by which way. */
  way?: string;
  /** purchased, visited, replied: in words. */
  what?: string;
}

/** One event, ready to be stored. Instants are milliseconds since the epoch. */
export interface StorableEvent {
  id: string;
  contactId: number;
  brandId: number;
  campaignId: number | null;
  kind: EventKind;
  at: number;
  actor: Actor;
  actorReason: string | null;
  source: string;
  externalId: string;
  detail: EventDetail | null;
}

/** What an event is known by: (source, external id) in one text. */
export const eventName = (source: string, externalId: string): string => `${source}\u001f${externalId}`;

/** Number of an event: a digest of its name, so that a repeat is the same event wherever it comes from. */
export function eventId(source: string, externalId: string): string {
  const hex = createHash('sha256').update(eventName(source, externalId), 'utf8').digest('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20, 32)}`;
}
