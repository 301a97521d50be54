import { JUDGED } from '../activity/judge-actor.ts';
import type { Actor, EventKind, ScoredAct } from '../../shared/words.ts';
import { DAY_MS } from './sunset-ladder.ts';

/** How a brand scores its contacts. Each act gives its points for so many days of 24 hours, then they are gone. */
export interface ScoreRule {
  /** Each act at most once. Points may be below zero. */
  acts: { act: ScoredAct; points: number; days: number }[];
  /** What everybody starts with, for so many days since joining. */
  joining: { points: number; days: number };
}

/** A click says more than an open; who has just joined begins above nothing. */
export const DEFAULT_SCORE_RULE: ScoreRule = {
  acts: [
    { act: 'opened', points: 1, days: 30 },
    { act: 'clicked', points: 5, days: 90 },
    { act: 'visited', points: 3, days: 30 },
    { act: 'replied', points: 10, days: 180 },
    { act: 'purchased', points: 20, days: 365 },
    { act: 'confirmed', points: 5, days: 90 },
  ],
  joining: { points: 10, days: 60 },
};

/** What a score is counted from, for one contact and brand. Instants are milliseconds since the epoch. */
export interface ScoreFacts {
  joinedAt: number;
  events: readonly { kind: EventKind; at: number; actor: Actor; brandId: number }[];
}

export interface Score {
  score: number;
  /** What it is made of: acts that gave something, and `joining`. */
  parts: { of: ScoredAct | 'joining'; times: number; points: number }[];
}

/** The score of one contact at `now`; the twin of store/statements/scores, to which a differential test holds it. */
export function scoreOf({ acts, joining }: ScoreRule, brandId: number, facts: ScoreFacts, now: number): Score {
  const lasts = (at: number, days: number): boolean => at > now - days * DAY_MS;
  const ofActs = acts.map(({ act, points, days }) => {
    const times = facts.events.filter(
      (one) =>
        one.kind === act &&
        one.brandId === brandId &&
        (one.actor === 'human' || !JUDGED.has(act)) &&
        lasts(one.at, days),
    ).length;
    return { of: act, times, points: times * points };
  });
  const start = lasts(facts.joinedAt, joining.days) ? joining.points : 0;
  const parts = [...ofActs, { of: 'joining' as const, times: 1, points: start }].filter(({ points }) => points !== 0);
  return { score: parts.reduce((sum, { points }) => sum + points, 0), parts };
}

/** Problems with a score that somebody edited, in words; none when it can be used. */
export function reportScoreProblems({ acts, joining }: ScoreRule): { field: string; message: string }[] {
  const twice = acts.findIndex(({ act }, index) => acts.some((other, before) => before < index && other.act === act));
  const gives = joining.points !== 0 || acts.some(({ points }) => points !== 0);
  return [
    ...(twice < 0
      ? []
      : [{ field: `acts.${twice}.act`, message: `${acts[twice]!.act} stands there twice: give it one line.` }]),
    ...(gives ? [] : [{ field: 'acts', message: 'Give points to something, or every score is 0.' }]),
  ];
}
