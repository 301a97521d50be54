import type { BounceClass } from '../../shared/words.ts';
import { DAY_MS } from './sunset-ladder.ts';

/** How many bounces of which classes, over what time, make an address undeliverable. `block` can never be counted. */
export interface BounceRule {
  count: number;
  /** Days the bounces must fall within; 0 means ever. */
  withinDays: number;
  onCampaigns: number;
  spreadDays: number;
  classes: Exclude<BounceClass, 'block'>[];
  /**
   * Whether an acceptance that stands, or an act of the person, starts the count again; else so many bounces, ever, are
   * enough.
   */
  startsAgain: boolean;
}

export const DEFAULT_BOUNCE_RULE: BounceRule = {
  count: 3,
  withinDays: 45,
  onCampaigns: 3,
  spreadDays: 2,
  classes: ['soft'],
  startsAgain: true,
};

/** An acceptance starts the count again once it has stood this long without a bounce. */
export const ACCEPTANCE_STANDS_MS = 3 * DAY_MS;

/** One fact that bears on whether an address can receive. Instants are milliseconds since the epoch. */
export type DeliverabilityFact =
  | { kind: 'bounced'; at: number; campaignId: number | undefined; bounceClass: BounceClass; eventId: string }
  | { kind: 'accepted'; at: number; campaignId: number | undefined }
  | { kind: 'delivered'; at: number }
  | { kind: 'engaged'; at: number }
  /** A person lifted the mark. */
  | { kind: 'lifted'; at: number };

export type DeliverabilityDecision =
  | { deliverability: 'deliverable'; counted: string[] }
  | { deliverability: 'doubtful'; counted: string[] }
  | { deliverability: 'undeliverable'; cause: 'hard-bounce' | 'bounce-count'; since: number; counted: string[] };

/**
 * Whether an address can receive, from all that came back, in whatever order it is given: the facts are put in order
 * of the instant they happened, so the answer depends on the set of facts and on nothing else.
 * A later verified delivery, or a person, lifts both marks; blocks never count.
 */
export function decideDeliverability(
  rule: BounceRule,
  facts: readonly DeliverabilityFact[],
  now: number,
): DeliverabilityDecision {
  const ordered = withStandingAcceptances(facts, now);
  let counted: Extract<DeliverabilityFact, { kind: 'bounced' }>[] = [];
  let mark: Extract<DeliverabilityDecision, { deliverability: 'undeliverable' }> | undefined;
  for (const fact of ordered) {
    if (fact.kind === 'delivered' || fact.kind === 'lifted') {
      mark = undefined;
      counted = [];
    } else if (fact.kind !== 'bounced') {
      if (rule.startsAgain) counted = [];
    } else if (fact.bounceClass === 'hard') {
      mark ??= { deliverability: 'undeliverable', cause: 'hard-bounce', since: fact.at, counted: [fact.eventId] };
    } else if (fact.bounceClass === 'soft' && rule.classes.includes('soft')) {
      counted = withinWindow(rule, [...counted, fact], fact.at);
      if (reaches(rule, counted)) {
        mark ??= {
          deliverability: 'undeliverable',
          cause: 'bounce-count',
          since: fact.at,
          counted: counted.map((bounce) => bounce.eventId),
        };
      }
    }
  }
  if (mark) return mark;
  const open = withinWindow(rule, counted, now).map((bounce) => bounce.eventId);
  return { deliverability: open.length > 0 ? 'doubtful' : 'deliverable', counted: open };
}

/**
 * Facts in order of instant; acceptances that a bounce followed within three days, or that are too fresh to tell, are
 * left out.
 */
function withStandingAcceptances(facts: readonly DeliverabilityFact[], now: number): DeliverabilityFact[] {
  const bounces = facts.filter((fact) => fact.kind === 'bounced').map((fact) => fact.at);
  const standing = facts.flatMap((fact): DeliverabilityFact[] => {
    if (fact.kind !== 'accepted') return [fact];
    const until = fact.at + ACCEPTANCE_STANDS_MS;
    const stands = until <= now && !bounces.some((at) => at >= fact.at && at <= until);
    return stands ? [{ ...fact, at: until }] : [];
  });
  return standing.sort((a, b) => a.at - b.at || rank(a) - rank(b) || tieBreak(a).localeCompare(tieBreak(b)));
}

/** At one instant, what clears a count comes after what adds to it: in doubt an address is not condemned. */
function rank(fact: DeliverabilityFact): number {
  return fact.kind === 'bounced' ? 0 : 1;
}

function tieBreak(fact: DeliverabilityFact): string {
  return fact.kind === 'bounced' ? fact.eventId : '';
}

function withinWindow<T extends { at: number }>(rule: BounceRule, bounces: T[], at: number): T[] {
  return rule.withinDays === 0 ? bounces : bounces.filter((bounce) => bounce.at > at - rule.withinDays * DAY_MS);
}

function reaches(rule: BounceRule, counted: { at: number; campaignId: number | undefined }[]): boolean {
  const first = counted[0];
  const last = counted[counted.length - 1];
  if (!first || !last || counted.length < rule.count) return false;
  const campaigns = new Set(counted.map((bounce) => bounce.campaignId ?? `at ${bounce.at}`));
  return campaigns.size >= rule.onCampaigns && last.at - first.at >= rule.spreadDays * DAY_MS;
}
