import Joi from 'joi';
import {
  id,
  anyText,
  instant,
  oneOf,
  text,
  page,
  pageOf,
  countedPageOf,
  contactParams,
  pageQuery,
  type PageQuery,
  where,
} from './parts.ts';
import {
  type Deliverability,
  type OutsideVerdict,
  type Among,
  type ContactOrder,
  DELIVERABILITIES,
  OUTSIDE_VERDICTS,
  type Reason,
  type Stage,
  REASONS,
  STAGES,
  type SubscriptionState,
  type EndedBy,
  SUBSCRIPTION_STATES,
  ENDED_BY,
  type Actor,
  ACTORS,
  AMONG,
  CONTACT_ORDERS,
  EVENT_KINDS,
} from '../words.ts';
import { type Entry, entrySchema } from './suppression.ts';
import { cappedBySchema, type CappedBy } from './held-by.ts';
import { contract } from './contract.ts';
import { journalItemSchema } from './runs.ts';

/** A contact with their marks. Instants are RFC 3339 texts, here and everywhere. */
export interface Contact {
  id: number;
  address: string;
  name: string | null;
  attributes: Record<string, unknown>;
  joinedAt: string;
  archivedAt: string | null;
  erasedAt: string | null;
  deliverability: Deliverability;
  deliverabilitySince: string | null;
  deliverabilityCause: Record<string, unknown> | null;
  tags: string[];
  /** What an outside verifier last said of the address, in their word and ours. */
  verdict: OutsideVerdict | null;
  verdictCause: { source: string; checkedAt: string; word: string } | null;
  /** The contact that took over when this one was merged. */
  mergedInto: number | null;
}

/** Which contacts: those that match all of it. */
export interface ContactQuery {
  brandId: number;
  part?: string;
  listId?: number;
  stage?: Stage;
  deliverability?: Deliverability;
  tag?: string;
  /** A condition of the brand. */
  where?: string;
  /** Only who is, or ever was, on a list of the brand. */
  ofBrand?: boolean;
  /** Only archived contacts, or none. */
  archived?: boolean;
  /** Whom a figure of the brand counts. */
  among?: Among;
  /** From when on `among` counts; a day ago, if left out. */
  since?: string;
}

/** Answer of `GET /contacts/:id/time-line`. */
export interface TimeLineAnswer {
  items: TimeLineItem[];
  more: boolean;
}

const contactFields = {
  id: Joi.number().required(),
  address: anyText.required(),
  name: anyText.allow(null).required(),
  attributes: Joi.object().pattern(Joi.string(), Joi.any()).required(),
  joinedAt: instant.required(),
  archivedAt: instant.allow(null).required(),
  erasedAt: instant.allow(null).required(),
  deliverability: oneOf(DELIVERABILITIES).required(),
  deliverabilitySince: instant.allow(null).required(),
  deliverabilityCause: Joi.object().pattern(Joi.string(), Joi.any()).allow(null).required(),
  tags: Joi.array().items(anyText).required(),
  verdict: oneOf(OUTSIDE_VERDICTS).allow(null).required(),
  verdictCause: Joi.object<NonNullable<Contact['verdictCause']>, true>({
    source: anyText.required(),
    checkedAt: instant.required(),
    word: anyText.required(),
  })
    .allow(null)
    .required(),
  mergedInto: Joi.number().allow(null).required(),
};
const contactSchema = Joi.object<Contact, true>(contactFields);

/** May this brand write to this address, and why: all reasons, the deciding one first, each with a sentence. */
export interface BrandVerdict {
  brandId: number;
  brandName: string;
  eligible: boolean;
  deciding?: Reason;
  reasons: Reason[];
  stage: Stage;
  silentDays: number;
  messages: number;
  stageSince: string | null;
  because: { reason: Reason; text: string }[];
  /**
   * The cap that is full now: it holds back the next marketing message until there is room. It is no reason that lasts.
   */
  capped: (CappedBy & { until: string }) | null;
  serviceReasons: Reason[];
}
const brandVerdictSchema = Joi.object<BrandVerdict, true>({
  brandId: Joi.number().required(),
  brandName: anyText.required(),
  eligible: Joi.boolean().required(),
  deciding: oneOf(REASONS),
  reasons: Joi.array().items(oneOf(REASONS)).required(),
  stage: oneOf(STAGES).required(),
  silentDays: Joi.number().required(),
  messages: Joi.number().required(),
  stageSince: instant.allow(null).required(),
  because: Joi.array()
    .items(
      Joi.object<BrandVerdict['because'][number], true>({
        reason: oneOf(REASONS).required(),
        text: anyText.required(),
      }),
    )
    .required(),
  capped: cappedBySchema.append<CappedBy & { until: string }>({ until: instant.required() }).allow(null).required(),
  serviceReasons: Joi.array().items(oneOf(REASONS)).required(),
});

