import { addresses } from '../../../shared/contract/addresses.ts';
import { handlers } from '../route.ts';
import { checkAddresses } from '../../../operations/addresses/check-addresses.ts';
import { findLookAlikes, mend, previewMending } from '../../../operations/addresses/mend-addresses.ts';
import { findSeverities, saveSeverities } from '../../../operations/addresses/domain-facts.ts';
import { listRefuseList, refuse, refuseNoMore } from '../../../operations/addresses/refuse-list.ts';
import { pageOf, readTextCursor } from '../paging.ts';

export const addressesRoutes = handlers(addresses, {
  checkAddresses: ({ deps, body }) => checkAddresses(deps, body.addresses),
  lookAlikes: ({ deps }) => findLookAlikes(deps),
  previewMending: ({ deps, body }) => previewMending(deps, body),
  mend: ({ deps, body, who }) => mend(deps, { ...body, actor: who.name }),
  severities: ({ deps }) => findSeverities(deps),
  saveSeverities: ({ deps, body, who }) => saveSeverities(deps, body, who.name),
  async refused({ deps, query }) {
    const after = readTextCursor(query.cursor) ?? '';
    return pageOf(await listRefuseList(deps, query.part, after, query.limit + 1), query.limit, (row) => row.value);
  },
  refuse: ({ deps, body, who }) => refuse(deps, { ...body, actor: who.name }),
  refuseNoMore: ({ deps, body }) => refuseNoMore(deps, body.values),
});
