import type { AutomatedRule } from '../../shared/contract/actors.ts';
/** When an address is taken for one that a program reads. */
export type { AutomatedRule } from '../../shared/contract/actors.ts';

export const DEFAULT_AUTOMATED_RULE: AutomatedRule = { campaigns: 3, opens: 50, days: 90, acts: 2, stops: false };

/** What is on record of one address. */
export interface AutomatedFacts {
  /** Campaigns with an open or click by a machine. */
  machineCampaigns: number;
  /** Opens within the rule's days, those that a proxy fetched left out. */
  opens: number;
  /** Clicks, replies, visits, purchases and confirmations by a person, ever. */
  acts: number;
}

/**
 * Why an address looks automated, in words, or nothing. Somebody behind a link scanner has acts of their own, and is
 * never taken for the scanner.
 */
export function whyAutomated(rule: AutomatedRule, facts: AutomatedFacts): string | undefined {
  const acts = facts.acts === 0 ? 'no act by a person' : `${facts.acts} by a person`;
  if (facts.machineCampaigns >= rule.campaigns && facts.acts === 0)
    return `a machine acted on ${facts.machineCampaigns} campaigns, ${acts}`;
  if (facts.opens > rule.opens && facts.acts < rule.acts) return `${facts.opens} opens in ${rule.days} days, ${acts}`;
  return undefined;
}
