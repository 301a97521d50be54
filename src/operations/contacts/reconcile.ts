import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { findGivenColumn, readGiven } from '../../core/import/read-given.ts';
import { overWholeSet } from '../../store/database.ts';
import {
  insertGivenRows, insertReconciliation, listReconciled, listReconciliations, matchDigests,
  type GivenRow, type ReconciliationRow,
} from '../../store/statements/reconciliations.ts'; // prettier-ignore
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { readUploadedTable } from './read-uploaded-table.ts';

const BATCH = 2000;
const MOST_ROWS = 5_000_000;
const PAGE = 2000;

/** Holds a list of addresses or digests, given as a table or one a line, against the base. @throws Problem bad-file */
export async function reconcile(
  deps: Deps,
  request: { name: string; actor: string },
  bytes: AsyncIterable<Uint8Array>,
): Promise<ReconciliationRow> {
  const id = await overWholeSet(deps.database, async (sql) => {
    const begun = await insertReconciliation(sql, request.name, request.actor);
    const rows = await insertGivenRows(sql, begun, readBatches(request.name, bytes));
    if (rows === 0) throw new Problem('bad-file', `${request.name} holds nothing to be found.`);
    await matchDigests(sql, begun);
    return begun;
  });
  return getReconciliation(deps, id);
}

/** A reconciliation with its counts. @throws Problem not-found */
export async function getReconciliation(deps: Deps, id: number): Promise<ReconciliationRow> {
  const rows = await overWholeSet(deps.database, (sql) => listReconciliations(sql, id, 2_147_483_647, 1));
  return found(rows[0], `reconciliation ${id}`);
}

/** Reads the rows as they arrive, some thousand at once. */
async function* readBatches(name: string, bytes: AsyncIterable<Uint8Array>): AsyncGenerator<GivenRow[]> {
  let column: number | undefined;
  let passed = 0;
  let batch: GivenRow[] = [];
  for await (const records of readUploadedTable(name, bytes))
    for (const { cells, error } of records) {
      if (column === undefined) {
        const place = findGivenColumn(cells ?? []);
        if (!place) throw new Problem('bad-file', `${name} has no column of addresses or of SHA-256. Its first row is: ${(cells ?? [error]).join(', ').slice(0, 200)}.`); // prettier-ignore
        column = place.column;
        if (place.hasHeader) continue;
      }
      batch.push(cells ? readGiven(cells[column] ?? '') : { given: error.slice(0, 300), address: null, hash: null });
      if (batch.length < BATCH) continue;
      passed += batch.length;
      if (passed > MOST_ROWS) throw new Problem('bad-file', `${name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`); // prettier-ignore
      yield batch;
      batch = [];
    }
  if (batch.length > 0) yield batch;
}

/** One direction of the answer as CSV, in pieces. */
export async function* exportReconciled(
  deps: Deps,
  id: number,
  direction: 'given' | 'ours',
  wanted: boolean | null,
): AsyncGenerator<string> {
  await getReconciliation(deps, id);
  yield stringify([['given', 'address', 'name', 'standing']]);
  for (let after = 0; ;) {
    const rows = await listReconciled(deps.database, id, direction, wanted, after, PAGE);
    if (rows.length === 0) return;
    yield stringify(rows.map((row) => [row.given, row.address, row.name, row.standing].map((cell) => withoutFormula(cell ?? '')))); // prettier-ignore
    after = rows[rows.length - 1]!.place;
  }
}
