import { parseAddress } from '../../core/address/normal-form.ts';
import { heldLetters, outcomeOf } from '../../core/import/row-outcomes.ts';
import type { HeldDecision, HeldDomain, HeldRows } from '../../shared/contract/imports.ts';
import type { SettableCode } from '../../shared/words.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { keepDecisions, listDecisions } from '../../store/statements/held-decisions.ts';
import { findImport, insertFollowingImport, lockImport, type ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { makeDomainFacts } from '../addresses/domain-facts.ts';
import { readLetteredRows } from './read-import-records.ts';

const MOST_DOMAINS = 200;
const SAMPLE = 5;

/** What an import held, the most rows first. Reads the file again. @throws Problem wrong-state, not-found */
export async function listHeldRows(deps: Deps, importId: number): Promise<HeldRows[]> {
  const row = await getFinished(deps, importId);
  if ((row.counts['held'] ?? 0) === 0) return [];
  const byCode = new Map<SettableCode, { rows: number; domains: Map<string, HeldDomain> }>();
  const held = heldLetters(undefined);
  let column = -1;
  for await (const rows of readLetteredRows(deps, row))
    for (const { record, rowNo, letter } of rows) {
      const cells = record.cells ?? [];
      if (rowNo === 0) column = cells.findIndex((header) => row.options.mapping[header.trim()] === 'address');
      if (!held.has(letter)) continue;
      const code = outcomeOf(letter)!.slice('held:'.length) as SettableCode;
      const group = byCode.get(code) ?? { rows: 0, domains: new Map<string, HeldDomain>() };
      group.rows++;
      byCode.set(code, group);
      count(group.domains, cells[column] ?? '');
    }
  const decisions = await listDecisions(deps.database, importId);
  const domains = [...byCode.values()].flatMap((group) => mostRows(group.domains));
  const facts = await makeDomainFacts(deps)(domains.map(({ domain }) => domain));
  const proposalOf = (domain: string): string | null => facts.get(domain)?.lookAlike?.proposed.domain ?? null;
  return [...byCode]
    .map(([code, group]) => ({
      code,
      rows: group.rows,
      decision: decisions.get(code) ?? null,
      domains: mostRows(group.domains).map((one) => ({ ...one, proposal: proposalOf(one.domain) })),
    }))
    .sort((a, b) => b.rows - a.rows);
}

function mostRows(domains: Map<string, HeldDomain>): HeldDomain[] {
  return [...domains.values()].sort((a, b) => b.rows - a.rows).slice(0, MOST_DOMAINS);
}

function count(domains: Map<string, HeldDomain>, cell: string): void {
  const parsed = parseAddress(cell);
  if (!parsed.ok) return;
  const one = domains.get(parsed.domain) ?? { domain: parsed.domain, rows: 0, proposal: null, sample: [] };
  one.rows++;
  if (one.sample.length < SAMPLE) one.sample.push(parsed.address);
  domains.set(parsed.domain, one);
}

/** Which held rows are meant, by why; without codes all that wait. */
export interface HeldRequest {
  codes?: string[];
  actor: string;
}

/**
 * Takes held rows in after all, as they are or with slips of a domain mended, as an import of its own with its outcomes
 * and undo. Of a dry run, it can only be tried. @throws Problem wrong-state when there are none, or they were decided
 * about
 */
export async function releaseHeldRows(
  deps: Deps,
  importId: number,
  request: HeldRequest & { mend: boolean; dryRun: boolean },
): Promise<ImportRow> {
  const held = await listHeldRows(deps, importId);
  const id = await inTransaction(deps.database, async (sql) => {
    const row = await lockFinished(sql, importId);
    if (row.dryRun && !request.dryRun)
      throw new Problem(
        'wrong-state',
        `Import ${importId} is a dry run: its rows are decided about once they are imported.`,
      );
    const codes = await meantCodes(sql, row, held, request, request.dryRun);
    const domains = held.filter(({ code }) => codes.includes(code)).flatMap((one) => one.domains);
    const mend = Object.fromEntries(
      domains.flatMap(({ domain, proposal }) => (request.mend && proposal !== null ? [[domain, proposal]] : [])),
    );
    const following = await insertFollowingImport(sql, {
      listId: row.listId,
      fileName: `held rows of ${row.fileName}`,
      bytes: row.bytes,
      options: { ...row.options, held: { of: importId, codes, mend } },
      dryRun: request.dryRun,
      actor: request.actor,
    });
    const decided: HeldDecision['decided'] = request.mend ? 'mended' : 'as-is';
    if (!request.dryRun)
      await keepDecisions(sql, importId, codes, { decided, importId: following, actor: request.actor });
    return following;
  });
  deps.announce('import');
  return found(await findImport(deps.database, id), `import ${id}`);
}

/** Leaves held rows out; they can be taken in later all the same. @throws Problem as releaseHeldRows */
export async function leaveHeldRowsOut(deps: Deps, importId: number, request: HeldRequest): Promise<HeldRows[]> {
  const held = await listHeldRows(deps, importId);
  await inTransaction(deps.database, async (sql) => {
    const row = await lockFinished(sql, importId);
    if (row.dryRun)
      throw new Problem(
        'wrong-state',
        `Import ${importId} is a dry run: its rows are decided about once they are imported.`,
      );
    const codes = await meantCodes(sql, row, held, request, false);
    await keepDecisions(sql, importId, codes, { decided: 'left-out', importId: null, actor: request.actor });
  });
  return listHeldRows(deps, importId);
}

/** The codes that a request is about; what was taken in is not decided about again, what was left out can be. */
async function meantCodes(
  sql: Sql,
  row: ImportRow,
  held: HeldRows[],
  { codes }: HeldRequest,
  tried: boolean,
): Promise<SettableCode[]> {
  const decisions = await listDecisions(sql, row.id);
  const there = held.filter(({ code }) => codes?.includes(code) ?? !decisions.has(code)).map(({ code }) => code);
  if (there.length === 0)
    throw new Problem('wrong-state', `Import ${row.id} holds no such rows${held.length > 0 ? ' that wait' : ''}.`);
  const taken = there.map((code) => decisions.get(code)).find((decision) => decision?.importId != null);
  if (taken && !tried)
    throw new Problem(
      'wrong-state',
      `These rows were taken in ${taken.decided === 'mended' ? 'mended' : 'as they are'} by ${taken.actor}, as import ${taken.importId}; undo that one first.`,
    );
  return there;
}

async function getFinished(deps: Deps, importId: number): Promise<ImportRow> {
  return finished(found(await findImport(deps.database, importId), `import ${importId}`));
}

async function lockFinished(sql: Sql, importId: number): Promise<ImportRow> {
  return finished(found(await lockImport(sql, importId), `import ${importId}`));
}

function finished(row: ImportRow): ImportRow {
  if (row.state !== 'finished')
    throw new Problem('wrong-state', `Import ${row.id} is ${row.state}; look again when it is finished.`);
  return row;
}
