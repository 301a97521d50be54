import type { Context } from 'hono';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import type { Logger } from 'pino';
import {
  changePassword,
  endOwnSession,
  listOwnSessions,
  listTokens,
  revokeToken,
} from '../../../operations/accounts/access.ts';
import { createApiToken, signIn, signOut, type From } from '../../../operations/accounts/sign-in.ts';
import { rotateKeys } from '../../../operations/accounts/token-keys.ts';
import { Problem } from '../../../operations/problem.ts';
import type { TokenScope } from '../../../shared/access.ts';
import * as schema from '../../../shared/schemas.ts';
import { NEWEST_INT, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Call, type Route } from '../route.ts';
import type { SessionCookie } from '../session-cookie.ts';

/** Signing in and out, and what programs may do. */
export const accountRoutes: Route[] = [
  route<never, never, { email: string; password: string }>({
    method: 'post', path: '/session', summary: 'Sign in to the console: sets the session cookie', open: true, secret: true, body: schema.signIn,
    async handle({ deps, body, c, network, log, cookie }) {
      const from = { ...fromOf(c, network), session: getCookie(c, cookie.name) };
      const { session, account } = await logged(log, 'sign-in', network, () => signIn(deps, body.email, body.password, from), (made) => made.account.accountId);
      setCookie(c, cookie.name, session, cookie.options);
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
    async handle({ deps, c, cookie }) {
      await signOut(deps, sessionOf(c, cookie));
      deleteCookie(c, cookie.name, { path: '/', secure: cookie.options.secure });
    },
  }),
  route({
    method: 'get', path: '/sessions', summary: 'Browsers that whoever asks is signed in with', needs: 'administer',
    handle: ({ deps, who, c, cookie }) => listOwnSessions(deps, who, sessionOf(c, cookie)),
  }),
  route<{ id: number }>({
    method: 'delete', path: '/sessions/:id', summary: 'End one of these sessions', params: schema.contactParams, needs: 'administer', status: 204,
    handle: ({ deps, who, params }) => endOwnSession(deps, who, params.id),
  }),
  route<never, never, { email: string; password: string; name: string; scope: TokenScope; expiresAt: Date | null }>({
    method: 'post', path: '/tokens', summary: 'Make an API token for a program; it is shown once', open: true, secret: true, body: schema.newToken, status: 201,
    handle: ({ deps, body: { email, password, ...wanted }, network, log }) => logged(log, 'token', network, () => createApiToken(deps, { email, password }, wanted, { network })),
  }),
  route<never, PageQuery>({
    method: 'get', path: '/tokens', summary: 'API tokens of whoever asks, latest first', query: schema.pageQuery, needs: 'administer',
    handle: async ({ deps, who, query }) => pageOf(await listTokens(deps, who, readCursor(query.cursor, NEWEST_INT), query.limit + 1), query.limit, (row) => row.id),
  }),
  route<{ id: number }>({
    method: 'delete', path: '/tokens/:id', summary: 'Revoke an API token', params: schema.idParams, needs: 'administer', status: 204,
    handle: ({ deps, who, params }) => revokeToken(deps, who, params.id),
  }),
  route<never, never, { password: string; newPassword: string }>({
    method: 'post', path: '/session/password', summary: 'Change the password, and end sessions in other browsers', secret: true, body: schema.passwordChange, needs: 'administer', status: 204,
    handle: ({ deps, who, body, c, network, log, cookie }) => logged(log, 'password', network, () => changePassword(deps, who, body, { network, session: sessionOf(c, cookie) }), () => who.accountId),
  }),
  route({
    method: 'post', path: '/access/keys', summary: 'Make a new key that tokens in messages are signed with; what was signed before stays valid', needs: 'administer', status: 201,
    async handle({ deps, who, log }) {
      const made = await rotateKeys(deps);
      log.warn({ account: who.accountId, version: made.version }, 'a new signing key');
      return made;
    },
  }),
]; // prettier-ignore

function sessionOf(c: Context, { name }: SessionCookie): string {
  return getCookie(c, name) ?? '';
}

function fromOf(c: Context, network: Call['network']): From {
  return { network, userAgent: c.req.header('user-agent') ?? '' };
}

/** Every try is logged, with where it came from and what became of it; never with what was typed. */
async function logged<T>(log: Logger, what: string, network: string | null, work: () => Promise<T>, accountOf: (done: T) => number | undefined = () => undefined): Promise<T> {
  try {
    const done = await work();
    log.info({ what, network, account: accountOf(done) }, 'a password was right');
    return done;
  } catch (error) {
    if (error instanceof Problem) log.warn({ what, network, code: error.code }, 'a password was refused');
    throw error;
  }
} // prettier-ignore
