import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { PoolClient } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { guessDelimiter, guessEncoding, guessMapping, makeRowReader, refused } from '../../core/import/read-table.ts';
import { ListEntity, type List } from '../../store/entities/organisation.ts';
import { inTransaction } from '../../store/database.ts';
import { insertRun, finishRun } from '../../store/statements/journal.ts';
import {
  analyseStagedRows, appendImportPart, applyStagedRows, clearStagedRows, COPY_STAGED_ROWS, countStagedRows, findImport, insertImport,
  keepOutcomes, markDuplicateRows, stagedLine, updateImport, type ImportRow,
} from '../../store/statements/imports.ts'; // prettier-ignore
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { readImportRecords } from './read-import-records.ts';

export interface ImportRequest {
  listId: number;
  fileName: string;
  mapping?: Record<string, string | null>;
  delimiter?: string;
  dryRun: boolean;
  actor: string;
}

const PART_BYTES = 1024 * 1024;
/** The largest file taken; two million rows of 100 bytes and room to spare. */
export const MAX_IMPORT_BYTES = 512 * 1024 * 1024;
/** Rows applied in one transaction. */
export const CHUNK_ROWS = 20_000;

/**
 * Takes a file in, durably, part by part as it arrives; answers once all of it is kept. What can be seen from its
 * beginning (no text, no address column) is refused here. The rows themselves are worked through by runImport.
 * @throws Problem bad-file, too-large, not-found
 */
export async function receiveImport(
  deps: Deps,
  request: ImportRequest,
  bytes: AsyncIterable<Uint8Array>,
): Promise<ImportRow> {
  found(await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }), `list ${request.listId}`);
  const parts = inParts(bytes);
  const first = await parts.next();
  if (first.done) throw new Problem('bad-file', `${request.fileName} is empty.`);
  const options = readHead(first.value, request);
  const id = await insertImport(deps.database, { ...request, options });
  let size = 0;
  try {
    let seq = 0;
    for (let part: IteratorResult<Buffer> = first; !part.done; part = await parts.next()) {
      size += part.value.length;
      if (size > MAX_IMPORT_BYTES)
        throw new Problem('too-large', `${request.fileName} is over ${MAX_IMPORT_BYTES / 1024 / 1024} MB.`);
      await appendImportPart(deps.database, id, seq++, part.value);
    }
  } catch (error) {
    await updateImport(deps.database, id, { state: 'failed', problem: { detail: 'The file did not arrive whole.' } });
    throw error;
  }
  await updateImport(deps.database, id, { state: 'waiting', bytes: size });
  return found(await findImport(deps.database, id), `import ${id}`);
}

/**
 * Works an import through to its end: rows are read and staged, then applied in chunks, each in one transaction with
 * its progress. Begun again after a crash, it goes on where the last committed chunk ended. A dry run does all of it in
 * one transaction that is rolled back, so its counts are exactly those of the real run.
 */
export async function runImport(deps: Deps, id: number): Promise<void> {
  const row = found(await findImport(deps.database, id), `import ${id}`);
  if (!['waiting', 'reading', 'applying'].includes(row.state)) return;
  try {
    await stage(deps, row);
    await apply(deps, row);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    await updateImport(deps.database, id, { state: 'failed', problem: { detail: error.detail } });
  } finally {
    await clearStagedRows(deps.database, id);
  }
}

function readHead(head: Buffer, request: ImportRequest): ImportRow['options'] {
  const { fileName } = request;
  const encoding = guessEncoding(head);
  if (!encoding)
    throw new Problem('bad-file', `${fileName} is not a text file. Save the table as CSV and import that.`);
  const text = new TextDecoder(encoding).decode(head.subarray(0, 64 * 1024));
  const firstLine = text.split(/\r?\n/).find((line) => line.trim() !== '') ?? '';
  const delimiter = request.delimiter ?? guessDelimiter(firstLine);
  const headers = splitHeader(firstLine, delimiter);
  const mapping = { ...guessMapping(headers), ...request.mapping };
  const unknown = Object.keys(request.mapping ?? {}).filter((header) => !headers.includes(header));
  if (unknown.length > 0)
    throw new Problem(
      'bad-file',
      `${fileName} has no column “${unknown[0]}”. Its columns are: ${headers.join(', ')}.`,
      { field: 'mapping' },
    );
  if (!headers.some((header) => mapping[header] === 'address')) {
    throw new Problem(
      'bad-file',
      `${fileName} has no column of addresses. Its columns are: ${headers.slice(0, 20).join(', ')}. Say which one it is: --map "COLUMN=address".`,
      { field: 'mapping' },
    );
  }
  return { delimiter, mapping };
}

function splitHeader(line: string, delimiter: string): string[] {
  const cells = line
    .replace(/^\ufeff/, '')
    .split(new RegExp(`${delimiter === '|' ? '\\|' : delimiter}(?=(?:[^"]*"[^"]*")*[^"]*$)`));
  return cells.map((cell) =>
    cell
      .trim()
      .replace(/^"(.*)"$/, '$1')
      .replaceAll('""', '"'),
  );
}

