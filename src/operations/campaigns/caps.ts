import type { OfBrandOrAll } from '../../shared/contract/caps.ts';
import { inTransaction, violates } from '../../store/database.ts';
import { isCaughtUp } from '../../store/statements/catching-up.ts';
import {
  endCap as endWithin,
  findCap,
  holdPlaces,
  insertCap,
  listCaps,
  type CapRow,
} from '../../store/statements/caps.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/** Caps that hold for a brand, or all; with those that have ended if that is asked for. */
export async function lookAtCaps(deps: Deps, { brandId, ended }: OfBrandOrAll): Promise<CapRow[]> {
  return listCaps(deps.database, brandId ?? null, ended ?? false);
}

/**
 * Caps how many marketing messages one contact gets in so many days. One that is in effect for the same days is ended
 * and replaced. Whoever is handing over at this instant is waited for: when it is said to be in effect, it is.
 * @throws Problem not-found, wrong-state while what was sent before is still being counted
 */
export async function createCap(
  deps: Deps,
  cap: { brandId: number | null; messages: number; days: number; actor: string },
): Promise<CapRow> {
  if (cap.brandId !== null)
    found(await deps.database.getRepository(BrandEntity).findOneBy({ id: cap.brandId }), `brand ${cap.brandId}`);
  const { actor: by } = cap;
  try {
    const id = await inTransaction(deps.database, async (sql) => {
      await holdPlaces(sql);
      if (!(await isCaughtUp(sql, 'mailed')))
        throw new Problem(
          'wrong-state',
          'What was sent before is still being counted; a cap would not know of it. `avendel tallies show` says how far it is.',
        );
      const same = (await listCaps(sql, null, false)).find(
        ({ brandId, days }) => brandId === cap.brandId && days === cap.days,
      );
      if (same?.messages === cap.messages) return same.id;
      if (same) await endWithin(sql, same.id, by);
      return insertCap(sql, { ...cap, by });
    });
    return await getCap(deps, id);
  } catch (error) {
    if (violates(error, 'cap_key'))
      throw new Problem('wrong-state', 'Somebody else changed this cap at the same time; look at it again.');
    throw error;
  }
}

/**
 * Ends a cap. Who is held back by it stays held back; who waits is judged without it.
 * @throws Problem not-found, wrong-state
 */
export async function endCap(deps: Deps, id: number, actor: string): Promise<CapRow> {
  await getCap(deps, id);
  if (!(await endWithin(deps.database, id, actor))) throw new Problem('wrong-state', `Cap ${id} has ended already.`);
  return getCap(deps, id);
}

async function getCap(deps: Deps, id: number): Promise<CapRow> {
  return found(await findCap(deps.database, id), `cap ${id}`);
}
