/** What the API answers about permission, acts on many contacts, and lists held against the base. Instants are RFC 3339 texts. */

import type { ContactOrder } from './words.ts';

/** Whom an act would change, how many stay as they are, and twenty of the first. Nothing was changed. */
export interface ActPreview {
  act: 'archive' | 'restore' | 'erase' | 'tag' | 'untag' | 'suppress' | 'unsubscribe' | 'subscribe' | 'ask';
  willChange: number;
  already: number;
  unknown: string[];
  sample: { contactId: number; address: string; name: string | null }[];
  /** Of archiving and erasing: how many of those who would change some brand may still write to, and which. */
  stillMailable: { contacts: number; brands: { brandId: number; brandName: string; contacts: number }[] };
}

/** Which contacts: those that match all of it. */
export interface ContactQuery {
  brandId: number;
  part?: string;
  listId?: number;
  stage?: string;
  deliverability?: string;
  tag?: string;
  /** A condition of the brand. */
  where?: string;
}

/** Contacts of a filter, in an order. */
export interface ContactListQuery extends ContactQuery {
  order?: ContactOrder;
}

/** Who an act on many concerns: named by address, by where they stand, or by a filter; and what it needs to know. */
export interface ActSelection {
  act: ActPreview['act'];
  addresses?: string[];
  standing?: 'unreachable' | 'archived';
  reconciled?: { id: number; on: boolean };
  filter?: ContactQuery;
  tag?: string;
  suppressionListId?: number;
  brandId?: number;
  listId?: number;
}

/** What is to be said of an address before it is taken in: the verdict is the worst of the findings. */
export interface CheckedAddress {
  given: string;
  address: string | null;
  verdict: 'refuse' | 'hold' | 'note' | 'suppressed' | 'fine';
  findings: { code: string; severity: 'refuse' | 'hold' | 'note'; text: string; proposal?: string }[];
}

/** A list of addresses held against the base. */
export interface Reconciliation {
  id: number;
  name: string;
  actor: string;
  createdAt: string;
  rows: number;
  unreadable: number;
  known: number;
  oursOnIt: number;
  oursNotOnIt: number;
}

/** A row of a list with the contact behind it, or a contact of ours with where they stand on the list. */
export interface ReconciledRow {
  place: number;
  given: string | null;
  contactId: number | null;
  address: string | null;
  name: string | null;
  standing: string | null;
}

/** What a month costs from so many contacts on, in steps; `currency` is a code of ISO 4217. */
export interface PriceLadder {
  currency: string;
  steps: { from: number; month: number }[];
}

/** What contacts cost now, and what archiving who cannot be reached would save; null without a price ladder. */
export interface ContactCost {
  ladder: PriceLadder | null;
  counted: number;
  archived: number;
  unreachable: number;
  monthNow: number | null;
  monthAfter: number | null;
  savingYear: number | null;
}

/** A sign-up with its proof: when, how, from where, to what text, confirmed when. */
export interface SignUp {
  id: number;
  listId: number;
  listName: string;
  brandId: number;
  address: string;
  contactId: number | null;
  name: string | null;
  /** `noted`: an import said so. */
  state: 'pending' | 'confirmed' | 'expired' | 'turned-away' | 'noted';
  /** Why it was turned away. */
  because: string | null;
  /** `asked`: came by a file, and was asked since. */
  way: 'form' | 'api' | 'preferences' | 'import' | 'asked';
  network: string | null;
  /** Where it was given, by the file that says so. */
  source: string | null;
  agreed: string;
  at: string;
  confirmedAt: string | null;
  confirmedNetwork: string | null;
  /** Confirmation messages sent, reminders among them. */
  messages: number;
  expiresAt: string | null;
}

/** What an unsubscribing on request did. */
export interface Unsubscribed {
  contactId: number;
  brands: number[];
  /** Lists the contact was subscribed to before. */
  left: string[];
}