async function stage(deps: Deps, row: ImportRow): Promise<void> {
  if (row.state === 'applying' && (await countStagedRows(deps.database, row.id)) === row.rowsRead) return;
  await updateImport(deps.database, row.id, { state: 'reading' });
  await clearStagedRows(deps.database, row.id);
  const runner = deps.database.createQueryRunner();
  try {
    const client = (await runner.connect()) as PoolClient;
    let rows = 0;
    const copy = client.query(copyFrom(COPY_STAGED_ROWS));
    const lines = Readable.from(
      stagedLines(deps, row, (count) => (rows = count)),
      { objectMode: false, highWaterMark: 1 << 20 },
    );
    await pipeline(lines, copy);
    if (rows === 0) throw new Problem('bad-file', `${row.fileName} has a header and no rows.`);
    await analyseStagedRows(runner.manager);
    await markDuplicateRows(runner.manager, row.id);
    await updateImport(deps.database, row.id, { state: 'applying', rowsRead: rows });
    row.rowsRead = rows;
  } finally {
    await runner.release();
  }
}

/** Reads the kept file as COPY lines, some hundred rows at a time. Memory does not grow with the file. */
async function* stagedLines(deps: Deps, row: ImportRow, progress: (rows: number) => void): AsyncGenerator<string> {
  let reader: ReturnType<typeof makeRowReader> | undefined;
  let rowNo = 0;
  let lines = '';
  for await (const { cells, error } of readImportRecords(deps, row)) {
    if (!reader) {
      reader = makeRowReader(
        (cells ?? []).map((cell) => cell.trim()),
        row.options.mapping,
      );
      continue;
    }
    const staged = cells ? reader(cells) : refused('unreadable-row', error);
    lines += stagedLine(row.id, { ...staged, rowNo: ++rowNo });
    if (lines.length > 65_536) {
      yield lines;
      lines = '';
    }
  }
  progress(rowNo);
  yield lines;
}

async function apply(deps: Deps, row: ImportRow): Promise<void> {
  const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id: row.listId }), `list ${row.listId}`);
  if (row.dryRun) return applyDry(deps, row, list);
  const runId =
    row.runId ??
    (await insertRun(deps.database, {
      kind: 'import',
      brandId: list.brandId,
      actor: row.actor,
      reason: `import of ${row.fileName}`,
    }));
  await updateImport(deps.database, row.id, { runId });
  let counts = row.counts;
  for (let first = row.rowsDone + 1; first <= row.rowsRead; first += CHUNK_ROWS) {
    const last = Math.min(first + CHUNK_ROWS - 1, row.rowsRead);
    if ((await findImport(deps.database, row.id))?.state === 'cancelled') break;
    counts = await inTransaction(deps.database, async (sql) => {
      const chunk = await applyStagedRows(sql, row.id, first, last, ofList(list), runId, row.actor);
      await keepOutcomes(sql, row.id, first, chunk.outcomes);
      const sum = addCounts(counts, chunk.counts);
      await updateImport(sql, row.id, { rowsDone: last, counts: sum });
      return sum;
    });
  }
  await updateImport(deps.database, row.id, { state: 'finished' });
  await finishRun(deps.database, runId, counts);
}

/** Everything in one transaction, rolled back at the end; only the counts and the outcomes of the rows are kept. */
async function applyDry(deps: Deps, row: ImportRow, list: List): Promise<void> {
  let counts: Record<string, number> = {};
  const runner = deps.database.createQueryRunner();
  await runner.startTransaction();
  try {
    for (let first = 1; first <= row.rowsRead; first += CHUNK_ROWS) {
      const last = Math.min(first + CHUNK_ROWS - 1, row.rowsRead);
      const chunk = await applyStagedRows(runner.manager, row.id, first, last, ofList(list), null, row.actor);
      counts = addCounts(counts, chunk.counts);
      await keepOutcomes(deps.database, row.id, first, chunk.outcomes);
      await updateImport(deps.database, row.id, { rowsDone: last });
    }
  } finally {
    await runner.rollbackTransaction();
    await runner.release();
  }
  await updateImport(deps.database, row.id, { state: 'finished', counts });
}

function ofList(list: List): { id: number; brandId: number; double: boolean } {
  return { id: list.id, brandId: list.brandId, double: list.optIn === 'double' };
}

function addCounts(a: Record<string, number>, b: Record<string, number>): Record<string, number> {
  const sum = { ...a };
  for (const [key, value] of Object.entries(b)) sum[key] = (sum[key] ?? 0) + value;
  return sum;
}

async function* inParts(bytes: AsyncIterable<Uint8Array>): AsyncGenerator<Buffer> {
  let held: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of bytes) {
    held.push(chunk);
    size += chunk.length;
    if (size < PART_BYTES) continue;
    yield Buffer.concat(held);
    held = [];
    size = 0;
  }
  if (size > 0) yield Buffer.concat(held);
}
