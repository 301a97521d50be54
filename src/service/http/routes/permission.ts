import { signUp, type SignUpRequest } from '../../../operations/permission/sign-up.ts';
import {
  unsubscribeByRequest,
  type UnsubscribeRequest,
} from '../../../operations/permission/unsubscribe-by-request.ts';
import * as schema from '../../../shared/schemas.ts';
import { listSignUps, listSignUpsOfContact, type SignUpState } from '../../../store/statements/sign-ups.ts';
import { pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

export const permissionRoutes: Route[] = [
  route<never, never, Omit<SignUpRequest, 'way'>>({
    method: 'post', path: '/sign-ups', summary: 'Sign somebody up for a list; the answer is the same whatever becomes of it', body: schema.newSignUp, status: 204,
    handle: ({ deps, body }) => signUp(deps, { ...body, way: 'api' }),
  }),
  route<never, PageQuery & { state: SignUpState; listId?: number }>({
    method: 'get', path: '/sign-ups', summary: 'Sign-ups in a state, oldest first, with their proof', query: schema.signUpsQuery,
    async handle({ deps, query }) {
      const filter = { state: query.state, listId: query.listId ?? null };
      return pageOf(await listSignUps(deps.database, filter, readCursor(query.cursor, 0), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route<{ id: number }>({
    method: 'get', path: '/contacts/:id/sign-ups', summary: 'The proof behind the subscriptions of one contact, latest first', params: schema.contactParams,
    handle: ({ deps, params }) => listSignUpsOfContact(deps.database, params.id),
  }),
  route<never, never, Omit<UnsubscribeRequest, 'actor'>>({
    method: 'post', path: '/contacts/unsubscribe', summary: 'Unsubscribe somebody who asked by telephone, letter or reply', body: schema.unsubscribeRequest,
    handle: ({ deps, body, who }) => unsubscribeByRequest(deps, { ...body, actor: who.name }),
  }),
]; // prettier-ignore
