import type { Deps } from '../../src/operations/deps.ts';

/**
 * Every mark, subscription and entry in effect there is, to be held beside what they are later; ids and sources left
 * out.
 */
export async function readMarks(deps: Deps): Promise<unknown> {
  const read = (sql: string): Promise<unknown[]> => deps.database.query(sql);
  return {
    contacts: await read(
      `SELECT id, address, deliverability, deliverability_since, archived_at, merged_into, mended_at, verdict, verdict_cause, tags FROM contact ORDER BY id`,
    ),
    subscriptions: await read('SELECT contact_id, list_id, state, since FROM subscription ORDER BY 1, 2'),
    entries: await read(
      'SELECT list_id, kind, value, reason FROM suppression_entry WHERE lifted_at IS NULL ORDER BY 1, 3',
    ),
    stages: await read('SELECT contact_id, brand_id, stage, since FROM contact_stage ORDER BY 1, 2'),
  };
}
