import type { AttributeType } from '../../core/import/map-columns.ts';
import { listAttributeTypes } from '../../store/statements/contact-attributes.ts';
import { cancelImport, findImport, listImports, type ImportRow } from '../../store/statements/imports.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/** Imports of a brand, or of all, numbered below `before`; latest first. */
export function listLatestImports(
  deps: Deps,
  brandId: number | undefined,
  before: number,
  limit: number,
): Promise<ImportRow[]> {
  return listImports(deps.database, brandId ?? null, before, limit);
}

/** @throws Problem not-found */
export async function getImport(deps: Deps, id: number): Promise<ImportRow> {
  return found(await findImport(deps.database, id), `import ${id}`);
}

/** Attributes that contacts have, with their types. */
export function listAttributes(deps: Deps): Promise<Record<string, AttributeType>> {
  return listAttributeTypes(deps.database);
}

/**
 * Stops an import that is not over; what it has taken in stays, and can be undone.
 * @throws Problem not-found, wrong-state
 */
export async function stopImport(deps: Deps, id: number): Promise<ImportRow> {
  const stopped = await cancelImport(deps.database, id);
  const row = await getImport(deps, id);
  if (!stopped && row.state !== 'cancelled') throw new Problem('wrong-state', `Import ${id} is ${row.state}.`);
  return row;
}
