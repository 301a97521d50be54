import type { HeldDecision } from '../../shared/contract/imports.ts';
import type { SettableCode } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/**
 * What was decided about rows that an import held, by why they were held. A decision stands no more when the import
 * that took them in was stopped, failed or was undone.
 */
export async function listDecisions(sql: Sql, importId: number): Promise<Map<SettableCode, HeldDecision>> {
  const rows = await rowsOf<HeldDecision & { code: SettableCode }>(
    sql,
    `SELECT d.code, d.decided, d.by_import AS "importId", d.actor, d.at FROM held_decision d
     LEFT JOIN import f ON f.id = d.by_import LEFT JOIN run r ON r.id = f.run_id
     WHERE d.import_id = $1 AND (d.by_import IS NULL OR (f.state NOT IN ('cancelled', 'failed') AND r.undone_by_run_id IS NULL))`,
    [importId],
  );
  return new Map(rows.map(({ code, ...decision }) => [code, decision]));
}

/** Keeps what is decided now, in place of what was before. */
export async function keepDecisions(
  sql: Sql,
  importId: number,
  codes: string[],
  decision: Pick<HeldDecision, 'decided' | 'importId' | 'actor'>,
): Promise<void> {
  await execute(
    sql,
    `INSERT INTO held_decision (import_id, code, decided, by_import, actor) SELECT $1, c, $3, $4, $5 FROM unnest($2::text[]) c
     ON CONFLICT (import_id, code) DO UPDATE SET decided = excluded.decided, by_import = excluded.by_import, actor = excluded.actor, at = now()`,
    [importId, codes, decision.decided, decision.importId, decision.actor],
  );
}