/** A contact and a list; `state` is null when they were never on it. */
export interface Subscription {
  listId: number;
  listName: string;
  brandId: number;
  brandName: string;
  optIn: string;
  state: SubscriptionState | null;
  since: string | null;
  source: string | null;
  /** Who ended it, where it has ended: what the contact did not end can be given back. */
  endedBy: EndedBy | null;
}
const subscriptionSchema = Joi.object<Subscription, true>({
  listId: Joi.number().required(),
  listName: anyText.required(),
  brandId: Joi.number().required(),
  brandName: anyText.required(),
  optIn: anyText.required(),
  state: oneOf(SUBSCRIPTION_STATES).allow(null).required(),
  since: instant.allow(null).required(),
  source: anyText.allow(null).required(),
  endedBy: oneOf(ENDED_BY).allow(null).required(),
});

/** One bounce of an address, with its class and what the server said. */
export interface Bounce {
  id: string;
  at: string;
  class: string;
  status: string | null;
  reply: string | null;
  because: string | null;
  campaignId: number | null;
  campaignName: string | null;
}
const bounceSchema = Joi.object<Bounce, true>({
  id: anyText.required(),
  at: instant.required(),
  class: anyText.required(),
  status: anyText.allow(null).required(),
  reply: anyText.allow(null).required(),
  because: anyText.allow(null).required(),
  campaignId: Joi.number().allow(null).required(),
  campaignName: anyText.allow(null).required(),
});

/** Everything that is known of an address: the contact if it is one, a verdict for each brand, and the evidence. */
export interface AddressCheck {
  address: string;
  contact: Contact | null;
  brands: BrandVerdict[];
  entries: Entry[];
  subscriptions: Subscription[];
  bounces: Bounce[];
}
const addressCheckSchema = Joi.object<AddressCheck, true>({
  address: anyText.required(),
  contact: contactSchema.allow(null).required(),
  brands: Joi.array().items(brandVerdictSchema).required(),
  entries: Joi.array().items(entrySchema).required(),
  subscriptions: Joi.array().items(subscriptionSchema).required(),
  bounces: Joi.array().items(bounceSchema).required(),
});

/** One event of a contact’s time line, or a hold-back; latest first. */
export interface TimeLineItem {
  id: string;
  at: string;
  kind: string;
  actor: Actor;
  actorReason: string | null;
  brandId: number;
  campaignId: number | null;
  campaignName: string | null;
  detail: Record<string, unknown> | null;
}
const timeLineItemSchema = Joi.object<TimeLineItem, true>({
  id: anyText.required(),
  at: instant.required(),
  kind: anyText.required(),
  actor: oneOf(ACTORS).required(),
  actorReason: anyText.allow(null).required(),
  brandId: Joi.number().required(),
  campaignId: Joi.number().allow(null).required(),
  campaignName: anyText.allow(null).required(),
  detail: Joi.object().pattern(Joi.string(), Joi.any()).allow(null).required(),
});

/** A contact with their subscriptions to every list. */
export interface ContactDetail extends Contact {
  subscriptions: Subscription[];
}
const contactDetailSchema = Joi.object<ContactDetail, true>({
  ...contactFields,
  subscriptions: Joi.array().items(subscriptionSchema).required(),
});

/** A contact as found by a filter; `stage` is that of the brand asked for. */
export interface ContactListItem extends Contact {
  stage: Stage | null;
  lists: string[];
}
const contactListItemSchema = Joi.object<ContactListItem, true>({
  ...contactFields,
  stage: oneOf(STAGES).allow(null).required(),
  lists: Joi.array().items(anyText).required(),
});

