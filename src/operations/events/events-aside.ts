import { dropEventsAside, listEventsAside, type AsideRow } from '../../store/statements/events-aside.ts';
import type { Deps } from '../deps.ts';
import { takeEvents } from './take-events.ts';

/** Events taken from aside at once. */
const BATCH = 2000;

/** Events kept aside, of one address or of all, numbered above `after`. */
export function listKeptAside(
  deps: Deps,
  address: string | undefined,
  after: number,
  limit: number,
): Promise<AsideRow[]> {
  return listEventsAside(deps.database, { address: address?.toLowerCase() ?? null, known: false }, after, limit);
}

/** Forgets events kept aside, of one address or of all. */
export async function dropKeptAside(deps: Deps, address: string | undefined): Promise<{ dropped: number }> {
  return { dropped: await dropEventsAside(deps.database, { address: address?.toLowerCase() ?? null }) };
}

/**
 * Records the events kept aside whose address has become a contact. What cannot be used otherwise stays aside, and is
 * told.
 */
export async function takeEventsAside(
  deps: Deps,
): Promise<{ recorded: number; refused: { id: number; detail: string }[] }> {
  let recorded = 0;
  const refused: { id: number; detail: string }[] = [];
  for (let after = 0; ;) {
    const rows = await listEventsAside(deps.database, { address: null, known: true }, after, BATCH);
    if (rows.length === 0) return { recorded, refused };
    after = rows.at(-1)!.id;
    const taken = await takeEvents(
      deps,
      rows.map(({ body }) => body),
    );
    recorded += taken.recorded;
    const stay = new Map(taken.refused.map(({ line, detail }) => [rows[line - 1]!.id, detail]));
    refused.push(...[...stay].map(([id, detail]) => ({ id, detail })));
    await dropEventsAside(deps.database, { ids: rows.flatMap(({ id }) => (stay.has(id) ? [] : [id])) });
  }
}
