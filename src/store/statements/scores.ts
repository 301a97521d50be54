import { JUDGED } from '../../core/activity/judge-actor.ts';
import type { ScoreRule } from '../../core/rules/score.ts';
import { rowsOf, type Sql } from '../sql.ts';
import type { Versioned } from './rules.ts';

/**
 * The CTE `scored (contact_id, points)`: what acts give to each contact of brand $1 at $3; who has none is not in it.
 * What joining gives is added where `contact c` is at hand (joiningSql). The twin of core/rules/score on sets. `among`
 * is an expression for the only contacts it is about: their events are then found by index. All else reads the months
 * that the longest-lasting points reach back to.
 */
export function scoredCte({ acts }: ScoreRule, among: string | null = null): string {
  const since = (days: number): string => `$3::timestamptz - interval '${Number(days) * 24} hours'`;
  const given = acts.filter(({ points }) => points !== 0);
  if (given.length === 0) return `scored AS (SELECT NULL::bigint AS contact_id, 0 AS points WHERE false)`;
  const lasts = given.map(
    ({ act, days }) =>
      `(e.kind = '${act}'${JUDGED.has(act) ? ` AND e.actor = 'human'` : ''} AND e.occurred_at > ${since(days)})`,
  );
  return `scored AS (
    SELECT e.contact_id, sum(CASE e.kind ${given.map(({ act, points }) => `WHEN '${act}' THEN ${Number(points)}`).join(' ')} END)::int AS points
    FROM event e WHERE e.brand_id = $1::int AND e.occurred_at > ${since(Math.max(...given.map(({ days }) => days)))}
      AND (${lasts.join(' OR ')})${among === null ? '' : ` AND e.contact_id = ANY(${among})`}
    GROUP BY 1)`;
}

/** What joining gives to `contact c` at $3. */
function joiningSql({ joining }: ScoreRule): string {
  return `CASE WHEN c.joined_at > $3::timestamptz - interval '${Number(joining.days) * 24} hours' THEN ${Number(joining.points)} ELSE 0 END`;
}

/** The join that brings `scored` to `contact c` as `v (score)`. */
export function scoreJoin(rule: ScoreRule): string {
  return ` LEFT JOIN scored w ON w.contact_id = c.id CROSS JOIN LATERAL (SELECT coalesce(w.points, 0) + ${joiningSql(rule)} AS score) v`;
}

/** A score with why it is as it is. Version 0 is the default that nobody has changed. */
export interface VersionedScore extends Versioned<ScoreRule> {
  reason: string | null;
}

const COLUMNS = `rule, version, changed_at AS "changedAt", changed_by AS "changedBy", reason`;

/** Every version of a brand's score, latest first. */
export async function listScoreRules(sql: Sql, brandId: number): Promise<VersionedScore[]> {
  return rowsOf<VersionedScore>(sql, `SELECT ${COLUMNS} FROM score_rule WHERE brand_id = $1 ORDER BY version DESC`, [
    brandId,
  ]);
}

/** Keeps a new version, if `after` is the latest one; says whether it was. */
export async function insertScoreRule(
  sql: Sql,
  given: { brandId: number; rule: ScoreRule; after: number; by: string; reason: string },
): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `INSERT INTO score_rule (brand_id, version, rule, changed_by, reason)
     SELECT $1::int, $3::int + 1, $2::jsonb, $4, $5 WHERE coalesce((SELECT max(version) FROM score_rule WHERE brand_id = $1::int), 0) = $3::int
     ON CONFLICT (brand_id, version) DO NOTHING RETURNING version`,
    [given.brandId, JSON.stringify(given.rule), given.after, given.by, given.reason],
  );
  return rows.length === 1;
}

export interface ScoreBin {
  /** Lowest score in it; null is without end. */
  from: number | null;
  contacts: number;
}

/**
 * How many contacts have which score, in bins by their rising lower edges; what is below the first edge comes first. To
 * be run within overWholeSet.
 */
export async function countScores(
  sql: Sql,
  brandId: number,
  rule: ScoreRule,
  now: Date,
  edges: number[],
): Promise<ScoreBin[]> {
  return rowsOf<ScoreBin>(
    sql,
    `WITH given AS (SELECT $1::int, $2::bigint[], $3::timestamptz), ${scoredCte(rule)},
     placed AS (
       SELECT width_bucket(v.score, $4::int[]) AS bin, count(*)::int AS contacts FROM contact c${scoreJoin(rule)} WHERE c.erased_at IS NULL
       GROUP BY 1)
     SELECT e.edge AS "from", coalesce(p.contacts, 0) AS contacts
     FROM unnest(NULL::int || $4::int[]) WITH ORDINALITY AS e(edge, place) LEFT JOIN placed p ON p.bin = e.place - 1 ORDER BY e.place`,
    [brandId, null, now, edges],
  );
}
