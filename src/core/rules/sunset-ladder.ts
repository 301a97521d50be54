import type { EventKind, Stage } from '../../shared/words.ts';

/** Acts of a person that can count as engagement, as a rule may choose them. */
export const ENGAGING_ACTS = [
  'opened',
  'clicked',
  'replied',
  'visited',
  'purchased',
  'confirmed',
] as const satisfies readonly EventKind[];
export type EngagingAct = (typeof ENGAGING_ACTS)[number];

/** One step of a ladder: reached after so many days of silence and so many messages sent in it. */
export interface LadderStep {
  stage: Exclude<Stage, 'new' | 'engaged'>;
  days: number;
  messages: number;
}

/** A sunset rule by silence, for one brand. */
export interface SunsetRule {
  /** In rising order of days. */
  steps: LadderStep[];
  /** The newcomer's grace: `new` until both have passed. */
  grace: { days: number; messages: number };
  engagingActs: EngagingAct[];
  /** A condition of the brand; whom it does not match stays `new`. Without one everybody on its lists is covered. */
  covers?: string | null;
}

/** What the ladder looks at, for one contact and brand. Instants are milliseconds since the epoch. */
export interface SilenceFacts {
  joinedAt: number;
  /** Latest engagement by the rule's acts, a person's only. */
  engagedAt: number | undefined;
  /** When a person last lifted a sunset entry: silence is counted afresh from there. */
  restartedAt: number | undefined;
  /** Marketing messages that reached the contact since the latest engagement, or since joining. */
  messagesInSilence: number;
  /** Marketing messages that reached the contact, ever. */
  messagesEver: number;
}

export interface StageDecision {
  stage: Stage;
  silentDays: number;
  messages: number;
}

export const DAY_MS = 86_400_000;

/** Page 4's default ladder. */
export const DEFAULT_SUNSET_RULE: SunsetRule = {
  steps: [
    { stage: 'fading', days: 30, messages: 3 },
    { stage: 'dormant', days: 90, messages: 8 },
    { stage: 'sunset', days: 180, messages: 12 },
  ],
  grace: { days: 60, messages: 6 },
  engagingActs: ['opened', 'clicked', 'replied', 'visited', 'purchased', 'confirmed'],
};

/**
 * The stage of one contact. Both measures must have passed for a step: so many days silent *and* so many messages
 * sent in it, so that nobody is marked for not answering what was not sent.
 */
export function decideStage(rule: SunsetRule, facts: SilenceFacts, now: number): StageDecision {
  const silentSince = Math.max(facts.joinedAt, facts.engagedAt ?? 0, facts.restartedAt ?? 0);
  const silentDays = wholeDays(now - silentSince);
  const found = { silentDays, messages: facts.messagesInSilence };
  if (wholeDays(now - facts.joinedAt) < rule.grace.days || facts.messagesEver < rule.grace.messages)
    return { stage: 'new', ...found };
  let stage: Stage = 'engaged';
  for (const step of rule.steps) {
    if (silentDays >= step.days && facts.messagesInSilence >= step.messages) stage = step.stage;
  }
  return { stage, ...found };
}

/** Problems with a ladder that somebody edited, in words; none when it can be used. */
export function reportLadderProblems(rule: SunsetRule): { field: string; message: string }[] {
  const problems: { field: string; message: string }[] = [];
  rule.steps.forEach((step, index) => {
    const before = rule.steps[index - 1];
    if (before && step.days <= before.days) {
      problems.push({
        field: `steps.${index}.days`,
        message: `${step.stage} must begin later than ${before.stage} (${before.days} days).`,
      });
    }
    if (before && step.messages < before.messages) {
      problems.push({
        field: `steps.${index}.messages`,
        message: `${step.stage} cannot need fewer messages than ${before.stage} (${before.messages}).`,
      });
    }
  });
  if (rule.engagingActs.length === 0)
    problems.push({
      field: 'engagingActs',
      message: 'Choose at least one act that engages, or everybody ends at sunset.',
    });
  return problems;
}

function wholeDays(span: number): number {
  return Math.max(0, Math.floor(span / DAY_MS));
}
