import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { listEntries, type EntryRow, type EntryStanding } from '../../store/statements/suppression.ts';
import type { Deps } from '../deps.ts';
import { throughFile } from '../through-file.ts';
import { getSuppressionList } from './keep-entries.ts';

const PAGE = 2000;
const HEADER = [
  'entry',
  'kind',
  'reason',
  'source',
  'entered_at',
  'expires_at',
  'lifted_at',
  'lifted_by',
  'lift_reason',
];

/** A list's entries as CSV text that no spreadsheet takes for formulas, all as they stand at one instant. */
export async function* exportEntries(
  deps: Deps,
  listId: number,
  standing: EntryStanding,
  part: string,
): AsyncGenerator<string> {
  await getSuppressionList(deps, listId);
  yield stringify([HEADER]);
  const readAll = async (sql: Sql, give: (text: string) => Promise<void>): Promise<void> => {
    for (let after = 0; ;) {
      const rows = await listEntries(sql, listId, standing, part, 'oldest', after, PAGE);
      if (rows.length === 0) return;
      await give(stringify(rows.map(lineOf)));
      after = rows[rows.length - 1]!.id;
    }
  };
  yield* throughFile((give) => inTransaction(deps.database, (sql) => readAll(sql, give), 'REPEATABLE READ'));
}

function lineOf(row: EntryRow): string[] {
  const instants = [iso(row.enteredAt), iso(row.expiresAt), iso(row.liftedAt)];
  const texts = [row.value, row.kind, row.reason, row.source, ...instants, row.liftedBy ?? '', row.liftReason ?? ''];
  return texts.map(withoutFormula);
}

function iso(instant: Date | null): string {
  return instant?.toISOString() ?? '';
}
