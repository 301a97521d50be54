/** When a receiving domain's hard bounces are held for a person: an outage must not condemn its addresses. */
export interface StormRule {
  /** More than this share of the domain's messages came back hard … */
  share: number;
  /** … and at least so many did, … */
  least: number;
  /** … though it took mail in so many days before. Whoever writes seldom needs more. */
  days: number;
}

export const DEFAULT_STORM_RULE: StormRule = { share: 0.2, least: 30, days: 7 };

/** The hour in which bounces are counted together. */
export const STORM_HOUR_MS = 3_600_000;
/** Messages count when they were handed over so long before: reports take their time. */
export const STORM_MESSAGES_MS = 2 * STORM_HOUR_MS;
/** Bounces further back than this are history, and settled. */
export const STORM_FRESH_MS = 48 * STORM_HOUR_MS;

/** What is known of one domain's hour. */
export interface DomainHour {
  hard: number;
  /** Messages handed over for the domain; fewer than came back when the reports are older than they. */
  messages: number;
  acceptedBefore: boolean;
}

/**
 * Whether an hour of a domain is a storm: a domain that took mail before and now sends back more than the share, and at
 * least so many.
 */
export function isStorm({ share, least }: StormRule, { hard, messages, acceptedBefore }: DomainHour): boolean {
  return acceptedBefore && hard >= least && hard > share * messages;
}

/**
 * Whether so many hard bounces call for a look at the domain's messages, which costs something: never before a storm is
 * possible by those that were counted a while ago.
 */
export function isDueForALook({ share, least }: StormRule, hard: number, knownMessages: number): boolean {
  return hard >= least && hard > share * knownMessages;
}
