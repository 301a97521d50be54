import { DEFAULT_BOUNCE_RULE, type BounceRule } from '../../core/rules/bounce-count.ts';
import { DEFAULT_SUNSET_RULE, type SunsetRule } from '../../core/rules/sunset-ladder.ts';
import type { Sql } from '../database.ts';

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
  const rows: Versioned<SunsetRule>[] = await sql.query(`SELECT ${COLUMNS} FROM sunset_rule WHERE brand_id = $1`, [
    brandId,
  ]);
  return rows[0] ?? { rule: DEFAULT_SUNSET_RULE, version: 0, changedAt: null, changedBy: null };
}

/** Keeps a changed ladder as the next version. */
export async function saveSunsetRule(sql: Sql, brandId: number, rule: SunsetRule, by: string): Promise<void> {
  await sql.query(
    `INSERT INTO sunset_rule (brand_id, rule, changed_by) VALUES ($1, $2::jsonb, $3)
     ON CONFLICT (brand_id) DO UPDATE SET rule = excluded.rule, version = sunset_rule.version + 1, changed_at = now(), changed_by = excluded.changed_by`,
    [brandId, JSON.stringify(rule), by],
  );
}

/** The bounce rule as it is in force. */
export async function findBounceRule(sql: Sql): Promise<BounceRule> {
  return (await findVersionedBounceRule(sql)).rule;
}

/** The bounce rule with who changed it; the default where nobody has. */
export async function findVersionedBounceRule(sql: Sql): Promise<Versioned<BounceRule>> {
  const rows: Versioned<BounceRule>[] = await sql.query(`SELECT ${COLUMNS} FROM bounce_rule`);
  const [kept = { rule: DEFAULT_BOUNCE_RULE, version: 0, changedAt: null, changedBy: null }] = rows;
  // What was kept before a part of the rule was there has its default.
  return { ...kept, rule: { ...DEFAULT_BOUNCE_RULE, ...kept.rule } };
}

/** Keeps a changed bounce rule as the next version. */
export async function saveBounceRule(sql: Sql, rule: BounceRule, by: string): Promise<void> {
  await sql.query(
    `INSERT INTO bounce_rule (rule, changed_by) VALUES ($1::jsonb, $2)
     ON CONFLICT (id) DO UPDATE SET rule = excluded.rule, version = bounce_rule.version + 1, changed_at = now(), changed_by = excluded.changed_by`,
    [JSON.stringify(rule), by],
  );
}
