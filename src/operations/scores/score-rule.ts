import { DEFAULT_SCORE_RULE, reportScoreProblems, type ScoreRule } from '../../core/rules/score.ts';
import { overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { countScores, insertScoreRule, listScoreRules, type VersionedScore } from '../../store/statements/scores.ts';
import type { Deps } from '../deps.ts';
import { changedMeanwhile, found, Problem } from '../problem.ts';

/** The score of a brand as it is; the default where nobody has changed it. */
export async function getScoreRule(sql: Sql, brandId: number): Promise<VersionedScore> {
  const [latest] = await listScoreRules(sql, brandId);
  return latest ?? { rule: DEFAULT_SCORE_RULE, version: 0, changedAt: null, changedBy: null, reason: null };
}

/** Every version of the score of a brand, latest first. */
export function listScoreVersions(deps: Deps, brandId: number): Promise<VersionedScore[]> {
  return listScoreRules(deps.database, brandId);
}

export interface ScorePreview {
  rule: ScoreRule;
  /** Everybody who is not erased by score, in bins by their lower edge; the first has none. */
  bins: { from: number | null; now: number; wouldBe: number }[];
}

/** Lower edges of the bins in which scores are shown. */
const EDGES = [0, 1, 5, 10, 20, 30, 50, 75, 100, 200];

/**
 * How many have which score now, and would have under a score that is being tried.
 * @throws Problem invalid-input, not-found
 */
export async function previewScoreRule(deps: Deps, brandId: number, tried?: ScoreRule): Promise<ScorePreview> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const { rule: saved } = await getScoreRule(deps.database, brandId);
  const rule = tried ?? saved;
  assertScore(rule);
  const now = deps.now();
  return overWholeSet(deps.database, async (sql) => {
    const before = await countScores(sql, brandId, saved, now, EDGES);
    const after = tried ? await countScores(sql, brandId, rule, now, EDGES) : before;
    return {
      rule,
      bins: before.map(({ from, contacts }, index) => ({ from, now: contacts, wouldBe: after[index]!.contacts })),
    };
  });
}

export interface SaveScore {
  brandId: number;
  rule: ScoreRule;
  /** The version that was looked at. */
  version: number;
  reason: string;
  actor: string;
}

/**
 * Keeps a changed score, in force at once wherever a condition asks for one.
 * @throws Problem invalid-input, changed-meanwhile, not-found
 */
export async function saveScoreRule(
  deps: Deps,
  { brandId, rule, version, reason, actor }: SaveScore,
): Promise<VersionedScore> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  assertScore(rule);
  const kept = await insertScoreRule(deps.database, { brandId, rule, after: version, by: actor, reason });
  if (kept) return getScoreRule(deps.database, brandId);
  throw changedMeanwhile(version, 'The score', await getScoreRule(deps.database, brandId));
}

function assertScore(rule: ScoreRule): void {
  const [problem] = reportScoreProblems(rule);
  if (problem) throw new Problem('invalid-input', problem.message, { field: `rule.${problem.field}` });
}
