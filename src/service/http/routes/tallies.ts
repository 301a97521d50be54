import { tallies } from '../../../shared/contract/tallies.ts';
import { checkTallies, lookAtTallies } from '../../../operations/tallies/check-tallies.ts';
import { handlers } from '../route.ts';

/** Counts of what is sent and what came of it, and whether they are right. */
export const talliesRoutes = handlers(tallies, {
  tallies: ({ deps }) => lookAtTallies(deps),
  checkTallies: ({ deps }) => checkTallies(deps),
});
