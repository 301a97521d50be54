import { stringify } from 'csv-stringify/sync';
import { listEntries, type EntryStanding } from '../../store/statements/suppression.ts';
import type { Deps } from '../deps.ts';
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

/** A list's entries as CSV text, page by page. */
export async function* exportEntries(
  deps: Deps,
  listId: number,
  standing: EntryStanding,
  part: string,
): AsyncGenerator<string> {
  await getSuppressionList(deps, listId);
  yield stringify([HEADER]);
  for (let after = 0; ;) {
    const rows = await listEntries(deps.database, listId, standing, part, 'oldest', after, PAGE);
    if (rows.length === 0) return;
    yield stringify(
      rows.map((row) => [
        row.value,
        row.kind,
        row.reason,
        row.source,
        iso(row.enteredAt),
        iso(row.expiresAt),
        iso(row.liftedAt),
        row.liftedBy,
        row.liftReason,
      ]),
    );
    after = rows[rows.length - 1]!.id;
  }
}

function iso(instant: Date | null): string {
  return instant?.toISOString() ?? '';
}
