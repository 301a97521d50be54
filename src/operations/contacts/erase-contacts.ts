import { stringify } from 'csv-stringify/sync';
import { parseAddress } from '../../core/address/normal-form.ts';
import { inTransaction } from '../../store/database.ts';
import { erasePeople, listErasable, lockKeptFile, lockToErase, takeErasingTurn } from '../../store/statements/erase.ts';
import { ERASED, OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import { hasLetter } from '../../store/statements/import-rows.ts';
import {
  findImport,
  listKeptImports,
  changeImportFormat,
  replaceImportParts,
  type ImportRow,
} from '../../store/statements/imports.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';
import { overTargets, type Doing } from '../runs/piece.ts';
import { readImportRecords, readLetteredRows } from './read-import-records.ts';

/** People erased in one transaction. */
const BATCH = 200;

/** Erasing as a run: the people are its targets. */
export interface Erasing {
  do: 'erase';
  by: 'person';
}

/** Erases the targets of a run. Each piece is gone for good when it is done; one that was cut off is gone through again. */
export const erasing: Doing<Erasing> = {
  piece: (deps, sql, run) =>
    overTargets(sql, run, async (ids) => {
      await takeErasingTurn(sql);
      return { erased: await eraseContacts(deps, ids, run.actor) };
    }),
};

/**
 * Removes people from the whole database, under every address they had and with every contact that was merged into them, the kept import files among it. Cannot be undone. Returns how many were erased.
 * Files go first: after a crash the people are still known, and erasing them again finishes it.
 */
export async function eraseContacts(deps: Deps, contactIds: number[], actor: string): Promise<number> {
  const persons = await listErasable(deps.database, contactIds);
  const ids = [...new Set(persons.map((person) => person.id))];
  const addresses = new Set(persons.map((person) => person.address));
  for (const importId of await listKeptImports(deps.database)) await eraseFromFile(deps, importId, addresses);
  let erased = 0;
  for (let from = 0; from < ids.length; from += BATCH)
    erased += await inTransaction(deps.database, async (sql) => {
      const batch = ids.slice(from, from + BATCH);
      await lockToErase(sql, batch);
      const standing = new Set((await listErasable(sql, batch)).map((person) => person.id));
      const people = persons.filter((person) => batch.includes(person.id) && standing.has(person.id));
      await erasePeople(sql, people, actor);
      return new Set(people.map((person) => person.id)).size;
    });
  await callBackFromSends(deps, ids);
  return erased;
}

/** An import that names people who were erased refuses their rows; then its file must not keep them either. */
export async function eraseRefusedRows(deps: Deps, row: ImportRow): Promise<void> {
  const letter = OUTCOME_LETTERS['refused:erased'];
  if (!(await hasLetter(deps.database, row.id, letter))) return;
  const addresses = new Set<string>();
  const place = row.options.mapping;
  let column = -1;
  for await (const rows of readLetteredRows(deps, row))
    for (const { record, rowNo, letter: became } of rows) {
      const cells = record.cells ?? [];
      if (rowNo === 0) column = cells.findIndex((header) => place[header.trim()] === 'address');
      const parsed = became === letter ? parseAddress(cells[column] ?? '') : undefined;
      if (parsed?.ok) addresses.add(parsed.address);
    }
  await eraseFromFile(deps, row.options.held?.of ?? row.id, addresses);
}

/**
 * Rewrites a kept file without these people: their rows stay, empty, so that the rows after them keep their numbers and
 * outcomes. Read once to see whether there is anything to do; only then is it written anew.
 */
async function eraseFromFile(deps: Deps, importId: number, addresses: ReadonlySet<string>): Promise<void> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  const isTheirs = (cells: string[] | null, error: string): boolean =>
    (cells ?? [error]).some((cell) => mentions(cell, addresses));
  let any = false;
  for await (const { records } of readImportRecords(deps, row))
    for (const { cells, error } of records) any ||= isTheirs(cells, error);
  if (!any) return;
  await inTransaction(deps.database, async (sql) => {
    await lockKeptFile(sql, importId);
    // As another erasure may just have left it.
    const present = found(await findImport(sql, importId), `import ${importId}`);
    await replaceImportParts(sql, importId, rewritten(present));
    await changeImportFormat(sql, importId, { encoding: 'utf-8', header: true });
  });

  async function* rewritten(present: ImportRow): AsyncGenerator<Buffer> {
    for await (const { records } of readImportRecords(deps, present)) {
      const lines: string[][] = [];
      for (const { cells, error } of records)
        lines.push(isTheirs(cells, error) ? (cells ?? ['']).map(() => ERASED) : (cells ?? [error]));
      yield Buffer.from(stringify(lines, { delimiter: present.options.delimiter }));
    }
  }
}

/** Whether a cell is, or holds, one of these addresses in any writing. */
function mentions(cell: string, addresses: ReadonlySet<string>): boolean {
  if (!cell.includes('@')) return false;
  const parsed = parseAddress(cell);
  if (parsed.ok) return addresses.has(parsed.address);
  const lower = cell.toLowerCase();
  return [...addresses].some((address) => lower.includes(address));
}
