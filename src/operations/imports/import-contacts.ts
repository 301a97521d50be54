import { In, type EntityManager } from 'typeorm';
import type { RowColumns, RowTarget } from '../../store/statements/import-rows.ts';
import { BYTES_A_ROW, readRowChunks, type RowChunk } from './read-row-chunks.ts';
import { countOutcomes, OUTCOME_LETTERS, REFUSED_LETTERS } from '../../core/import/row-outcomes.ts';
import { ListEntity } from '../../store/entities/organisation.ts';
import { inRetriedTransaction } from '../../store/database.ts';
import { judgeImportRows, keepChunk, listDoneChunks } from '../../store/statements/import-rows.ts';
import { dropFilesOfDryRuns, findImport, updateImport, type ImportRow } from '../../store/statements/imports.ts';
import { insertRun, finishRun } from '../../store/statements/journal.ts';
import type { Deps } from '../deps.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { eraseRefusedRows } from './erase-from-files.ts';
import { makeRecordLeavings, type BrandOfList } from './record-leavings.ts';
import { makeLanes } from '../lanes.ts';
import { found, Problem } from '../problem.ts';
import { forgetStandings } from '../addresses/domain-facts.ts';
import { settleTypes } from './read-file-head.ts';
import { makeFlagRows, type FlagRows } from './flag-rows.ts';
import { makeFindSuspects, type FindSuspects } from './suppression-sieve.ts';
import { makeTakeRows, rowsAt } from './take-rows.ts';

/** Chunks under way at once: one is read, one copied as contacts, one as subscriptions, one committed. */
const LANES = 4;

/**
 * Works an import through to its end: rows are read from the kept file and applied in chunks, each in one transaction
 * with its outcomes and the progress. Begun again after a crash, it reads the file again and applies the chunks that
 * are not done. A dry run judges the rows by the same statement and writes no contact.
 */
export async function runImport(deps: Deps, id: number): Promise<void> {
  const row = found(await findImport(deps.database, id), `import ${id}`);
  if (row.state !== 'waiting' && row.state !== 'applying') return;
  try {
    await apply(deps, row);
  } catch (error) {
    if (!(error instanceof Problem || error instanceof Cancelled)) throw error;
    if (error instanceof Problem) return failImport(deps, id, error.detail);
  }
  await closeRun(deps, id);
  await dropFilesOfDryRuns(deps.database, new Date(deps.now().getTime() - DRY_RUN_KEPT_MS));
}

/**
 * What a dry run was about is looked at, and then imported or not; its file, with what it says of people, is not kept
 * for ever.
 */
const DRY_RUN_KEPT_MS = 7 * 86_400_000;

/** What came in stays also when the import was cancelled or failed half-way; its run ends, and can be undone. */
async function closeRun(deps: Deps, id: number): Promise<void> {
  const row = await findImport(deps.database, id);
  if (row && row.runId !== null) await finishRun(deps.database, row.runId, row.counts);
  forgetStandings(deps);
}

/** Ends an import that cannot be worked through. */
export async function failImport(deps: Deps, id: number, detail: string): Promise<void> {
  await updateImport(deps.database, id, { state: 'failed', problem: { detail } });
  await closeRun(deps, id);
}

class Cancelled extends Error {}

async function apply(deps: Deps, row: ImportRow): Promise<void> {
  const targets = await targetsOf(deps, row);
  const brandId = targets.get(row.listId)!.brandId;
  const runId = row.dryRun ? null : (row.runId ?? (await beginRun(deps, row, brandId)));
  if (!row.dryRun) await settleTypes(deps, row.options);
  await updateImport(deps.database, row.id, { state: 'applying', runId: runId ?? undefined });
  const takeIn = makeTakeRows(row.actor);
  const take: TakeOrJudge = (sql, columns, listId) => {
    const target = found(targets.get(listId), `list ${listId}`);
    return runId === null ? judgeImportRows(sql, columns, target) : takeIn(sql, columns, target, runId);
  };
  const checks = {
    flag: await makeFlagRows(deps, row.options.held !== undefined),
    findSuspects: await makeFindSuspects(deps, Math.ceil(row.bytes / BYTES_A_ROW)),
  };
  const rows = await applyChunks(deps, row, take, checks, (listId) => targets.get(listId)!.brandId);
  if (rows === 0) throw new Problem('bad-file', `${row.fileName} has a header and no rows.`);
  await eraseRefusedRows(deps, row);
  await updateImport(deps.database, row.id, { state: 'finished', rowsExpected: rows });
}

/** Takes rows in for a list, or judges them only, and answers one letter a row. */
type TakeOrJudge = (sql: EntityManager, columns: RowColumns, listId: number) => Promise<string>;

/** What is found out about the addresses of a chunk before its rows are taken in. */
interface RowChecks {
  flag: FlagRows;
  findSuspects: FindSuspects;
}

