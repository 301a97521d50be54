import { attributeText } from '../../core/import/attribute-value.ts';
import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { listContacts, type ContactFilter, type ContactListRow } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import type { Sql } from '../../store/sql.ts';
import { makeTurns } from '../../store/turns.ts';
import { throughFile } from '../through-file.ts';
import { overFilter } from '../segments/within-time.ts';

/** Columns of Avendel's own; any other name is an attribute. */
export const CONTACT_COLUMNS = [
  'address',
  'name',
  'joined_at',
  'deliverability',
  'stage',
  'lists',
  'tags',
  'verdict',
  'archived_at',
] as const;

export interface ContactExport {
  filter: ContactFilter;
  format: 'csv' | 'jsonl';
  columns: string[];
}

const PAGE = 2000;

/** So many exports are read from the database at once; how many are being taken is no matter. */
const turnsOf = makeTurns(2);

/**
 * Contacts of a filter with chosen columns, as text in pieces: CSV that no spreadsheet takes for formulas, or JSON
 * Lines. All are as they stand at one instant; a condition is worked out once for all of them.
 */
export async function* exportContacts(deps: Deps, request: ContactExport): AsyncGenerator<string> {
  const { filter, format, columns } = request;
  if (columns.length === 0) throw new Problem('invalid-input', 'There is no column to export.', { field: 'columns' });
  const write = (rows: ContactListRow[]): string =>
    format === 'csv'
      ? stringify(rows.map((row) => columns.map((column) => withoutFormula(textOf(valueOf(row, column))))))
      : rows
          .map(
            (row) => `${JSON.stringify(Object.fromEntries(columns.map((column) => [column, valueOf(row, column)])))}\n`,
          )
          .join('');
  const readAll = async (sql: Sql, give: (text: string) => Promise<void>): Promise<void> => {
    for (let after = 0; ;) {
      const rows = await listContacts(sql, filter, 'oldest', after, PAGE);
      if (rows.length === 0) return;
      await give(write(rows));
      after = rows[rows.length - 1]!.id;
    }
  };
  if (format === 'csv') yield stringify([columns]);
  yield* throughFile((give) =>
    turnsOf(deps.database).runExclusive(() =>
      overFilter(deps, filter, (sql) => readAll(sql, give), { sees: 'REPEATABLE READ' }),
    ),
  );
}

function valueOf(row: ContactListRow, column: string): unknown {
  switch (column) {
    case 'address':
      return row.address;
    case 'name':
      return row.name;
    case 'joined_at':
      return row.joinedAt.toISOString();
    case 'deliverability':
      return row.deliverability;
    case 'stage':
      return row.stage ?? 'new';
    case 'lists':
      return row.lists;
    case 'tags':
      return row.tags;
    case 'verdict':
      return row.verdict;
    case 'archived_at':
      return row.archivedAt?.toISOString() ?? null;
    default:
      return row.attributes[column] ?? null;
  }
}

function textOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (Array.isArray(value)) return value.join('; ');
  return attributeText(value);
}
