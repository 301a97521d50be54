import type { AttributeType } from '../../core/import/map-columns.ts';
import { rowsOf, type Sql } from '../sql.ts';

/**
 * Names of the attributes that contacts have, of those met among the latest 10,000 contacts: bounded, whatever the size
 * of the base.
 */
export async function listAttributeNames(sql: Sql): Promise<string[]> {
  const rows = await rowsOf<{ name: string }>(
    sql,
    `SELECT DISTINCT k AS name FROM (SELECT attributes FROM contact ORDER BY id DESC LIMIT 10000) c, jsonb_object_keys(c.attributes) k ORDER BY 1`,
  );
  return rows.map((row) => row.name);
}

/** The types of attributes that have one; the others are text. */
export async function listAttributeTypes(sql: Sql): Promise<Record<string, AttributeType>> {
  const rows = await rowsOf<{ name: string; type: AttributeType['type']; choices: string[] | null }>(
    sql,
    `SELECT name, type, choices FROM attribute_type ORDER BY name`,
  );
  return Object.fromEntries(rows.map(({ name, type, choices }) => [name, choices ? { type, choices } : { type }]));
}

/**
 * Keeps types of attributes that have none yet; the words of a choice come on top of those it has. Returns the names
 * that have another type already.
 */
export async function keepAttributeTypes(sql: Sql, types: Record<string, AttributeType>): Promise<string[]> {
  const rows = await rowsOf<{ name: string }>(
    sql,
    `WITH given AS (
       SELECT key AS name, value->>'type' AS type, CASE WHEN value ? 'choices' THEN ARRAY(SELECT jsonb_array_elements_text(value->'choices')) END AS choices
       FROM jsonb_each($1::jsonb)),
     kept AS (
       INSERT INTO attribute_type AS a (name, type, choices) SELECT name, type, choices FROM given ORDER BY name
       ON CONFLICT (name) DO UPDATE SET choices = a.choices || ARRAY(SELECT c FROM unnest(excluded.choices) c WHERE c <> ALL (a.choices))
       WHERE a.type = excluded.type AND a.type = 'choice')
     SELECT a.name FROM attribute_type a JOIN given g USING (name) WHERE a.type <> g.type ORDER BY 1`,
    [JSON.stringify(types)],
  );
  return rows.map((row) => row.name);
}
