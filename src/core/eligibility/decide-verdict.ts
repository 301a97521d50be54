import type { Entry } from '../../shared/contract/suppression.ts';
import {
  REASONS,
  type BuiltInList,
  type Deliverability,
  type Purpose,
  type Reason,
  type SubscriptionState,
} from '../../shared/words.ts';

/** A suppression entry that matches the contact and is in effect. */
export type MatchingEntry = Pick<Entry, 'listId' | 'listName' | 'builtIn' | 'scope' | 'scopeId' | 'reach'> & {
  entryId: string;
};

/** All that decides whether one contact may receive one message of one brand. */
export interface EligibilityFacts {
  erased: boolean;
  archived: boolean;
  deliverability: Deliverability;
  entries: readonly MatchingEntry[];
  /** Subscriptions on the lists that the audience comes from, or on all lists of the brand when none are named. */
  subscriptions: readonly { listId: number; state: SubscriptionState }[];
  leftOut: boolean;
  /** Whether a cap on how often they are written to is full. */
  capped: boolean;
  /** Whether the contact already has this campaign. */
  alreadySent: boolean;
}

export interface MessageScope {
  brandId: number;
  listIds: readonly number[];
  purpose: Purpose;
}

export interface Verdict {
  eligible: boolean;
  deciding: Reason | undefined;
  reasons: Reason[];
}

/**
 * Built-in lists by the reason their entries give. The erasure list is `erased`; all others that stop everything are
 * `undeliverable`.
 */
export const REASON_OF_LIST: Readonly<Record<BuiltInList, Reason>> = {
  'hard-bounce': 'undeliverable',
  'bounce-count': 'undeliverable',
  invalid: 'undeliverable',
  'spam-trap': 'undeliverable',
  erasure: 'erased',
  complaint: 'complained',
  'opt-out': 'unsubscribed',
  sunset: 'sunset',
  automated: 'machine',
};

/** Reasons that stop service messages too, whatever list they come from. */
const STOP_EVERYTHING: ReadonlySet<Reason> = new Set<Reason>([
  'erased',
  'archived',
  'undeliverable',
  'left-out',
  'duplicate',
]);

/** May this contact receive this message? Every reason that applies, in the order in which they decide. */
export function decideVerdict(facts: EligibilityFacts, message: MessageScope): Verdict {
  const found = new Set<Reason>([
    ...contactReasons(facts),
    ...entryReasons(facts, message),
    ...subscriptionReasons(facts),
  ]);
  const reasons = REASONS.filter((reason) => found.has(reason) && stops(reason, facts, message));
  return { eligible: reasons.length === 0, deciding: reasons[0], reasons };
}

function contactReasons(facts: EligibilityFacts): Reason[] {
  const reasons: Reason[] = [];
  if (facts.erased) reasons.push('erased');
  if (facts.archived) reasons.push('archived');
  if (facts.deliverability === 'undeliverable') reasons.push('undeliverable');
  if (facts.leftOut) reasons.push('left-out');
  if (facts.capped) reasons.push('capped');
  if (facts.alreadySent) reasons.push('duplicate');
  return reasons;
}

function entryReasons(facts: EligibilityFacts, message: MessageScope): Reason[] {
  return facts.entries
    .filter((entry) => applies(entry, message))
    .map((entry) => (entry.builtIn ? REASON_OF_LIST[entry.builtIn] : 'suppressed'));
}

function subscriptionReasons({ subscriptions }: EligibilityFacts): Reason[] {
  if (subscriptions.some(({ state }) => state === 'subscribed')) return [];
  if (subscriptions.some(({ state }) => state === 'pending')) return ['unconfirmed'];
  return subscriptions.length > 0 ? ['unsubscribed'] : ['no-permission'];
}

/** Whether an entry's list is in scope of this message and its reach stops it. */
export function applies(entry: MatchingEntry, message: MessageScope): boolean {
  if (message.purpose === 'service' && entry.reach !== 'everything') return false;
  if (entry.scope === 'organisation') return true;
  if (entry.scope === 'brand') return entry.scopeId === message.brandId;
  // A list-scoped entry stops the messages of that list: those that come from no other list as well.
  return message.listIds.length > 0 && message.listIds.every((listId) => listId === entry.scopeId);
}

function stops(reason: Reason, facts: EligibilityFacts, message: MessageScope): boolean {
  if (message.purpose === 'marketing' || STOP_EVERYTHING.has(reason)) return true;
  // Of the rest, only entries that reach everything stop a service message.
  return entryReasons(facts, message).includes(reason);
}
