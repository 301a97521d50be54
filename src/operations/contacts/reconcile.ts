import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { findGivenColumn, readGiven } from '../../core/import/read-given.ts';
import { inTransaction, overWholeSet } from '../../store/database.ts';
import {
  deleteReconciliation, insertGivenRows, insertReconciliation, listReconciled, listReconciliations, matchDigests,
  type GivenRow, type ReconciliationRow,
} from '../../store/statements/reconciliations.ts'; // prettier-ignore
import type { Deps } from '../deps.ts';
import { makeLanes } from '../lanes.ts';
import { found, Problem } from '../problem.ts';
import { readUploadedTable } from './read-uploaded-table.ts';

const BATCH = 10_000;
const MOST_ROWS = 5_000_000;
const PAGE = 2000;

/** Holds a list of addresses or digests, given as a table or one a line, against the base. @throws Problem bad-file */
export async function reconcile(
  deps: Deps,
  request: { name: string; actor: string },
  bytes: AsyncIterable<Uint8Array>,
): Promise<ReconciliationRow> {
  const id = await insertReconciliation(deps.database, request.name, request.actor);
  try {
    const rows = await keepRows(deps, id, request.name, bytes);
    if (rows === 0) throw new Problem('bad-file', `${request.name} holds nothing to be found.`);
    await overWholeSet(deps.database, (sql) => matchDigests(sql, id));
  } catch (error) {
    await deleteReconciliation(deps.database, id);
    throw error;
  }
  return getReconciliation(deps, id);
}

export async function getReconciliation(deps: Deps, id: number): Promise<ReconciliationRow> {
  const rows = await overWholeSet(deps.database, (sql) => listReconciliations(sql, id, 2_147_483_647, 1));
  return found(rows[0], `reconciliation ${id}`);
}

/** Batches written at once, so that while one is read two are written. */
const LANES = 2;

/** Keeps the rows as they stream in, some thousand a statement. Returns how many there are. */
async function keepRows(deps: Deps, id: number, name: string, bytes: AsyncIterable<Uint8Array>): Promise<number> {
  let column: number | undefined;
  let kept = 0;
  let batch: GivenRow[] = [];
  const lanes = makeLanes(LANES);
  const keep = async (): Promise<void> => {
    const [rows, firstRow] = [batch, kept + 1];
    kept += rows.length;
    batch = [];
    if (kept > MOST_ROWS) throw new Problem('bad-file', `${name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`); // prettier-ignore
    await lanes.run(() => inTransaction(deps.database, (sql) => insertGivenRows(sql, id, firstRow, rows)));
  };
  try {
    for await (const records of readUploadedTable(name, bytes))
      for (const { cells, error } of records) {
        if (column === undefined) {
          const place = findGivenColumn(cells ?? []);
          if (!place) throw new Problem('bad-file', `${name} has no column of addresses or of SHA-256. Its first row is: ${(cells ?? [error]).join(', ').slice(0, 200)}.`); // prettier-ignore
          column = place.column;
          if (place.hasHeader) continue;
        }
        batch.push(cells ? readGiven(cells[column] ?? '') : { given: error.slice(0, 300), address: null, hash: null });
        if (batch.length >= BATCH) await keep();
      }
    if (batch.length > 0) await keep();
  } finally {
    await lanes.end();
  }
  return kept;
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
