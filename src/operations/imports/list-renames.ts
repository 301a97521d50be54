import { makeRowReader } from '../../core/import/read-table.ts';
import { OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import type { Renames } from '../../shared/contract/imports.ts';
import { findNames } from '../../store/statements/contacts.ts';
import { findImport } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { readLetteredRows } from './read-import-records.ts';
import { tableColumns } from './read-row-chunks.ts';

const SAMPLE = 20;

/**
 * Whose name a dry run would replace by another, each with both. Who has none yet gets one and is not among them. Reads
 * the file again. @throws Problem wrong-state, not-found
 */
export async function listRenames(deps: Deps, importId: number): Promise<Renames> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  if (!row.dryRun || row.state !== 'finished')
    throw new Problem(
      'wrong-state',
      `Import ${importId} is no dry run that has finished; what an import has changed stands in its run.`,
    );
  const renames: Renames = { contacts: 0, sample: [] };
  if ((row.counts['updated'] ?? 0) === 0) return renames;
  let read: ReturnType<typeof makeRowReader> | undefined;
  for await (const rows of readLetteredRows(deps, row)) {
    const given = new Map<string, string>();
    for (const { record, rowNo, letter } of rows) {
      if (rowNo === 0) read = makeRowReader(tableColumns(record, row), row.createdAt.getTime());
      if (letter !== OUTCOME_LETTERS.updated || !record.cells) continue;
      const said = read!(record.cells);
      if (said.code === null && said.name !== null) given.set(said.address, said.name);
    }
    for (const { contactId, address, name } of await findNames(deps.database, [...given.keys()])) {
      const after = given.get(address)!;
      if (name === null || name === after) continue;
      renames.contacts++;
      if (renames.sample.length < SAMPLE) renames.sample.push({ contactId, address, before: name, after });
    }
  }
  return renames;
}
