import type { RowColumns, RowTarget } from '../../store/statements/import-rows.ts';
import { readRowChunks, type RowChunk } from './read-row-chunks.ts';
import { countOutcomes } from '../../core/import/row-outcomes.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import { inRetriedTransaction, type Sql } from '../../store/database.ts';
import { judgeImportRows, keepChunk, listDoneChunks, takeImportRows } from '../../store/statements/import-rows.ts';
import { findImport, updateImport, type ImportRow } from '../../store/statements/imports.ts';
import { insertRun, finishRun } from '../../store/statements/journal.ts';
import type { Deps } from '../deps.ts';
import { eraseRefusedRows } from './erase-contacts.ts';
import { makeLanes } from '../lanes.ts';
import { found, Problem } from '../problem.ts';
import { forgetStandings } from './domain-facts.ts';
import { settleTypes } from './read-file-head.ts';
import { makeFlagRows, type FlagRows } from './flag-rows.ts';

/** Chunks applied at once, so that while one is read from the file two are written. */
const LANES = 3;

/**
 * Works an import through to its end: rows are read from the kept file and applied in chunks, each in one transaction
 * with its outcomes and the progress. Begun again after a crash, it reads the file again and applies the chunks that are
 * not done. A dry run judges the rows by the same statement and writes no contact.
 */
export async function runImport(deps: Deps, id: number): Promise<void> {
  const row = found(await findImport(deps.database, id), `import ${id}`);
  if (row.state !== 'waiting' && row.state !== 'applying') return;
  try {
    await apply(deps, row);
  } catch (error) {
    if (!(error instanceof Problem || error instanceof Cancelled)) throw error;
    if (error instanceof Problem)
      await updateImport(deps.database, id, { state: 'failed', problem: { detail: error.detail } });
  }
  await closeRun(deps, id);
}

/** What came in stays also when the import was cancelled or failed half-way; its run ends, and can be undone. */
async function closeRun(deps: Deps, id: number): Promise<void> {
  const row = await findImport(deps.database, id);
  if (row && row.runId !== null) await finishRun(deps.database, row.runId, row.counts);
  forgetStandings(deps);
}

class Cancelled extends Error {}

async function apply(deps: Deps, row: ImportRow): Promise<void> {
  const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id: row.listId }), `list ${row.listId}`);
  const state = list.optIn === 'double' ? 'pending' : 'subscribed';
  const target: RowTarget = { importId: row.id, listId: list.id, brandId: list.brandId, state };
  const runId = row.dryRun ? null : (row.runId ?? (await beginRun(deps, row, list.brandId)));
  if (!row.dryRun) await settleTypes(deps, row.options);
  await updateImport(deps.database, row.id, { state: 'applying', runId: runId ?? undefined });
  const take = (sql: Sql, columns: RowColumns): Promise<string> =>
    runId === null ? judgeImportRows(sql, columns, target) : takeImportRows(sql, columns, target, runId, row.actor);
  const rows = await applyChunks(deps, row, take, await makeFlagRows(deps, row.options.held !== undefined));
  if (rows === 0) throw new Problem('bad-file', `${row.fileName} has a header and no rows.`);
  await eraseRefusedRows(deps, row);
  await updateImport(deps.database, row.id, { state: 'finished', rowsExpected: rows });
}

function beginRun(deps: Deps, row: ImportRow, brandId: number): Promise<number> {
  return insertRun(deps.database, { kind: 'import', brandId, actor: row.actor, reason: `import of ${row.fileName}` });
}

/** Applies every chunk that is not done, LANES at a time, and tells how many rows the file has. */
async function applyChunks(
  deps: Deps,
  row: ImportRow,
  take: (sql: Sql, columns: RowColumns) => Promise<string>,
  flag: FlagRows,
): Promise<number> {
  const done = new Set(await listDoneChunks(deps.database, row.id));
  const lanes = makeLanes(LANES);
  let rows = 0;
  try {
    for await (const chunk of readRowChunks(deps, row)) {
      rows = chunk.firstRow - 1 + chunk.letters.length;
      if (done.has(chunk.firstRow)) continue;
      await lanes.run(() => applyChunk(deps, row.id, chunk, take, flag));
      await updateImport(deps.database, row.id, { rowsExpected: Math.round(rows / chunk.fraction) });
    }
  } finally {
    await lanes.end();
  }
  return rows;
}

async function applyChunk(
  deps: Deps,
  importId: number,
  chunk: RowChunk,
  take: (sql: Sql, columns: RowColumns) => Promise<string>,
  flag: FlagRows,
): Promise<void> {
  const columns = { ...chunk.columns, flags: await flag(chunk.columns.addresses) };
  await inRetriedTransaction(deps.database, async (sql) => {
    const taken = columns.addresses.length === 0 ? '' : await take(sql, columns);
    let next = 0;
    const letters = chunk.letters.map((letter) => letter ?? taken[next++]!).join('');
    const kept = await keepChunk(sql, importId, { firstRow: chunk.firstRow, letters, counts: countOutcomes(letters) });
    if (!kept) throw new Cancelled();
  });
}
