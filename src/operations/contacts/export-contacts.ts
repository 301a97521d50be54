import { attributeText } from '../../core/import/attribute-value.ts';
import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { listContacts, type ContactFilter, type ContactListRow } from '../../store/statements/contacts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { inPieces } from '../in-pieces.ts';
import { overFilter } from '../segments/within-time.ts';

/** Columns of Avendel's own; any other name is an attribute. */
export const CONTACT_COLUMNS = ['address', 'name', 'joined_at', 'deliverability', 'stage', 'lists', 'tags', 'verdict', 'archived_at'] as const; // prettier-ignore

export interface ContactExport {
  filter: ContactFilter;
  format: 'csv' | 'jsonl';
  columns: string[];
}

const PAGE = 2000;

/** Contacts of a filter with chosen columns, as text in pieces: CSV that no spreadsheet takes for formulas, or JSON Lines. */
export async function* exportContacts(deps: Deps, request: ContactExport): AsyncGenerator<string> {
  const { filter, format, columns } = request;
  if (columns.length === 0) throw new Problem('invalid-input', 'There is no column to export.', { field: 'columns' });
  if (format === 'csv') yield stringify([columns]);
  for await (const rows of pagesOfFilter(deps, filter))
    yield format === 'csv'
      ? stringify(rows.map((row) => columns.map((column) => withoutFormula(textOf(valueOf(row, column))))))
      : `${rows.map((row) => JSON.stringify(Object.fromEntries(columns.map((column) => [column, valueOf(row, column)])))).join('\n')}\n`;
}

/** All contacts of a filter, some thousand at once, as they are at one instant; a condition is worked out once for all of them. */
function pagesOfFilter(deps: Deps, filter: ContactFilter): AsyncGenerator<ContactListRow[]> {
  return inPieces((give) =>
    overFilter(deps, filter, async (sql) => {
      for (let after = 0; ;) {
        const rows = await listContacts(sql, filter, 'oldest', after, PAGE);
        if (rows.length === 0) return;
        await give(rows);
        after = rows[rows.length - 1]!.id;
      }
    }),
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
