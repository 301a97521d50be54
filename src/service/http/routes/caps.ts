import { caps } from '../../../shared/contract/caps.ts';
import { createCap, endCap, lookAtCaps } from '../../../operations/campaigns/caps.ts';
import { handlers } from '../route.ts';

/** How often one contact is written to at most. */
export const capsRoutes = handlers(caps, {
  caps: ({ deps, query }) => lookAtCaps(deps, query),
  createCap: ({ deps, body, who }) => createCap(deps, { ...body, brandId: body.brandId ?? null, actor: who.name }),
  endCap: ({ deps, params, who }) => endCap(deps, params.id, who.name),
});
