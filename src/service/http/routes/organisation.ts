import { organisation } from '../../../shared/contract/organisation.ts';
import { handlers } from '../route.ts';
import { countLists, listBrands, listLists, showList } from '../../../operations/organisation/look-at.ts';
import { changeBrand, changeList, createBrand, createList } from '../../../operations/organisation/set-up.ts';
import { findRetention, saveRetention } from '../../../operations/organisation/retention.ts';
import { lookAtToday } from '../../../operations/health/today.ts';

export const organisationRoutes = handlers(organisation, {
  brands: ({ deps }) => listBrands(deps),
  retention: ({ deps }) => findRetention(deps),
  saveRetention: ({ deps, body, who }) => saveRetention(deps, body, who.name),
  createBrand: ({ deps, body }) => createBrand(deps, body),
  changeBrand: ({ deps, params, body }) => changeBrand(deps, params.id, body),
  listCounts: ({ deps }) => countLists(deps),
  lists: ({ deps }) => listLists(deps),
  changeList: async ({ deps, params, body, who }) => showList(deps, await changeList(deps, params.id, body, who.name)),
  createList: async ({ deps, body }) => showList(deps, await createList(deps, body)),
  today: ({ deps, query }) => lookAtToday(deps, query.brandId),
});
