import { stringify } from 'csv-stringify/sync';
import { withoutFormula } from '../../core/export/without-formula.ts';
import { PlainRow } from '../../core/import-engine/plain-row.ts';
import {
  makeGivenRows,
  makeGivenTaker,
  nameOthers,
  partOthers,
  type GivenRows,
  type GivenTaker,
} from '../../core/import/given-rows.ts';
import { findGivenColumn } from '../../core/import/read-given.ts';
import type { Wanted } from '../../shared/contract/reconciliations.ts';
import { inTransaction, lookUpByIndex, overWholeSet } from '../../store/database.ts';
import {
  countOurs,
  deleteReconciliation,
  dropUnfinishedReconciliations,
  endReconciliation,
  insertReconciledRows,
  insertReconciliation,
  listReconciled,
  listReconciliations,
  RECONCILED_AT_ONCE,
  type ReconciledRow,
  type ReconciliationRow,
} from '../../store/statements/reconciliations.ts';
import type { Deps } from '../deps.ts';
import { makeLanes } from '../lanes.ts';
import { Problem } from '../problem.ts';
import type { ImportRecord } from '../imports/read-import-records.ts';
import { readUploadedTable } from '../imports/read-uploaded-table.ts';

const MOST_ROWS = 5_000_000;
/** Each page of an export goes through the whole list. */
const PAGE = 20_000;
/** Chunks looked up at once, while the next one is read. */
const LANES = 3;
/** Longer than any reconciliation takes. */
const UNFINISHED_KEPT_MS = 86_400_000;

/** Holds a list of addresses or digests, given as a table or one a line, against the base. @throws Problem bad-file */
export async function reconcile(
  deps: Deps,
  request: { name: string; actor: string },
  bytes: AsyncIterable<Uint8Array>,
): Promise<ReconciliationRow> {
  await dropUnfinishedReconciliations(deps.database, new Date(deps.now().getTime() - UNFINISHED_KEPT_MS));
  const id = await insertReconciliation(deps.database, request.name, request.actor);
  try {
    const shape: ListShape = { columns: [] };
    const rows = await keepRows(deps, id, readBatches(request.name, bytes, shape));
    if (rows === 0) throw new Problem('bad-file', `${request.name} holds nothing to be found.`);
    const [, contacts] = await Promise.all([
      overWholeSet(deps.database, (sql) => endReconciliation(sql, id, shape.columns)),
      countOurs(deps.database),
    ]);
    return await findReconciliation(deps, id, contacts);
  } catch (error) {
    await deleteReconciliation(deps.database, id);
    throw error;
  }
}

/** What is known of a list once it is read: its columns beside the one that is looked up. */
interface ListShape {
  columns: string[];
}

/** Keeps the rows as they stream in, and tells how many there were. */
async function keepRows(deps: Deps, id: number, batches: AsyncGenerator<GivenRows>): Promise<number> {
  const lanes = makeLanes(LANES);
  let rows = 0;
  try {
    for await (const batch of batches) {
      const firstRow = rows + 1;
      rows += batch.addresses.length();
      await lanes.run(() =>
        inTransaction(deps.database, async (sql) => {
          await lookUpByIndex(sql);
          await insertReconciledRows(sql, id, firstRow, batch);
        }),
      );
    }
  } finally {
    await lanes.end();
  }
  return rows;
}

/** A page of one direction of the answer, after a place. @throws Problem not-found */
export async function listReconciledPage(
  deps: Deps,
  id: number,
  direction: 'given' | 'ours',
  wanted: Wanted | null,
  after: number,
  limit: number,
): Promise<ReconciledAnswer[]> {
  const rows = await overWholeSet(deps.database, (sql) => listReconciled(sql, id, direction, wanted, after, limit));
  // One that was forgotten has no rows either, and says so.
  if (rows.length === 0 || direction === 'ours') await getReconciliation(deps, id);
  return rows.map(({ others, ...row }) => ({ ...row, others: partOthers(others) }));
}

