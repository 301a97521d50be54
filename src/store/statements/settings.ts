import { execute, rowsOf, type Sql } from '../sql.ts';

/** A setting’s value; nothing where it was never changed. */
export async function findSetting<T>(sql: Sql, name: string): Promise<T | undefined> {
  const rows = await rowsOf<{ value: T }>(sql, `SELECT value FROM setting WHERE name = $1`, [name]);
  return rows[0]?.value;
}

/** Keeps a setting’s value with who changed it. */
export async function saveSetting(sql: Sql, name: string, value: unknown, actor: string): Promise<void> {
  await execute(
    sql,
    `INSERT INTO setting (name, value, changed_by) VALUES ($1, $2::jsonb, $3)
     ON CONFLICT (name) DO UPDATE SET value = excluded.value, changed_at = now(), changed_by = excluded.changed_by`,
    [name, JSON.stringify(value), actor],
  );
}

/**
 * Keeps the parts of a setting that are named, and lets its others be: of two people who change different parts at
 * once, neither loses what they said.
 */
export async function saveSettingParts(sql: Sql, name: string, parts: object, actor: string): Promise<void> {
  await execute(
    sql,
    `INSERT INTO setting (name, value, changed_by) VALUES ($1, $2::jsonb, $3)
     ON CONFLICT (name) DO UPDATE SET value = setting.value || excluded.value, changed_at = now(), changed_by = excluded.changed_by`,
    [name, JSON.stringify(parts), actor],
  );
}
