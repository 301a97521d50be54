import { dropEventsAside, listEventsAside } from '../../store/statements/events-aside.ts';
import type { Deps } from '../deps.ts';
import { takeEvents, type OutsideEvent } from './take-events.ts';

/** Events taken from aside at once. */
const BATCH = 2000;

/** Records the events kept aside whose address has become a contact. What cannot be used otherwise stays aside, and is told. */
export async function takeEventsAside(
  deps: Deps,
): Promise<{ recorded: number; refused: { id: number; detail: string }[] }> {
  let recorded = 0;
  const refused: { id: number; detail: string }[] = [];
  for (let after = 0; ;) {
    const rows = await listEventsAside(deps.database, { address: null, known: true }, after, BATCH);
    if (rows.length === 0) return { recorded, refused };
    after = rows.at(-1)!.id;
    const taken = await takeEvents(deps, rows.map(({ body }) => body as unknown as OutsideEvent)); // prettier-ignore
    recorded += taken.recorded;
    const stay = new Map(taken.refused.map(({ line, detail }) => [rows[line - 1]!.id, detail]));
    refused.push(...[...stay].map(([id, detail]) => ({ id, detail })));
    await dropEventsAside(deps.database, { ids: rows.flatMap(({ id }) => (stay.has(id) ? [] : [id])) });
  }
}
