import type { Sql } from '../database.ts';

/** Names of the attributes that contacts have, of those met among the latest 10,000 contacts: bounded, whatever the size of the base. */
export async function listAttributeNames(sql: Sql): Promise<string[]> {
  const rows: { name: string }[] = await sql.query(
    `SELECT DISTINCT k AS name FROM (SELECT attributes FROM contact ORDER BY id DESC LIMIT 10000) c, jsonb_object_keys(c.attributes) k ORDER BY 1`,
  );
  return rows.map((row) => row.name);
}
