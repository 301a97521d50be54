import { openDatabase, type Database } from '../../src/store/database.ts';

/**
 * Columns of every table of the schema that hold one of these texts, in any case: `table.column`. Bytes are read as
 * text.
 */
export async function findTexts(where: { database: Database } | string, texts: string[]): Promise<string[]> {
  if (typeof where === 'string') return findInOpened(where, texts);
  const { database } = where;
  const columns: { table: string; column: string; type: string }[] = await database.query(
    `SELECT c.table_name AS "table", c.column_name AS "column", c.data_type AS type FROM information_schema.columns c
     JOIN information_schema.tables t USING (table_schema, table_name)
     WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' ORDER BY 1, 2`,
  );
  const found: string[] = [];
  for (const { table, column, type } of columns) {
    const text = type === 'bytea' ? `encode("${column}", 'escape')` : `"${column}"::text`;
    const [hit]: { n: number }[] = await database.query(
      `SELECT count(*)::int AS n FROM "${table}" WHERE lower(${text}) LIKE ANY ($1::text[])`,
      [texts.map((one) => `%${one.toLowerCase()}%`)],
    );
    if (hit!.n > 0) found.push(`${table}.${column}`);
  }
  return found;
}

async function findInOpened(url: string, texts: string[]): Promise<string[]> {
  const database = await openDatabase(url, 2);
  try {
    return await findTexts({ database }, texts);
  } finally {
    await database.destroy();
  }
}
