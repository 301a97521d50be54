import { stringify } from 'csv-stringify/sync';
import { parseEntry } from '../../core/address/suppression-keys.ts';
import { partOthers } from '../../core/import/given-rows.ts';
import { inTransaction, overWholeSet } from '../../store/database.ts';
import type { ImportRow } from '../../store/statements/imports.ts';
import { insertRun } from '../../store/statements/journal.ts';
import { listStrangers, type Stranger } from '../../store/statements/reconciliations.ts';
import { setWhole } from '../../store/statements/run-work.ts';
import type { NewEntry } from '../../store/statements/suppression.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { assertExpected, Problem } from '../problem.ts';
import { actOfRun, type Doing } from '../piece.ts';
import { enterAll, getListOfPeople } from '../suppression/keep-entries.ts';
import { getReconciliation } from './reconcile.ts';
import { receiveImport } from '../imports/receive-import.ts';

/**
 * The rows of a reconciled list whose address or digest no contact of ours had: put on a suppression list, or taken in.
 */
export interface SuppressingStrangers {
  do: 'strangers';
  reconciliationId: number;
  suppressionListId: number;
  by: 'person';
}

export interface SuppressStrangers {
  reconciliationId: number;
  suppressionListId: number;
  /** How many the answer said are not in the base. */
  expected: number;
  reason: string;
  actor: string;
}

/** Begins to enter them all on a list of one's own, as one run. @throws Problem built-in, count-moved, not-found */
export async function beginSuppressingStrangers(deps: Deps, request: SuppressStrangers): Promise<number> {
  const { reconciliationId, suppressionListId, expected, reason, actor } = request;
  await getListOfPeople(deps, suppressionListId);
  const { strangers } = await getReconciliation(deps, reconciliationId);
  assertExpected(expected, strangers);
  const work: SuppressingStrangers = { do: 'strangers', reconciliationId, suppressionListId, by: 'person' };
  return inTransaction(deps.database, async (sql) => {
    const runId = await insertRun(sql, { kind: 'suppress', brandId: null, actor, reason, work });
    await setWhole(sql, runId, strangers);
    return runId;
  });
}

/** Enters those of the next chunk of the list. */
export const suppressingStrangers: Doing<SuppressingStrangers> = {
  async piece(_deps, sql, run) {
    const { reconciliationId, suppressionListId: listId } = run.work;
    const next = await listStrangers(sql, reconciliationId, run.after ?? 0);
    const { rows, firstRow } = next ?? { rows: [], firstRow: run.after };
    const entries = new Map<string, NewEntry>();
    for (const { address, hash } of rows) {
      const entry = parseEntry(address ?? hash!);
      if (entry)
        entries.set(entry.value, {
          listId,
          ...entry,
          reason: run.reason,
          source: run.actor,
          evidence: null,
          expiresAt: null,
        });
    }
    const changed = await enterAll(sql, [...entries.values()], actOfRun(run));
    return { after: firstRow, done: run.done + rows.length, changed: { ...changed }, last: next === undefined };
  },
  // Who was a stranger to the list may have been taken in since, and be written to.
  settle: async (deps) => void (await callBackFromSends(deps, 'all')),
};

/**
 * Reads those of them that are addresses into an import, for a dry run: digests cannot be written to.
 * @throws Problem bad-file, not-found
 */
export async function takeStrangersIn(
  deps: Deps,
  request: { reconciliationId: number; listId: number; actor: string },
): Promise<ImportRow> {
  const { name, columns } = await getReconciliation(deps, request.reconciliationId);
  const file = asFile(columns, strangersWithAddress(deps, request.reconciliationId), name);
  return receiveImport(
    deps,
    {
      listId: request.listId,
      fileName: `${name}, not in the base`.slice(0, 200),
      header: true,
      delimiter: ',',
      dryRun: true,
      actor: request.actor,
    },
    file,
  );
}

async function* strangersWithAddress(deps: Deps, id: number): AsyncGenerator<Stranger[]> {
  for (let after = 0; ;) {
    const next = await overWholeSet(deps.database, (sql) => listStrangers(sql, id, after));
    if (!next) return;
    after = next.firstRow;
    yield next.rows.filter(({ address }) => address !== null);
  }
}

/** Their rows as a CSV file, with the other columns that the list had. */
async function* asFile(columns: string[], pages: AsyncIterable<Stranger[]>, name: string): AsyncGenerator<Uint8Array> {
  let rows = 0;
  const others = columns.map((column) => (/^address$/i.test(column) ? `their ${column}` : column));
  yield Buffer.from(stringify([['address', ...others]]));
  for await (const page of pages) {
    rows += page.length;
    yield Buffer.from(stringify(page.map(({ address, others }) => [address, ...cellsOf(others, columns.length)])));
  }
  if (rows === 0)
    throw new Problem(
      'bad-file',
      `What is not in the base of ${name} are digests alone: whom they stand for is not known, so that nobody can be taken in.`,
    );
}

function cellsOf(others: string | null, width: number): string[] {
  const cells = partOthers(others);
  return Array.from({ length: width }, (_, place) => cells[place] ?? '');
}
