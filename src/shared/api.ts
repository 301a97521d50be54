import type { TokenScope } from './access.ts';
import type { Storm } from './api-returns.ts';
import type { Actor, AttributeKind, BuiltInList, CampaignState, Deliverability, DeliveryState, Encoding, EndedBy, OutsideVerdict, Purpose, Reach, Reason, Scope, Stage, SubscriptionState } from './words.ts'; // prettier-ignore

/** What the API answers, as the client, the command line and the console read it. Instants are RFC 3339 texts. */

/** One page of a list. `next` is the cursor of the page after it; null at the end. */
export interface Page<T> {
  items: T[];
  next: string | null;
}

/** Who is signed in. `csrf` must come with every change that a console session makes; null for API tokens. */
export interface SignedIn {
  accountId: number;
  name: string;
  email: string;
  csrf: string | null;
}

/** A sender identity. `zone` is the IANA time zone in which its days begin and end. */
export interface Brand {
  id: number;
  name: string;
  fromAddress: string;
  returnDomain: string;
  zone: string;
}

/** What contacts subscribe to. Days are counted from the sign-up. */
export interface List {
  id: number;
  brandId: number;
  name: string;
  optIn: 'single' | 'double';
  agreement: string;
  remindDays: number[];
  expireDays: number;
  /** Whether the preference page behind every message of the brand shows it. */
  isPublic: boolean;
  /** The page with the list's sign-up form, to be linked or framed. */
  signUpUrl: string;
}

/** How many are on a list, archived and erased contacts apart. A list that nobody was ever on is not counted. */
export interface ListCount {
  listId: number;
  subscribed: number;
  pending: number;
  unsubscribed: number;
}

/** An API token as it is listed; the token itself is shown once, when it is made. */
export interface ApiToken {
  id: number;
  name: string;
  /** What it may do. */
  scope: TokenScope;
  createdAt: string;
  /** From then on it opens nothing; null for one without an end. */
  expiresAt: string | null;
  lastUsedAt: string | null;
  revokedAt: string | null;
}

/** A browser that somebody is signed in with. */
export interface Session {
  id: number;
  createdAt: string;
  lastSeenAt: string;
  expiresAt: string;
  network: string | null;
  userAgent: string | null;
  /** The one that asks. */
  isThis: boolean;
}

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
  mergedInto: number | null;
}

/** A contact as found by a filter; `stage` is that of the brand asked for. */
export interface ContactListItem extends Contact {
  stage: Stage | null;
  lists: string[];
}

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

/** A contact with their subscriptions to every list. */
export interface ContactDetail extends Contact {
  subscriptions: Subscription[];
}

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

/** One change of a mark, subscription, suppression, tag or detail, with what was before and after. */
export interface JournalItem {
  id: number;
  at: string;
  runId: number | null;
  contactId: number | null;
  /** How many contacts one item speaks of, where all went from nothing to the same; null when it speaks of one. */
  contacts: number | null;
  address: string | null;
  name: string | null;
  subject:
    | 'stage'
    | 'deliverability'
    | 'subscription'
    | 'entry'
    | 'archive'
    | 'address'
    | 'tag'
    | 'verdict'
    | 'details'
    | 'machine'
    | 'asking';
  subjectId: number;
  before: Record<string, unknown> | null;
  after: Record<string, unknown> | null;
  actorKind: 'person' | 'rule' | 'contact';
  actor: string;
  /** Null for a rule, a contact, or what nobody in particular does. */
  accountId: number | null;
  cause: Record<string, unknown>;
}

/** An entry of a suppression list. In effect while it is neither lifted nor past its end. */
export interface Entry {
  id: number;
  listId: number;
  listName: string;
  builtIn: BuiltInList | null;
  scope: Scope;
  scopeId: number | null;
  reach: Reach;
  kind: 'address' | 'domain' | 'hash';
  value: string;
  reason: string;
  source: string;
  evidence: Record<string, unknown> | null;
  enteredAt: string;
  expiresAt: string | null;
  liftedAt: string | null;
  liftedBy: string | null;
  liftReason: string | null;
  /** Of opt-outs: whose word it is. */
  endedBy: EndedBy | null;
  saidAt: string;
  /** Why staff may not lift it; null when they may. */
  notLiftable: string | null;
}

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
  serviceReasons: Reason[];
}

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