/** What rows are taken in for, by the list: the import's own, and those that a column names. */
async function targetsOf(deps: Deps, row: ImportRow): Promise<Map<number, RowTarget>> {
  const ids = new Set([row.listId, ...Object.values(row.options.lists ?? {})]);
  const lists = await deps.database.getRepository(ListEntity).findBy({ id: In([...ids]) });
  if (!lists.some(({ id }) => id === row.listId)) throw new Problem('not-found', `There is no list ${row.listId}.`);
  return new Map(
    lists.map(({ id, brandId, optIn }) => [
      id,
      { importId: row.id, listId: id, brandId, state: optIn === 'double' ? 'pending' : 'subscribed' },
    ]),
  );
}

function beginRun(deps: Deps, row: ImportRow, brandId: number): Promise<number> {
  return insertRun(deps.database, { kind: 'import', brandId, actor: row.actor, reason: `import of ${row.fileName}` });
}

/** Applies every chunk that is not done, LANES at a time, and tells how many rows the file has. */
async function applyChunks(
  deps: Deps,
  row: ImportRow,
  take: TakeOrJudge,
  checks: RowChecks,
  brandOf: BrandOfList,
): Promise<number> {
  const done = await listDoneChunks(deps.database, row.id);
  const lanes = makeLanes(LANES);
  let rows = 0;
  try {
    for await (const chunk of readRowChunks(deps, row, done)) {
      rows = chunk.firstRow - 1 + chunk.letters.length;
      if (done.has(chunk.firstRow)) chunk.done();
      else await lanes.run(() => applyChunk(deps, row, chunk, take, checks, brandOf).finally(chunk.done));
      await updateImport(deps.database, row.id, { rowsExpected: Math.round(rows / chunk.fraction) });
    }
  } finally {
    await lanes.end();
  }
  return rows;
}

async function applyChunk(
  deps: Deps,
  row: ImportRow,
  chunk: RowChunk,
  take: TakeOrJudge,
  checks: RowChecks,
  brandOf: BrandOfList,
): Promise<void> {
  const { domains } = chunk;
  const { addresses } = chunk.columns;
  const columns = {
    ...chunk.columns,
    flags: flaggedToLeave(await checks.flag(addresses, domains), chunk),
    suspects: await checks.findSuspects(addresses, domains),
  };
  const leavings = makeRecordLeavings(deps, row, brandOf);
  await leavings.prepare(chunk);
  const affected = await inRetriedTransaction(deps.database, async (sql) => {
    const taken = await takeByList(sql, row, { ...chunk, columns }, take);
    let next = 0;
    const letters = chunk.letters.map((letter) => letter ?? taken[next++]!).join('');
    const kept = await keepChunk(sql, row.id, { firstRow: chunk.firstRow, letters, counts: countOutcomes(letters) });
    if (!kept) throw new Cancelled();
    return row.dryRun ? [] : leavings.record(sql, chunk, taken);
  });
  await callBackFromSends(deps, affected);
}

/**
 * Who leaves is taken in and not subscribed; what speaks for holding them back for a decision does not speak against
 * that.
 */
function flaggedToLeave(flags: (string | null)[] | null, { leavings, columns }: RowChunk): (string | null)[] | null {
  const places = leavings.flatMap(({ place }) => (place === null ? [] : [place]));
  if (places.length === 0) return flags;
  const flagged = flags ?? new Array<string | null>(columns.addresses.length()).fill(null);
  for (const place of places)
    if (!REFUSED_LETTERS.includes(flagged[place] ?? '')) flagged[place] = OUTCOME_LETTERS['suppressed:left'];
  return flagged;
}

/**
 * The letters of a chunk's rows. When rows name their lists, those of each list are taken together, the lists in the
 * same order by every lane. Somebody new who stands in two rows is created by one of them; a dry run, which creates
 * nobody, says so.
 */
async function takeByList(
  sql: EntityManager,
  row: ImportRow,
  { columns, lists }: RowChunk,
  take: TakeOrJudge,
): Promise<string> {
  if (columns.addresses.length() === 0) return '';
  if (!lists) return take(sql, columns, row.listId);
  const letters: string[] = [];
  for (const listId of [...new Set(lists.map(({ id }) => id))].sort((a, b) => a - b)) {
    const places = lists.flatMap(({ id }, place) => (id === listId ? [place] : []));
    const taken = await take(sql, rowsAt(columns, places), listId);
    places.forEach((place, index) => (letters[place] = taken[index]!));
  }
  const again = row.dryRun ? lists.map((list) => list.again) : [];
  return letters
    .map((letter, place) => (again[place] && letter === OUTCOME_LETTERS.created ? OUTCOME_LETTERS.updated : letter))
    .join('');
}
