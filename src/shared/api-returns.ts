import type { ReturnKind } from './words.ts';

/** What the API answers about returns and events. Instants are RFC 3339 texts. */

/** What became of a return that was handed in. */
export interface ReceivedReturn {
  id: number;
  state: ReturnItem['state'];
  because: string;
}

/** A message that came back, how it was read, and what it counted for. */
export interface ReturnItem {
  id: number;
  receivedAt: string;
  envelopeTo: string;
  bytes: number;
  kind: ReturnKind;
  reading: {
    kind: ReturnKind;
    standard: string | null;
    recipients: { address: string; class: string; status: string; reply_code: string; text: string }[];
    message_id: string | null;
    token: string | null;
    because: string;
    asks_to_stop?: string;
    by_message_id?: true;
  };
  /** `asks`: a reply that asks to stop; `held`: a hard bounce known by its Message-ID alone; a person decides. */
  state: 'counted' | 'noted' | 'asks' | 'held' | 'unmatched' | 'dismissed';
  because: string;
  campaignId: number | null;
  contactId: number | null;
}

/** An IMAP mailbox that returns are fetched from. */
export interface Mailbox {
  id: number;
  name: string;
  host: string;
  port: number;
  security: 'tls' | 'starttls' | 'none';
  account: string;
  hasPassword: boolean;
  folder: string;
  brandId: number | null;
  idles: boolean;
  pollSeconds: number;
  /** By `counted`, `noted`, `unmatched`: leave, flag, delete, or `move:` and a folder. */
  afterwards: Record<string, string>;
  paused: boolean;
  waiting: number | null;
  lastPollAt: string | null;
  trouble: string | null;
  troubleSince: string | null;
  processed: number;
}

/** Hard bounces of a receiving domain that suddenly failed: held for a person, or decided. */
export interface Storm {
  id: number;
  domain: string;
  begins: string;
  ends: string;
  state: 'held' | 'released' | 'dismissed';
  /** Messages handed over for the domain in the hours before, when it was seen. */
  messages: number;
  bounces: number;
  contacts: number;
  said: string | null;
  decidedAt: string | null;
  decidedBy: string | null;
  reason: string | null;
  runId: number | null;
}

/** When the hard bounces of a domain are held. */
export interface StormRule {
  share: number;
  least: number;
  days: number;
}

/** A storm with a sample of the contacts whose bounces are held. */
export interface StormDetail extends Storm {
  sample: { id: number; address: string; name: string | null; reply: string | null }[];
}

/** Returns of some days by kind and state. */
export interface ReturnCounts {
  kinds: { kind: ReturnKind; state: ReturnItem['state']; returns: number }[];
  lastAt: string | null;
}

/** Activity as derived anew from the events. */
export interface RebuiltActivity {
  rows: number;
  differing: number;
  sample: number[];
}

/** Image proxies, as the operator keeps them. */
export interface ProxyList {
  networks: string[];
  agents: string[];
}

/** Opens and clicks that would be judged otherwise by the lists and rules of today. */
export interface RejudgePreview {
  acts: number;
  contacts: number;
  moves: { kind: 'opened' | 'clicked' | 'visited'; from: string; to: string; acts: number }[];
  /** `at` in milliseconds since the epoch. */
  sample: {
    contactId: number;
    address: string;
    kind: 'opened' | 'clicked' | 'visited';
    at: number;
    from: string;
    to: string;
  }[];
}

/** Your own sites, on which the script tells of visits. */
export interface Sites {
  hosts: string[];
  scriptUrl: string;
}

/** When an address is taken for one that a program reads. */
export interface AutomatedRule {
  campaigns: number;
  opens: number;
  days: number;
  acts: number;
  stops: boolean;
}

/** Whose mark as an automated address would come or go. */
export interface AutomatedPreview {
  rule: AutomatedRule;
  counts: { marked: number; cleared: number; person: number };
  toMark: number;
  toClear: number;
  sample: { contactId: number; address: string; to: 'marked' | 'cleared'; because: string }[];
}

/** An address that looks automated, with the evidence and who decided. */
export interface AutomatedAddress {
  contactId: number;
  address: string;
  name: string | null;
  state: 'marked' | 'cleared' | 'person';
  /** Who said so; null for the rule. */
  decidedBy: string | null;
  since: string;
  evidence: { because?: string };
}

/** An event of another system that waits for its address to be a contact. */
export interface EventAside {
  id: number;
  address: string;
  keptAt: string;
  body: { kind: string; at: string; source: string; externalId: string };
}

/** What became of events that were given: recorded, known already, kept aside, or refused with the line and why. */
export interface TakenEvents {
  aside: number;
  recorded: number;
  repeated: number;
  refused: { line: number; detail: string }[];
}
