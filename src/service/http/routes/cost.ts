import { cost } from '../../../shared/contract/cost.ts';
import { handlers } from '../route.ts';
import { countCost, savePriceLadder } from '../../../operations/contacts/count-cost.ts';

export const costRoutes = handlers(cost, {
  cost: ({ deps }) => countCost(deps),
  savePriceLadder: ({ deps, body, who }) => savePriceLadder(deps, body, who.name),
});