/** Everything that is known of an address: the contact if it is one, a verdict for each brand, and the evidence. */
export interface AddressCheck {
  address: string;
  contact: Contact | null;
  brands: BrandVerdict[];
  entries: Entry[];
  subscriptions: Subscription[];
  bounces: Bounce[];
}

/** What an attribute of the organisation's own holds. */
export interface Attribute {
  type: AttributeKind;
  choices?: string[];
}

/** What is found of a table from its beginning, for correction. */
export interface FileHead {
  encoding: Encoding;
  delimiter: string;
  /** The first row names the columns. Where it does not, they are called “address” and “column 2”. */
  header: boolean;
  /** A use is `address`, `name`, `list`, `joined_at`, `tags`, `consent_source`, `consent_evidence`, `unsubscribed`, `opted_out`, or an attribute, its type behind a colon. */
  columns: { header: string; use: string | null; samples: string[] }[];
  /** The uses are those that were given for an earlier file with this header. */
  kept: boolean;
}

/** One import of a file, and how far it is. `counts` are rows by outcome, codes put together. */
export interface Import {
  id: number;
  listId: number;
  fileName: string;
  bytes: number;
  options: {
    mapping: Record<string, string | null>;
    /** Types of the attributes among them. */
    types?: Record<string, Attribute>;
    delimiter: string;
    encoding?: Encoding;
    header?: boolean;
    /** The mapping is the one that was given for an earlier file with this header. */
    kept?: boolean;
    held?: { of: number };
  };
  dryRun: boolean;
  state: 'receiving' | 'waiting' | 'applying' | 'finished' | 'failed' | 'cancelled';
  /** Rows in the file; while it is read, as many as its bytes so far let expect. */
  rowsExpected: number;
  rowsDone: number;
  counts: Record<string, number>;
  problem: { detail: string } | null;
  runId: number | null;
  createdAt: string;
  finishedAt: string | null;
}

/** A campaign with its message and audience. `pausedBecause` is set while it is paused, `trouble` while the relay refuses. */
/** One change of a campaign’s state: who or what, and why. */
export interface CampaignChange {
  id: number;
  at: string;
  before: CampaignState;
  after: CampaignState;
  actorKind: 'person' | 'rule';
  actor: string;
  because: string | null;
}

export interface Campaign {
  id: number;
  brandId: number;
  name: string;
  purpose: Purpose;
  subject: string;
  html: string;
  text: string;
  listIds: number[];
  leftOutListIds: number[];
  segmentIds: number[];
  leftOutSegmentIds: number[];
  state: CampaignState;
  pausedBecause: string | null;
  trouble: string | null;
  sentElsewhere: boolean;
  changedAt: string;
  startedAt: string | null;
  finishedAt: string | null;
}

/** A campaign in a list, with how many it went to. */
export interface CampaignListItem {
  id: number;
  name: string;
  subject: string;
  state: CampaignState;
  sentElsewhere: boolean;
  startedAt: string | null;
  changedAt: string;
  audience: number;
  accepted: number;
  waiting: number;
}

/** The audience before anything is sent: everybody counted once, under the first reason that applies. */
export interface Preflight {
  campaignId: number;
  /** Of the draft: to be said back when it is started. */
  version: number;
  countedAt: string;
  audience: number;
  willGet: number;
  heldBack: number;
  reasons: {
    reason: Reason;
    contacts: number;
    sample: { contactId: number; name: string | null; address: string }[];
  }[];
  /** For purpose service: whom it reaches although they complained, opted out or are at sunset; one contact may be in several. */
  inSpiteOf: {
    reason: Reason;
    contacts: number;
    sample: { contactId: number; name: string | null; address: string }[];
  }[];
  domains: { domain: string; contacts: number; accepted: number; bounced: number }[];
  problems: { field: string; at: number; message: string }[];
}

/** A contact of the audience, with every reason that holds them back; none means they will get it. */
export interface JudgedContact {
  contactId: number;
  address: string;
  name: string | null;
  reasons: Reason[];
}

/** The message as one contact would get it, with what is wrong with it. */
export interface MessagePreview {
  message: {
    to: string;
    from: { name: string; address: string };
    subject: string;
    html: string;
    text: string;
    headers: Record<string, string>;
  };
  links: { number: number; url: string }[];
  problems: { field: string; at: number; message: string }[];
}

/** A rate with its limit. `rate` is null while the denominator is nothing; nothing is judged under 200. */
export interface Rate {
  name: 'bounce' | 'hard' | 'complaint' | 'unsubscribe';
  count: number;
  of: number;
  rate: number | null;
  limit: number;
  over: boolean | null;
}

