import { permission } from '../../../shared/contract/permission.ts';
import { handlers } from '../route.ts';
import { signUp } from '../../../operations/consent/sign-up.ts';
import { unsubscribeByRequest } from '../../../operations/consent/unsubscribe-by-request.ts';
import { listProofs, listProofsOf } from '../../../operations/consent/list-sign-ups.ts';
import { pageOf, readCursor } from '../paging.ts';

export const permissionRoutes = handlers(permission, {
  signUp: ({ deps, body }) => signUp(deps, { ...body, way: 'api' }),
  async signUps({ deps, query }) {
    const filter = { state: query.state, listId: query.listId ?? null, brandId: query.brandId ?? null };
    const rows = await listProofs(deps, filter, readCursor(query.cursor, 0), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  contactSignUps: ({ deps, params }) => listProofsOf(deps, params.id),
  unsubscribeContact: ({ deps, body, who }) => unsubscribeByRequest(deps, { ...body, actor: who.name }),
});
