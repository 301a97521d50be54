import { PUBLIC_PATHS } from '../../core/message/public-paths.ts';
import type { ListCount } from '../../shared/contract/organisation.ts';
import { overWholeSet } from '../../store/database.ts';
import { BrandEntity, ListEntity, type Brand, type List } from '../../store/entities/organisation.ts';
import { countByList } from '../../store/statements/subscriptions.ts';
import type { Deps } from '../deps.ts';

/** A list with where its sign-up form is. */
export type ShownList = List & { signUpUrl: string };

/** Brands of the organisation, the first one first. */
export function listBrands(deps: Deps): Promise<Brand[]> {
  return deps.database.getRepository(BrandEntity).find({ order: { id: 'ASC' } });
}

/** Lists of all brands, the first one first. */
export async function listLists(deps: Deps): Promise<ShownList[]> {
  const lists = await deps.database.getRepository(ListEntity).find({ order: { id: 'ASC' } });
  return lists.map((list) => showList(deps, list));
}

/** How many are on each list, by how they stand on it. */
export function countLists(deps: Deps): Promise<ListCount[]> {
  return overWholeSet(deps.database, countByList);
}

/** A list as it is shown. */
export function showList(deps: Deps, list: List): ShownList {
  const token = deps.tokens.make({ use: 'sign-up', campaignId: list.id, contactId: 0, link: 0 });
  return { ...list, signUpUrl: `${deps.publicUrl}${PUBLIC_PATHS.join}/${token}` };
}
