import { parseAddress } from '../../core/address/normal-form.ts';
import { heldLetters, outcomeOf } from '../../core/import/row-outcomes.ts';
import { findImport, insertFollowingImport, type ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { makeDomainFacts } from './domain-facts.ts';
import { readLetteredRows } from './read-import-records.ts';

/** Rows of an import that wait for a decision, put together by why and by domain. */
export interface HeldRows {
  code: string;
  domain: string;
  rows: number;
  /** The domain that was probably meant. */
  proposal: string | null;
  sample: string[];
}

const MOST_GROUPS = 200;
const SAMPLE = 5;

/** What an import held, the most rows first. Reads the file again. @throws Problem wrong-state, not-found */
export async function listHeldRows(deps: Deps, importId: number): Promise<HeldRows[]> {
  const row = await getFinished(deps, importId);
  if ((row.counts['held'] ?? 0) === 0) return [];
  const groups = new Map<string, HeldRows>();
  const held = heldLetters(undefined);
  let column = -1;
  for await (const rows of readLetteredRows(deps, row))
    for (const { record, rowNo, letter } of rows) {
      const cells = record.cells ?? [];
      if (rowNo === 0) column = cells.findIndex((header) => row.options.mapping[header.trim()] === 'address');
      if (held.has(letter)) count(groups, outcomeOf(letter)!.slice('held:'.length), cells[column] ?? '');
    }
  const listed = [...groups.values()].sort((a, b) => b.rows - a.rows).slice(0, MOST_GROUPS);
  const facts = await makeDomainFacts(deps)(listed.map((group) => group.domain));
  return listed.map((group) => ({ ...group, proposal: facts.get(group.domain)?.lookAlike?.proposed.domain ?? null }));
}

function count(groups: Map<string, HeldRows>, code: string, cell: string): void {
  const parsed = parseAddress(cell);
  if (!parsed.ok) return;
  const key = `${code} ${parsed.domain}`;
  const group = groups.get(key) ?? { code, domain: parsed.domain, rows: 0, proposal: null, sample: [] };
  group.rows++;
  if (group.sample.length < SAMPLE) group.sample.push(parsed.address);
  groups.set(key, group);
}

/**
 * Takes held rows in after all, as they are or with slips of a domain mended, as an import of its own with its outcomes
 * and undo. @throws Problem wrong-state when there are none
 */
export async function releaseHeldRows(
  deps: Deps,
  importId: number,
  request: { codes?: string[]; mend: boolean; dryRun: boolean; actor: string },
): Promise<ImportRow> {
  const row = await getFinished(deps, importId);
  const held = (await listHeldRows(deps, importId)).filter(({ code }) => request.codes?.includes(code) ?? true);
  if (held.length === 0) throw new Problem('wrong-state', `Import ${importId} holds no such rows.`);
  const mend = Object.fromEntries(held.flatMap(({ domain, proposal }) => request.mend && proposal !== null ? [[domain, proposal]] : [])); // prettier-ignore
  const id = await insertFollowingImport(deps.database, {
    listId: row.listId,
    fileName: `held rows of ${row.fileName}`,
    bytes: row.bytes,
    options: { ...row.options, held: { of: importId, codes: request.codes, mend } },
    dryRun: request.dryRun,
    actor: request.actor,
  });
  deps.announce('import');
  return found(await findImport(deps.database, id), `import ${id}`);
}

async function getFinished(deps: Deps, importId: number): Promise<ImportRow> {
  const row = found(await findImport(deps.database, importId), `import ${importId}`);
  if (row.state !== 'finished') throw new Problem('wrong-state', `Import ${importId} is ${row.state}; look again when it is finished.`); // prettier-ignore
  return row;
}
