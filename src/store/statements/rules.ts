import { DEFAULT_BOUNCE_RULE, type BounceRule } from '../../core/rules/bounce-count.ts';
import { DEFAULT_SUNSET_RULE, type SunsetRule } from '../../core/rules/sunset-ladder.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/** A rule with its version; version 0 is the default that nobody has changed. */
export interface Versioned<T> {
  rule: T;
  version: number;
  changedAt: Date | null;
  changedBy: string | null;
}

const COLUMNS = `rule, version, changed_at AS "changedAt", changed_by AS "changedBy"`;

/** The brand’s ladder; the default where nobody has changed it. */
export async function findSunsetRule(sql: Sql, brandId: number): Promise<Versioned<SunsetRule>> {
  const rows = await rowsOf<Versioned<SunsetRule>>(sql, `SELECT ${COLUMNS} FROM sunset_rule WHERE brand_id = $1`, [
    brandId,
  ]);
  return rows[0] ?? { rule: DEFAULT_SUNSET_RULE, version: 0, changedAt: null, changedBy: null };
}

/**
 * Keeps a changed ladder as the next version. Says whether it did: with `after` only where that is the version it
 * stands at, which is then held until the transaction ends.
 */
export async function saveSunsetRule(
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  by: string,
  after?: number,
): Promise<boolean> {
  const kept = await rowsOf(
    sql,
    `INSERT INTO sunset_rule (brand_id, rule, changed_by) VALUES ($1, $2::jsonb, $3)
     ON CONFLICT (brand_id) DO UPDATE SET rule = excluded.rule, version = sunset_rule.version + 1, changed_at = now(), changed_by = excluded.changed_by
     WHERE $4::int IS NULL OR sunset_rule.version = $4
     RETURNING 1`,
    [brandId, JSON.stringify(rule), by, after ?? null],
  );
  return kept.length > 0;
}

/** Remembers with a run what the ladder was before it, and what it made of it. */
export async function noteRuleOfRun(sql: Sql, runId: number, before: SunsetRule, after: SunsetRule): Promise<void> {
  await execute(sql, 'UPDATE run SET rule_before = $2::jsonb, rule_after = $3::jsonb WHERE id = $1', [
    runId,
    JSON.stringify(before),
    JSON.stringify(after),
  ]);
}

/** The ladder before a run that changed it, if it stands now as that run left it: held until the transaction ends. */
export async function findRuleToPutBack(sql: Sql, runId: number): Promise<SunsetRule | undefined> {
  const rows = await rowsOf<{ before: SunsetRule }>(
    sql,
    `SELECT r.rule_before AS before FROM run r JOIN sunset_rule s ON s.brand_id = r.brand_id AND s.rule = r.rule_after WHERE r.id = $1 FOR UPDATE OF s`,
    [runId],
  );
  return rows[0]?.before;
}

/** The bounce rule as it is in force. */
export async function findBounceRule(sql: Sql): Promise<BounceRule> {
  return (await findVersionedBounceRule(sql)).rule;
}

/** The bounce rule with who changed it; the default where nobody has. */
export async function findVersionedBounceRule(sql: Sql): Promise<Versioned<BounceRule>> {
  const rows = await rowsOf<Versioned<BounceRule>>(sql, `SELECT ${COLUMNS} FROM bounce_rule`);
  const [kept = { rule: DEFAULT_BOUNCE_RULE, version: 0, changedAt: null, changedBy: null }] = rows;
  // What was kept before a part of the rule was there has its default.
  return { ...kept, rule: { ...DEFAULT_BOUNCE_RULE, ...kept.rule } };
}

/** Keeps a changed bounce rule as the next version. Says whether it did, as for a ladder. */
export async function saveBounceRule(sql: Sql, rule: BounceRule, by: string, after?: number): Promise<boolean> {
  const kept = await rowsOf(
    sql,
    `INSERT INTO bounce_rule (rule, changed_by) VALUES ($1::jsonb, $2)
     ON CONFLICT (id) DO UPDATE SET rule = excluded.rule, version = bounce_rule.version + 1, changed_at = now(), changed_by = excluded.changed_by
     WHERE $3::int IS NULL OR bounce_rule.version = $3
     RETURNING 1`,
    [JSON.stringify(rule), by, after ?? null],
  );
  return kept.length > 0;
}
