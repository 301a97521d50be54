/** The closed vocabularies of Avendel: one name for one thing in code, tables, API and console. */

/** What can happen to a message or a contact. */
export const EVENT_KINDS = [
  'sent',
  'delivered',
  'delayed',
  'bounced',
  'opened',
  'clicked',
  'complained',
  'unsubscribed',
  'subscribed',
  'confirmed',
  'visited',
  'purchased',
  'replied',
] as const;
/** One of EVENT_KINDS. */
export type EventKind = (typeof EVENT_KINDS)[number];

/** Acts that can give points or take them. */
export const SCORED_ACTS = [
  'opened',
  'clicked',
  'visited',
  'replied',
  'purchased',
  'confirmed',
  'sent',
  'bounced',
  'complained',
  'unsubscribed',
] as const satisfies readonly EventKind[];
/** One of the acts that a score counts. */
export type ScoredAct = (typeof SCORED_ACTS)[number];

/** Who an open or a click was: decided by rules with a named reason, and decided anew when they change. */
export const ACTORS = ['human', 'machine', 'unknown'] as const;
/** One of ACTORS. */
export type Actor = (typeof ACTORS)[number];

/** In which order contacts are listed; by number means by when they came in. */
export const CONTACT_ORDERS = ['oldest', 'newest', 'a-to-z', 'z-to-a'] as const;
export type ContactOrder = (typeof CONTACT_ORDERS)[number];

/** Where a contact stands on a brand’s ladder by silence, from new to sunset. */
export const STAGES = ['new', 'engaged', 'fading', 'dormant', 'sunset'] as const;
/** One of STAGES. */
export type Stage = (typeof STAGES)[number];

/** Whether an address can receive: `doubtful` is counting towards the bounce rule, `undeliverable` gets nothing. */
export const DELIVERABILITIES = ['deliverable', 'doubtful', 'undeliverable'] as const;
/** One of DELIVERABILITIES. */
export type Deliverability = (typeof DELIVERABILITIES)[number];

/**
 * `hard`: the address cannot receive. `soft`: not now. `block`: the sender or the message was refused; never the
 * address’s fault.
 */
export const BOUNCE_CLASSES = ['hard', 'soft', 'block'] as const;
/** One of BOUNCE_CLASSES. */
export type BounceClass = (typeof BOUNCE_CLASSES)[number];

/** Figures about a brand that a list of contacts can be narrowed to; all but the first two count since an instant. */
export const AMONG = [
  'may-be-written',
  'held-back',
  'came-in',
  'unsubscribed',
  'became-undeliverable',
  'complained',
  'to-sunset',
  'from-sunset',
  'reached-bounce-count',
] as const;
/** One of AMONG: whom a figure counts. */
export type Among = (typeof AMONG)[number];

/** Why a contact is held back, in the order in which a reason decides. */
export const REASONS = [
  'erased',
  'archived',
  'undeliverable',
  'suppressed',
  'complained',
  'unsubscribed',
  'unconfirmed',
  'no-permission',
  'sunset',
  'machine',
  'left-out',
  'capped',
  'duplicate',
] as const;
/** One of REASONS: why somebody is held back. */
export type Reason = (typeof REASONS)[number];

/** What an outside verifier can have said of an address. */
export const OUTSIDE_VERDICTS = [
  'good',
  'risky',
  'catch-all',
  'undeliverable',
  'trap',
  'no-address',
  'unknown',
] as const;
/** One of OUTSIDE_VERDICTS. */
export type OutsideVerdict = (typeof OUTSIDE_VERDICTS)[number];

/** Findings about an address whose severity is a setting. */
export const SETTABLE_CODES = [
  'refuse-list',
  'null-exchanger',
  'no-exchanger',
  'look-alike-domain',
  'role-name',
] as const;
/** One of SETTABLE_CODES: a finding whose severity is a setting. */
export type SettableCode = (typeof SETTABLE_CODES)[number];

