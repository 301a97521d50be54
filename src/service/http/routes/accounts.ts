import { handlers, type Circumstances } from '../route.ts';
import { accounts } from '../../../shared/contract/accounts.ts';
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
import { NEWEST_INT, pageOf, readCursor } from '../paging.ts';
import type { SessionCookie } from '../session-cookie.ts';

/** Signing in and out, and what programs may do. */
export const accountsRoutes = handlers(accounts, {
  async signIn({ deps, body, c, network, log, cookie }) {
    const from = { ...fromOf(c, network), session: getCookie(c, cookie.name) };
    const { session, account } = await logged(
      log,
      'sign-in',
      network,
      () => signIn(deps, body.email, body.password, from),
      (made) => made.account.accountId,
    );
    setCookie(c, cookie.name, session, cookie.options);
    return account;
  },
  async session({ who }) {
    return who;
  },
  async signOut({ deps, c, cookie }) {
    await signOut(deps, sessionOf(c, cookie));
    deleteCookie(c, cookie.name, { path: '/', secure: cookie.options.secure });
  },
  sessions: ({ deps, who, c, cookie }) => listOwnSessions(deps, who, sessionOf(c, cookie)),
  endSession: ({ deps, who, params }) => endOwnSession(deps, who, params.id),
  createToken: ({ deps, body: { email, password, ...wanted }, network, log }) =>
    logged(log, 'token', network, () => createApiToken(deps, { email, password }, wanted, { network })),
  tokens: async ({ deps, who, query }) =>
    pageOf(
      await listTokens(deps, who, readCursor(query.cursor, NEWEST_INT), query.limit + 1),
      query.limit,
      (row) => row.id,
    ),
  revokeToken: ({ deps, who, params }) => revokeToken(deps, who, params.id),
  changePassword: ({ deps, who, body, c, network, log, cookie }) =>
    logged(
      log,
      'password',
      network,
      () => changePassword(deps, who, body, { network, session: sessionOf(c, cookie) }),
      () => who.accountId,
    ),
  async rotateKeys({ deps, who, log }) {
    const made = await rotateKeys(deps);
    log.warn({ account: who.accountId, version: made.version }, 'a new signing key');
    return made;
  },
});

function sessionOf(c: Context, { name }: SessionCookie): string {
  return getCookie(c, name) ?? '';
}

function fromOf(c: Context, network: Circumstances['network']): From {
  return { network, userAgent: c.req.header('user-agent') ?? '' };
}

/** Every try is logged, with where it came from and what became of it; never with what was typed. */
async function logged<T>(
  log: Logger,
  what: string,
  network: string | null,
  work: () => Promise<T>,
  accountOf: (done: T) => number | undefined = () => undefined,
): Promise<T> {
  try {
    const done = await work();
    log.info({ what, network, account: accountOf(done) }, 'a password was right');
    return done;
  } catch (error) {
    if (error instanceof Problem) log.warn({ what, network, code: error.code }, 'a password was refused');
    throw error;
  }
}
