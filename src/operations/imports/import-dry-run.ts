import { inTransaction } from '../../store/database.ts';
import { lockKeptFile } from '../../store/statements/erase.ts';
import {
  findImport,
  handOverFile,
  hasFile,
  insertFollowingImport,
  lockImport,
  type ImportRow,
} from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/**
 * Imports for real what a dry run has read: the same file, read in the same way, into the same list. Once.
 * @throws Problem wrong-state, not-found
 */
export async function importDryRun(deps: Deps, id: number, actor: string): Promise<ImportRow> {
  const importId = await inTransaction(deps.database, async (sql) => {
    // Nobody is erased from the file meanwhile.
    await lockKeptFile(sql, id);
    const row = found(await lockImport(sql, id), `import ${id}`);
    const refusal = whyNot(row);
    if (refusal) throw new Problem('wrong-state', refusal);
    if (!(await hasFile(sql, id)))
      throw new Problem('wrong-state', `The file of dry run ${id} is not kept any more. Choose it again.`);
    const { listId, fileName, bytes, options } = row;
    const real = await insertFollowingImport(sql, { listId, fileName, bytes, options, dryRun: false, actor });
    await handOverFile(sql, id, real);
    return real;
  });
  deps.announce('import');
  return found(await findImport(deps.database, importId), `import ${importId}`);
}

function whyNot({ id, dryRun, state, appliedAs, options: { held } }: ImportRow): string | null {
  if (!dryRun) return `Import ${id} is no dry run.`;
  if (appliedAs !== null) return `Dry run ${id} was imported already, as import ${appliedAs}.`;
  if (held) return `Dry run ${id} tried held rows of import ${held.of}: decide about them there.`;
  if (state !== 'finished') return `Dry run ${id} is ${state}; only one that has finished can be imported.`;
  return null;
}