/** What an attribute of the organisation's own holds. */
export const ATTRIBUTE_TYPES = ['text', 'number', 'date', 'yes-no', 'choice'] as const;
/** One of ATTRIBUTE_TYPES. */
export type AttributeKind = (typeof ATTRIBUTE_TYPES)[number];

/** What may stand between the cells of a row. */
export const DELIMITERS = [',', ';', '\t', '|'] as const;
/** One of DELIMITERS. */
export type Delimiter = (typeof DELIMITERS)[number];

/** Encodings in which a table can come; the last is what old spreadsheet programs of western Europe write. */
export const ENCODINGS = ['utf-8', 'utf-16le', 'utf-16be', 'windows-1252'] as const;
/** One of ENCODINGS, as the WHATWG Encoding Standard names them. */
export type Encoding = (typeof ENCODINGS)[number];

/** A contact’s state on a list; who was never on it has none. */
export const SUBSCRIPTION_STATES = ['pending', 'subscribed', 'unsubscribed'] as const;
/** One of SUBSCRIPTION_STATES. */
export type SubscriptionState = (typeof SUBSCRIPTION_STATES)[number];

/** Who ended a subscription, or entered an opt-out. Whatever the contact did not say can be given back. */
export const ENDED_BY = ['contact', 'staff', 'rule', 'standing act'] as const;
/** One of ENDED_BY. */
export type EndedBy = (typeof ENDED_BY)[number];

/** From draft to finished; `cancelled` and `finished` are for good. */
export const CAMPAIGN_STATES = ['draft', 'scheduled', 'sending', 'resting', 'paused', 'finished', 'cancelled'] as const;
/** One of CAMPAIGN_STATES. */
export type CampaignState = (typeof CAMPAIGN_STATES)[number];

/** Where a recipient stands in a campaign’s ledger: each is in exactly one at any moment. */
export const DELIVERY_STATES = ['held-back', 'queued', 'claimed', 'accepted', 'refused', 'uncertain'] as const;
/** One of DELIVERY_STATES. */
export type DeliveryState = (typeof DELIVERY_STATES)[number];

/** `marketing` is held back by every reason, `service` only by those that stop everything. */
export const PURPOSES = ['marketing', 'service'] as const;
/** One of PURPOSES. */
export type Purpose = (typeof PURPOSES)[number];

/** What a service message reaches people in spite of. */
export const IN_SPITE_OF = ['complained', 'unsubscribed', 'sunset'] as const satisfies readonly Reason[];
/** One of IN_SPITE_OF. */
export type InSpiteOf = (typeof IN_SPITE_OF)[number];

/** What a message is made of: HTML with a text part, or plain text alone. */
export const MESSAGE_FORMATS = ['html', 'text'] as const;
/** One of MESSAGE_FORMATS. */
export type MessageFormat = (typeof MESSAGE_FORMATS)[number];

/** How much a finding of the check weighs: it stops the message, is worth a look, or is as it should be. */
export const FINDING_WEIGHTS = ['stops', 'look', 'fine'] as const;
/** One of FINDING_WEIGHTS. */
export type FindingWeight = (typeof FINDING_WEIGHTS)[number];

/** What an entry stops: marketing, or everything. */
export const REACHES = ['marketing', 'everything'] as const;
/** One of REACHES. */
export type Reach = (typeof REACHES)[number];

/** For whom a suppression list holds. */
export const SCOPES = ['organisation', 'brand', 'list'] as const;
/** One of SCOPES. */
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
/** One of BUILT_IN_LISTS, which rules fill. */
export type BuiltInList = (typeof BUILT_IN_LISTS)[number];

/** How a message that came back was read. */
export const RETURN_KINDS = [
  'bounce',
  'delay',
  'success',
  'auto_reply',
  'challenge',
  'complaint',
  'not_spam',
  'unsubscribe_request',
  'read_receipt',
  'reply',
  'unknown',
  'unreadable',
] as const;
/** One of RETURN_KINDS. */
export type ReturnKind = (typeof RETURN_KINDS)[number];
