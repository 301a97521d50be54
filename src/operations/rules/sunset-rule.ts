import type { SunsetPreview } from '../../shared/contract/rules.ts';
import { reportLadderProblems, type SunsetRule } from '../../core/rules/sunset-ladder.ts';
import { STAGES } from '../../shared/words.ts';
import { asks } from '../../core/conditions/check-names.ts';
import { overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { forgetMatching, keepMatching } from '../../store/statements/conditions.ts';
import { insertRun, type Act } from '../../store/statements/journal.ts';
import { noteTrouble } from '../../store/statements/troubles.ts';
import { findSunsetRule, noteRuleOfRun, saveSunsetRule, type Versioned } from '../../store/statements/rules.ts';
import { findBuiltInLists } from '../../store/statements/suppression.ts';
import {
  applyStages,
  countStages,
  keepStageTargets,
  surveyStages,
  type Covered,
  type StageCount,
} from '../../store/statements/sunset-stages.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { assertExpected, assertVersion, changedMeanwhile, Problem } from '../problem.ts';
import { forgetCostly } from '../remember.ts';
import { actOfRun, overTargets, type Doing } from '../piece.ts';
import { checkCondition, type CheckedCondition } from '../segments/condition-context.ts';

export type { SunsetPreview } from '../../shared/contract/rules.ts';

/** Lower edges, in days, of the bins in which silence is drawn. */
const SILENCE_EDGES = [0, 1, 2, 4, 7, 14, 21, 30, 45, 60, 75, 90, 120, 150, 180, 240, 365, 545];
const SAMPLE = 20;

/** The ladder of a brand, as it was saved last. */
export function getSunsetRule(deps: Deps, brandId: number): Promise<Versioned<SunsetRule>> {
  return findSunsetRule(deps.database, brandId);
}

/**
 * Who would change under a rule (the saved one, or one that is being tried), how many, and a sample. Nothing is
 * written.
 */
export async function previewSunsetRule(deps: Deps, brandId: number, tried?: SunsetRule): Promise<SunsetPreview> {
  const rule = tried ?? (await findSunsetRule(deps.database, brandId)).rule;
  assertLadder(rule);
  const now = deps.now();
  const { counts, silence, sample } = await overCovered(deps, brandId, rule, (sql, covered) =>
    surveyStages(sql, brandId, rule, now, { edges: edgesWith(rule), most: SAMPLE }, covered),
  );
  return {
    brandId,
    rule,
    covered: sumOf(counts, () => true),
    ...movesOf(counts),
    fromSunset: sumOf(counts, (row) => row.from === 'sunset' && row.to !== 'sunset'),
    stages: STAGES.map((stage) => ({
      stage,
      now: sumOf(counts, (row) => row.from === stage),
      wouldBe: sumOf(counts, (row) => row.to === stage),
    })),
    flows: counts.filter((row) => row.from !== row.to),
    silence,
    sample,
  };
}

/** The name under which what Today counts of a whole brand is remembered. */
export const todayOf = (brandId: number): string => `today ${brandId}`;

/** How many the saved rule would move, all in all and to sunset. */
export async function countSunsetMoves(deps: Deps, brandId: number): Promise<{ moving: number; toSunset: number }> {
  const { rule } = await findSunsetRule(deps.database, brandId);
  return movesOf(
    await overCovered(deps, brandId, rule, (sql, covered) => countStages(sql, brandId, rule, deps.now(), covered)),
  );
}

function movesOf(counts: StageCount[]): { moving: number; toSunset: number } {
  return {
    moving: sumOf(counts, (row) => row.from !== row.to),
    toSunset: sumOf(counts, (row) => row.to === 'sunset' && row.from !== 'sunset'),
  };
}

function sumOf(counts: StageCount[], test: (row: StageCount) => boolean): number {
  return counts.filter(test).reduce((total, row) => total + row.contacts, 0);
}

/** The bins' edges with the rule's own thresholds among them, so that no bar stands on both sides of one. */
function edgesWith(rule: SunsetRule): number[] {
  return [...new Set([...SILENCE_EDGES, ...rule.steps.map((step) => step.days)])].sort((a, b) => a - b);
}

export interface ApplyRequest {
  brandId: number;
  /** A changed rule to save first; the saved one otherwise. */
  rule?: SunsetRule;
  /** The version that was looked at; left out by the schedule. */
  version?: number;
  /** How many the preview said would move; null for the schedule, which takes what it finds. */
  expected: number | null;
  reason: string;
  actor: string;
  actorKind: 'person' | 'rule';
}

/** Stages moved by a run: its targets are who stood elsewhere when it began. */
export interface MovingStages {
  do: 'stages';
  rule: SunsetRule;
  /** The instant from which silence is reckoned, ISO 8601. */
  now: string;
  by: ApplyRequest['actorKind'];
}

/**
 * Saves the rule if it was changed and begins to move everybody to their stage, as one run. Each is decided again when
 * their turn comes: a click meanwhile counts.
 * @throws Problem changed-meanwhile, count-moved, invalid-input
 */
export async function beginSunset(deps: Deps, request: ApplyRequest): Promise<number> {
  const { brandId, expected, reason, actor, actorKind } = request;
  const rule = request.rule ?? (await findSunsetRule(deps.database, brandId)).rule;
  assertLadder(rule);
  const now = deps.now();
  return overCovered(deps, brandId, rule, async (sql, covered) => {
    const work: MovingStages = { do: 'stages', rule, now: now.toISOString(), by: actorKind };
    const runId = await insertRun(sql, { kind: 'sunset rule', brandId, actor, reason, work });
    const before = await findSunsetRule(sql, brandId);
    assertVersion(request.version, 'The ladder', before);
    if (request.rule) {
      if (!(await saveSunsetRule(sql, brandId, request.rule, actor, request.version)))
        throw changedMeanwhile(request.version, 'The ladder', await findSunsetRule(sql, brandId));
      await noteRuleOfRun(sql, runId, before.rule, request.rule);
    }
    const moving = await keepStageTargets(sql, runId, brandId, rule, now, covered);
    if (expected !== null) assertExpected(expected, moving);
    return runId;
  });
}

/** Moves the targets of a run to their stages. */
export const movingStages: Doing<MovingStages> = {
  piece: (deps, sql, run) =>
    overTargets(sql, run, async (ids) => {
      const { rule, now } = run.work;
      const covered = await keepCovered(deps, sql, run.brandId!, rule, ids);
      const sunsetListId = (await findBuiltInLists(sql)).get(`sunset ${run.brandId}`)!;
      return countsOf(
        await applyStages(sql, run.brandId!, rule, new Date(now), ids, sunsetListId, actOfRun(run), covered),
      );
    }),
  async settle(deps, run) {
    forgetCostly(deps, todayOf(run.brandId!));
    await callBackFromSends(deps, 'all');
  },
};

/**
 * Moves these contacts to where the brand's ladder puts them now, as something of theirs has changed; whom it does not
 * cover, it leaves out.
 */
export async function moveToStage(
  deps: Deps,
  sql: Sql,
  brandId: number,
  contactIds: number[],
  act: Act,
): Promise<void> {
  if (contactIds.length === 0) return;
  const { rule } = await findSunsetRule(sql, brandId);
  let covered: Covered;
  try {
    covered = await keepCovered(deps, sql, brandId, rule, contactIds);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    // Whom it covers cannot be worked out any more. What was said or done is recorded all the same.
    return noteTrouble(sql, 'The sunset rule', brandId, error.message);
  }
  const sunsetListId = (await findBuiltInLists(sql)).get(`sunset ${brandId}`)!;
  await applyStages(sql, brandId, rule, deps.now(), contactIds, sunsetListId, act, covered);
  if (covered === 'matching') await forgetMatching(sql);
}

/** Parts that ask for what the ladder itself decides, or for whom it stops, would go round in a circle. */
const OF_THE_LADDER = ['stage', 'silent', 'newcomer', 'mailable', 'mailable-by-any'] as const;

/**
 * Works over everybody, with those whom the rule covers worked out beforehand.
 * @throws Problem bad-condition, invalid-input
 */
async function overCovered<T>(
  deps: Deps,
  brandId: number,
  rule: SunsetRule,
  work: (sql: Sql, covered: Covered) => Promise<T>,
): Promise<T> {
  if (!rule.covers) return overWholeSet(deps.database, (sql) => work(sql, 'all'));
  const { condition, context } = await checkCovers(deps, brandId, rule.covers);
  return overWholeSet(deps.database, async (sql) => {
    await keepMatching(sql, 'matching', [condition], context);
    return work(sql, 'matching');
  });
}

/** The same for a few, within a transaction. */
async function keepCovered(
  deps: Deps,
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  contactIds: number[],
): Promise<Covered> {
  if (!rule.covers) return 'all';
  const { condition, context } = await checkCovers(deps, brandId, rule.covers);
  await keepMatching(sql, 'matching', [condition], context, contactIds);
  return 'matching';
}

async function checkCovers(deps: Deps, brandId: number, covers: string): Promise<CheckedCondition> {
  const checked = await checkCondition(deps, brandId, covers);
  const round = OF_THE_LADDER.find((kind) => asks(kind, checked.condition, checked.context.names.segments));
  if (round)
    throw new Problem(
      'invalid-input',
      'Whom the rule covers cannot hang on stage, silence, newcomers or who may be mailed: the rule decides those.',
      { field: 'rule.covers' },
    );
  return checked;
}

function countsOf(moved: StageCount[]): Record<string, number> {
  const counts: Record<string, number> = { moved: 0 };
  for (const { to, contacts } of moved) {
    counts['moved'] = (counts['moved'] ?? 0) + contacts;
    counts[`to ${to}`] = (counts[`to ${to}`] ?? 0) + contacts;
  }
  return counts;
}

function assertLadder(rule: SunsetRule): void {
  const [problem] = reportLadderProblems(rule);
  if (problem) throw new Problem('invalid-input', problem.message, { field: `rule.${problem.field}` });
}
