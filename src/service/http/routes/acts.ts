import type { PriceLadder } from '../../../core/cost/price-ladder.ts';
import { applyAct, previewAct, type ActRequest } from '../../../operations/contacts/act-on-contacts.ts';
import { countCost, savePriceLadder } from '../../../operations/contacts/count-cost.ts';
import * as schema from '../../../shared/schemas.ts';
import { route, type Route } from '../route.ts';

export const actRoutes: Route[] = [
  route<never, never, ActRequest>({
    method: 'post', path: '/contacts/acts/preview', summary: 'Whom archiving, restoring or erasing would change, how many, and a sample', body: schema.actPreview,
    handle: ({ deps, body }) => previewAct(deps, body),
  }),
  route<never, never, ActRequest & { expect: number; reason: string }>({
    method: 'post', path: '/contacts/acts', summary: 'Archive, restore or erase contacts, as a run; erasing cannot be undone', body: schema.actRequest,
    handle: ({ deps, body, who }) => applyAct(deps, { ...body, actor: who.name }),
  }),
  route({
    method: 'get', path: '/cost', summary: 'What contacts cost now, and once those are archived whom no campaign can reach',
    handle: ({ deps }) => countCost(deps),
  }),
  route<never, never, PriceLadder>({
    method: 'post', path: '/cost/ladder', summary: 'Set the price of a month by number of contacts', body: schema.priceLadder,
    handle: ({ deps, body, who }) => savePriceLadder(deps, body, who.name),
  }),
]; // prettier-ignore