/** A row of the answer, with the cells of the list's other columns. */
export type ReconciledAnswer = Omit<ReconciledRow, 'others'> & { others: string[] };

/** A reconciliation with its counts. @throws Problem not-found */
export async function getReconciliation(deps: Deps, id: number): Promise<ReconciliationRow> {
  return findReconciliation(deps, id, await countOurs(deps.database));
}

async function findReconciliation(deps: Deps, id: number, contacts: number): Promise<ReconciliationRow> {
  const rows = await listReconciliations(deps.database, id, 2_147_483_647, 1, contacts);
  if (!rows[0]) throw new Problem('not-found', `There is no reconciled list ${id}, or it was forgotten.`);
  return rows[0];
}

/** Reconciliations with their counts, latest first, before one. */
export async function listLatestReconciliations(
  deps: Deps,
  before: number,
  limit: number,
): Promise<ReconciliationRow[]> {
  return listReconciliations(deps.database, null, before, limit, await countOurs(deps.database));
}

/** Forgets a list that was reconciled. @throws Problem not-found */
export async function forgetReconciliation(deps: Deps, id: number): Promise<void> {
  if (!(await deleteReconciliation(deps.database, id)))
    throw new Problem('not-found', `There is no reconciliation ${id}.`);
}

/** Reads the rows as they arrive, some thousand at once, and says at the end what columns they had. */
async function* readBatches(
  name: string,
  bytes: AsyncIterable<Uint8Array>,
  shape: ListShape,
): AsyncGenerator<GivenRows> {
  let taker: GivenTaker | undefined;
  let nameColumns = (_width: number): string[] => [];
  let passed = 0;
  let batch = makeGivenRows(RECONCILED_AT_ONCE);
  for await (const records of readUploadedTable(name, bytes))
    for (const record of records) {
      if (!taker) {
        const { column, hasHeader } = findColumn(name, record);
        taker = makeGivenTaker(column);
        const first = record.cells ?? [];
        nameColumns = (width) => nameOthers(first, hasHeader, column, width);
        if (hasHeader) continue;
      }
      take(taker, record, batch);
      if (batch.addresses.length() < RECONCILED_AT_ONCE) continue;
      passed += RECONCILED_AT_ONCE;
      if (passed > MOST_ROWS)
        throw new Problem('bad-file', `${name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`);
      yield batch;
      batch = makeGivenRows(RECONCILED_AT_ONCE);
    }
  if (batch.addresses.length() > 0) yield batch;
  shape.columns = nameColumns(taker?.width() ?? 0);
}

function findColumn(name: string, { cells, error }: ImportRecord): { column: number; hasHeader: boolean } {
  const place = findGivenColumn(cells ?? []);
  if (!place)
    throw new Problem(
      'bad-file',
      `${name} has no column of addresses or of SHA-256. Its first row is: ${(cells ?? [error]).join(', ').slice(0, 200)}.`,
    );
  return place;
}

function take(taker: GivenTaker, record: ImportRecord, into: GivenRows): void {
  if (record instanceof PlainRow) return taker.takePlain(record, into);
  const { cells, error } = record;
  if (cells) taker.take(cells, into);
  else taker.takeBroken(error, into);
}

/** One direction of the answer as CSV, in pieces. */
export async function* exportReconciled(
  deps: Deps,
  id: number,
  direction: 'given' | 'ours',
  wanted: Wanted | null,
): AsyncGenerator<string> {
  const { columns } = await getReconciliation(deps, id);
  yield stringify([['given', 'address', 'name', 'standing', ...columns.map((name) => `their ${name}`)]]);
  for (let after = 0; ;) {
    const rows = await listReconciledPage(deps, id, direction, wanted, after, PAGE);
    if (rows.length === 0) return;
    yield stringify(
      rows.map(({ given, address, name, standing, others }) =>
        [given, address, name, standing, ...columns.map((_, place) => others[place] ?? '')].map((cell) =>
          withoutFormula(cell ?? ''),
        ),
      ),
    );
    after = rows[rows.length - 1]!.place;
  }
}
