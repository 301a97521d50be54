/** The closed vocabularies of Avendel: one name for one thing in code, tables, API and console. */

export const EVENT_KINDS = [
  'sent', 'delivered', 'delayed', 'bounced', 'opened', 'clicked', 'complained', 'unsubscribed',
  'subscribed', 'confirmed', 'visited', 'purchased', 'replied',
] as const; // prettier-ignore
export type EventKind = (typeof EVENT_KINDS)[number];

/** Acts that can give points or take them. */
export const SCORED_ACTS = [
  'opened', 'clicked', 'visited', 'replied', 'purchased', 'confirmed', 'sent', 'bounced', 'complained', 'unsubscribed',
] as const satisfies readonly EventKind[]; // prettier-ignore
export type ScoredAct = (typeof SCORED_ACTS)[number];

export const ACTORS = ['human', 'machine', 'unknown'] as const;
export type Actor = (typeof ACTORS)[number];

export const STAGES = ['new', 'engaged', 'fading', 'dormant', 'sunset'] as const;
export type Stage = (typeof STAGES)[number];

export const DELIVERABILITIES = ['deliverable', 'doubtful', 'undeliverable'] as const;
export type Deliverability = (typeof DELIVERABILITIES)[number];

export const BOUNCE_CLASSES = ['hard', 'soft', 'block'] as const;
export type BounceClass = (typeof BOUNCE_CLASSES)[number];

/** Why a contact is held back, in the order in which a reason decides. */
export const REASONS = [
  'erased', 'archived', 'undeliverable', 'suppressed', 'complained', 'unsubscribed', 'unconfirmed',
  'no-permission', 'sunset', 'machine', 'left-out', 'capped', 'duplicate',
] as const; // prettier-ignore
export type Reason = (typeof REASONS)[number];

/** What an outside verifier can have said of an address. */
export const OUTSIDE_VERDICTS = [
  'good',
  'risky',
  'catch-all',
  'undeliverable',
  'trap',
  'malformed',
  'unknown',
] as const;
export type OutsideVerdict = (typeof OUTSIDE_VERDICTS)[number];

/** Findings about an address whose severity is a setting. */
export const SETTABLE_CODES = ['refuse-list', 'null-exchanger', 'no-exchanger', 'look-alike-domain', 'role-name'] as const; // prettier-ignore
export type SettableCode = (typeof SETTABLE_CODES)[number];

/** What an attribute of the organisation's own holds. */
export const ATTRIBUTE_TYPES = ['text', 'number', 'date', 'yes-no', 'choice'] as const;
export type AttributeKind = (typeof ATTRIBUTE_TYPES)[number];

/** Encodings in which a table can come; the last is what old spreadsheet programs of western Europe write. */
export const ENCODINGS = ['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'] as const;
export type Encoding = (typeof ENCODINGS)[number];

export const SUBSCRIPTION_STATES = ['pending', 'subscribed', 'unsubscribed'] as const;
export type SubscriptionState = (typeof SUBSCRIPTION_STATES)[number];

export const CAMPAIGN_STATES = ['draft', 'scheduled', 'sending', 'paused', 'finished', 'cancelled'] as const;
export type CampaignState = (typeof CAMPAIGN_STATES)[number];

export const DELIVERY_STATES = ['held-back', 'queued', 'claimed', 'accepted', 'refused', 'uncertain'] as const;
export type DeliveryState = (typeof DELIVERY_STATES)[number];

export const PURPOSES = ['marketing', 'service'] as const;
export type Purpose = (typeof PURPOSES)[number];

export const REACHES = ['marketing', 'everything'] as const;
export type Reach = (typeof REACHES)[number];

export const SCOPES = ['organisation', 'brand', 'list'] as const;
export type Scope = (typeof SCOPES)[number];

/** Suppression lists that rules fill. */
export const BUILT_IN_LISTS = [
  'hard-bounce',
  'bounce-count',
  'invalid',
  'spam-trap',
  'erasure',
  'complaint',
  'opt-out',
  'sunset',
  'automated',
] as const;
export type BuiltInList = (typeof BUILT_IN_LISTS)[number];

export const RETURN_KINDS = [
  'bounce', 'delay', 'success', 'auto_reply', 'challenge', 'complaint', 'not_spam',
  'unsubscribe_request', 'read_receipt', 'reply', 'unknown',
] as const; // prettier-ignore
export type ReturnKind = (typeof RETURN_KINDS)[number];
