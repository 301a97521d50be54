import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import { changePassword, listTokens, revokeToken } from '../../../operations/accounts/access.ts';
import { createApiToken, signIn, signOut } from '../../../operations/accounts/sign-in.ts';
import * as schema from '../../../shared/schemas.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

export const SESSION_COOKIE = 'avendel_session';

export const accountRoutes: Route[] = [
  route<never, never, { email: string; password: string }>({
    method: 'post', path: '/session', summary: 'Sign in to the console: sets the session cookie', open: true, secret: true, body: schema.signIn,
    async handle({ deps, body, c }) {
      const { session, account } = await signIn(deps, body.email, body.password);
      setCookie(c, SESSION_COOKIE, session, { httpOnly: true, sameSite: 'Strict', path: '/', secure: c.req.url.startsWith('https:'), maxAge: 14 * 86_400 });
      return account;
    },
  }),
  route({
    method: 'get', path: '/session', summary: 'Who is signed in',
    async handle({ who }) {
      return who;
    },
  }),
  route({
    method: 'delete', path: '/session', summary: 'Sign out', status: 204,
    async handle({ deps, c }) {
      await signOut(deps, getCookie(c, SESSION_COOKIE) ?? '');
      deleteCookie(c, SESSION_COOKIE, { path: '/' });
    },
  }),
  route<never, never, { email: string; password: string; name: string }>({
    method: 'post', path: '/tokens', summary: 'Make an API token for a program; it is shown once', open: true, secret: true, body: schema.newToken, status: 201,
    handle: ({ deps, body }) => createApiToken(deps, body.email, body.password, body.name),
  }),
  route<never, PageQuery>({
    method: 'get', path: '/tokens', summary: 'API tokens of whoever asks, latest first', query: schema.pageQuery,
    handle: async ({ deps, who, query }) => pageOf(await listTokens(deps, who, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id),
  }),
  route<{ id: number }>({
    method: 'delete', path: '/tokens/:id', summary: 'Revoke an API token', params: schema.idParams, status: 204,
    handle: ({ deps, who, params }) => revokeToken(deps, who, params.id),
  }),
  route<never, never, { password: string; newPassword: string }>({
    method: 'post', path: '/session/password', summary: 'Change the password, and end sessions in other browsers', secret: true, body: schema.passwordChange, status: 204,
    handle: ({ deps, who, body, c }) => changePassword(deps, who, body, getCookie(c, SESSION_COOKIE) ?? ''),
  }),
]; // prettier-ignore
