import { returns } from '../../../shared/contract/returns.ts';
import { handlers } from '../route.ts';
import { grantStop, matchReturn } from '../../../operations/returns/match-return.ts';
import {
  countLatestReturns,
  dismiss,
  getReturn,
  listLatestReturns,
} from '../../../operations/returns/look-at-returns.ts';
import { MAX_RETURN_BYTES, receiveReturns } from '../../../operations/returns/receive-return.ts';
import { Problem } from '../../../operations/problem.ts';
import { NEWEST, pageOf, readCursor } from '../paging.ts';
import { readBody } from '../upload.ts';

export const returnsRoutes = handlers(returns, {
  async returns({ deps, query }) {
    const rows = await listLatestReturns(deps, query.state, readCursor(query.cursor, NEWEST), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  async receiveReturn({ deps, c }) {
    const raw = await readBody(c, MAX_RETURN_BYTES, 'The message');
    if (raw.length === 0) throw new Problem('unreadable-body', 'There is no message in the request.');
    const [received] = await receiveReturns(deps, raw, ['']);
    return received!;
  },
  returnCounts: ({ deps, query }) => countLatestReturns(deps, query.days),
  return: ({ deps, params }) => getReturn(deps, params.id),
  dismissReturn: ({ deps, params }) => dismiss(deps, params.id),
  matchReturn: ({ deps, params, body, who }) => matchReturn(deps, params.id, { ...body, actor: who.name }),
  grantStop: ({ deps, params, who }) => grantStop(deps, params.id, who.name),
});