export const filter = {
  brandId: id.required(),
  part: text(320).allow('').default(''),
  listId: id,
  stage: oneOf(STAGES),
  deliverability: oneOf(DELIVERABILITIES),
  tag: text(60),
  where,
  ofBrand: Joi.boolean().default(false).description('Only who is, or ever was, on a list of the brand'),
  archived: Joi.boolean().description('Only archived contacts, or none'),
  among: oneOf(AMONG).description('Whom a figure of the brand counts, as Today shows it'),
  since: instant.description('From when on `among` counts; a day ago, if left out'),
};

/** Query of `GET /contacts`. */
export interface ContactsQuery extends ContactQuery, PageQuery {
  order?: ContactOrder;
}
const contactsQuery = Joi.object<ContactsQuery, true>({
  ...page,
  ...filter,
  order: oneOf(CONTACT_ORDERS)
    .default('oldest')
    .description('By when they came in, or by address; a cursor goes with its order'),
});

/** Query of `GET /contacts/export`. */
export interface ContactsExport extends ContactQuery {
  format?: 'csv' | 'jsonl';
  columns?: string;
}
const contactsExport = Joi.object<ContactsExport, true>({
  ...filter,
  format: Joi.string().valid('csv', 'jsonl').default('csv'),
  columns: text(2000)
    .default('address,name,joined_at,deliverability,stage,lists,tags,archived_at')
    .description('Names with commas between; others than these are attributes'),
});

/** Query of `GET /check`. */
export interface CheckQuery {
  address: string;
}
const checkQuery = Joi.object<CheckQuery, true>({ address: text(1000).required() });

const KIND = `(${[...EVENT_KINDS, 'held-back'].join('|')})`;

/** Query of `GET /contacts/:id/time-line`. */
export interface TimeLineQuery {
  before?: string;
  kinds?: string;
  limit?: number;
}
const timeLineQuery = Joi.object<TimeLineQuery, true>({
  before: instant,
  kinds: Joi.string()
    .pattern(new RegExp(`^${KIND}(,${KIND})*$`), 'kinds of events with commas between')
    .description(`Only these kinds, with commas between: ${EVENT_KINDS.join(', ')}, held-back`),
  limit: page.limit,
});

/** Contacts. */
export const contacts = {
  contacts: contract({
    method: 'get',
    path: '/contacts',
    summary: 'Find contacts',
    query: contactsQuery,
    filled: ['limit', 'part', 'ofBrand', 'order'],
    answer: countedPageOf(contactListItemSchema),
    problems: ['bad-condition', 'took-too-long'],
    example: { brandId: 1, where: 'read in the last 60 days', order: 'newest', limit: 20 },
  }),
  exportContacts: contract({
    method: 'get',
    path: '/contacts/export',
    summary: 'Contacts of a filter as CSV or JSON Lines, with chosen columns',
    answers: 'text/csv',
    query: contactsExport,
    filled: ['part', 'ofBrand', 'format', 'columns'],
    problems: ['bad-condition', 'took-too-long'],
    example: { brandId: 1, format: 'jsonl', columns: 'address,name,stage' },
  }),
  contact: contract({
    method: 'get',
    path: '/contacts/:id',
    summary: 'One contact with their subscriptions',
    params: contactParams,
    answer: contactDetailSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  timeLine: contract({
    method: 'get',
    path: '/contacts/:id/time-line',
    summary: 'What happened with one contact, newest first',
    params: contactParams,
    query: timeLineQuery,
    filled: ['limit'],
    answer: Joi.object<TimeLineAnswer, true>({
      items: Joi.array().items(timeLineItemSchema).required(),
      more: Joi.boolean().required(),
    }),
    example: { id: 1, kinds: 'sent,opened', limit: 20 },
  }),
  contactJournal: contract({
    method: 'get',
    path: '/contacts/:id/journal',
    summary: 'Every change of mark, subscription and suppression of one contact',
    params: contactParams,
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(journalItemSchema),
    example: { id: 1, limit: 20 },
  }),
  check: contract({
    method: 'get',
    path: '/check',
    summary: 'Who is this address, may we write to it, and why',
    query: checkQuery,
    answer: addressCheckSchema,
    example: { address: 'ada@lanternpost.example' },
  }),
};
