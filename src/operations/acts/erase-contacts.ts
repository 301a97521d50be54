import { inTransaction } from '../../store/database.ts';
import { erasePeople, listErasable, lockToErase, takeErasingTurn } from '../../store/statements/erase.ts';
import { listKeptImports } from '../../store/statements/imports.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { overTargets, type Doing } from '../piece.ts';
import { eraseFromFile } from '../imports/erase-from-files.ts';

/** People erased in one transaction. */
const BATCH = 200;

/** Erasing as a run: the people are its targets. */
export interface Erasing {
  do: 'erase';
  by: 'person';
}

/**
 * Erases the targets of a run. Each piece is gone for good when it is done; one that was cut off is gone through again.
 */
export const erasing: Doing<Erasing> = {
  piece: (deps, sql, run) =>
    overTargets(sql, run, async (ids) => {
      await takeErasingTurn(sql);
      return { erased: await eraseContacts(deps, ids, run.actor) };
    }),
};

/**
 * Removes people from the whole database, under every address they had and with every contact that was merged into
 * them, the kept import files among it. Cannot be undone. Returns how many were erased. Files go first: after a crash
 * the people are still known, and erasing them again finishes it.
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