/** What became of a campaign: the ledger, what came back, who acted. Contacts, not events, are counted. */
export interface CampaignReport {
  campaignId: number;
  state: CampaignState;
  pausedBecause: string | null;
  trouble: string | null;
  startedAt: string | null;
  finishedAt: string | null;
  ledger: {
    audience: number;
    accepted: number;
    refused: number;
    uncertain: number;
    waiting: number;
    onTheirWay: number;
    heldBack: number;
    reasons: { reason: Reason; contacts: number }[];
    agrees: boolean;
  };
  at: string;
  /** When what follows was counted: of a large campaign some minutes before `at`, which the ledger is counted at. */
  countedAt: string;
  delivered: number;
  /** Of those accepted: what came back later, by class. */
  bounced: { hard: number; soft: number; block: number; any: number };
  /** What the relay refused at once, by class; in the ledger they are refused, and never were accepted. */
  refusedAs: { hard: number; soft: number; block: number; any: number };
  opened: { human: number; any: number };
  clicked: { human: number; any: number };
  machineActs: number;
  complained: number;
  unsubscribed: number;
  rates: Rate[];
  domains: {
    domain: string;
    accepted: number;
    refused: number;
    bounced: number;
    opened: number;
    clicked: number;
    complained: number;
  }[];
}

/** One recipient of a campaign in its ledger; `reply` is what the relay said. */
export interface Recipient {
  contactId: number;
  address: string;
  name: string | null;
  state: DeliveryState;
  reasons: Reason[];
  at: string | null;
  reply: string | null;
}

/** A suppression list with how many entries are in effect, and how many are past. */
export interface SuppressionList {
  id: number;
  name: string;
  builtIn: BuiltInList | null;
  scope: Scope;
  scopeId: number | null;
  scopeName: string | null;
  reach: Reach;
  exact: boolean;
  inEffect: number;
  ended: number;
}

/** What became of entries that were given: entered, known already, or refused with the row and why. */
export interface EnteredEntries {
  runId: number;
  entered: number;
  known: number;
  refused: { row: number; value: string; detail: string }[];
  onTheirWay: number;
}

/** One act on many, with what it changed by kind. Undone as a whole by another run. */
export interface Run {
  id: number;
  kind: string;
  brandId: number | null;
  actor: string;
  /** Null where nobody in particular began it. */
  accountId: number | null;
  reason: string;
  counts: Record<string, number>;
  startedAt: string;
  finishedAt: string | null;
  undoesRunId: number | null;
  undoneByRunId: number | null;
  /** How many have been dealt with, of how many; both 0 where all was done at once. Under way while finishedAt is null. */
  done: number;
  whole: number;
  /** Why it ended, or is about to end, before everybody was dealt with. */
  stopped: string | null;
}

/** What an undo left as it is, because something had changed it again. */
export interface LeftAlone {
  number: number;
  contactId: number | null;
  address: string | null;
  name: string | null;
  subject: string;
}

/** What changed since yesterday in a brand, what needs a look, what is due and under way. */
export interface Today {
  brandId: number;
  since: string;
  at: string;
  changed: {
    subscribed: number;
    unsubscribed: number;
    undeliverable: number;
    complained: number;
    toSunset: number;
    fromSunset: number;
    lifted: number;
  };
  bounceCount: {
    contactId: number;
    address: string;
    name: string | null;
    since: string;
    bounces: { at: string; reply: string | null; campaignName: string | null }[];
  }[];
  unmatchedReturns: number;
  /** Hard bounces known by their Message-ID alone, for a person to decide. */
  heldReturns: number;
  /** Replies that ask to stop, for a person to decide. */
  asking: number;
  /** What goes on by itself and failed when it was last its turn; `brandId` is null where it concerns the organisation. */
  troubles: { what: string; brandId: number | null; detail: string; since: string; lastAt: string }[];
  /** Held for a person. */
  storms: Storm[];
  sending: CampaignListItem[];
  drafts: CampaignListItem[];
  /** When what follows was counted, of everybody: for a large base some minutes before `at`. */
  countedAt: string;
  /** Null where it cannot be worked out; then it is among the troubles. */
  ladder: { moving: number; toSunset: number } | null;
  mayBeWrittenTo: { covered: number; mayBeWritten: number };
  days: { day: string; accepted: number; bounced: number; complained: number }[];
  runs: Run[];
}
