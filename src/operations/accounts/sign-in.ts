import type { SignedIn } from '../../shared/contract/accounts.ts';
import { createHash, randomBytes } from 'node:crypto';
import type { TokenScope } from '../../shared/access.ts';
import { AccountEntity, ApiTokenEntity, type Account } from '../../store/entities/organisation.ts';
import { findTokenAccount } from '../../store/statements/api-tokens.ts';
import { deleteSession, findSession, insertSession } from '../../store/statements/sessions.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { instantOf } from '../organisation/zones.ts';
import { hashPassword, matchPassword, NO_PASSWORD } from './passwords.ts';
import { countSignInTry } from './sign-in-tries.ts';

/** A session is over after so long, and sooner when nothing is done in it. */
export const SESSION_DAYS = 14;
export const IDLE_HOURS = 12;

/** Who makes a request. */
export type { SignedIn } from '../../shared/contract/accounts.ts';

/** Where a request came from. */
export interface From {
  network: string | null;
  userAgent: string;
}

/**
 * Looks at a password, and hashes it anew where it was hashed more cheaply. @throws Problem wrong-password, the same
 * for an unknown address and a wrong password; too-many-tries while the next try has to wait; too-busy
 */
export async function checkPassword(
  deps: Deps,
  email: string,
  password: string,
  { network }: Pick<From, 'network'>,
): Promise<Account> {
  const address = email.trim().toLowerCase();
  const counted = await countSignInTry(deps, address, network);
  const accounts = deps.database.getRepository(AccountEntity);
  const account = await accounts.findOneBy({ email: address });
  const { matches, outdated } = await matchPassword(password, account?.passwordHash ?? NO_PASSWORD).catch(
    async (error: unknown) => {
      // Who is told to come again because others wait has not guessed wrong.
      await counted.takeBack();
      throw error;
    },
  );
  if (!matches || !account) throw new Problem('wrong-password', 'No account has this address and password.');
  await counted.right(account.id);
  if (outdated)
    await accounts.update(
      { id: account.id, passwordHash: account.passwordHash },
      { passwordHash: await hashPassword(password) },
    );
  return account;
}

/**
 * Signs in for the console: a session token for a cookie, and the token against forged requests. A session there was
 * before ends.
 */
export async function signIn(
  deps: Deps,
  email: string,
  password: string,
  from: From & { session?: string },
): Promise<{ session: string; account: SignedIn }> {
  const account = await checkPassword(deps, email, password, from);
  if (from.session !== undefined) await signOut(deps, from.session);
  const session = randomBytes(32).toString('base64url');
  const csrf = randomBytes(24).toString('base64url');
  await insertSession(deps.database, {
    tokenHash: digest(session),
    accountId: account.id,
    csrf,
    days: SESSION_DAYS,
    idleHours: IDLE_HOURS,
    ...from,
  });
  return {
    session,
    account: { accountId: account.id, name: account.name, email: account.email, csrf, scope: 'administer' },
  };
}

export interface NewToken {
  name: string;
  scope: TokenScope;
  /** An instant, or a day in the zone of the first brand; null for one without an end. */
  expiresAt: string | Date | null;
}

/** Signs in for programs: an API token, shown once and kept as a hash. @throws Problem as checkPassword */
export async function createApiToken(
  deps: Deps,
  by: { email: string; password: string },
  wanted: NewToken,
  from: Pick<From, 'network'>,
): Promise<{ token: string; account: string }> {
  const expiresAt = wanted.expiresAt && (await instantOf(deps.database.manager, wanted.expiresAt, 'expiresAt'));
  if (expiresAt && expiresAt <= deps.now())
    throw new Problem('invalid-input', 'A token cannot end before now.', { field: 'expiresAt' });
  const account = await checkPassword(deps, by.email, by.password, from);
  const token = `avendel_${randomBytes(30).toString('base64url')}`;
  await deps.database.getRepository(ApiTokenEntity).insert({
    accountId: account.id,
    tokenHash: digest(token),
    lastUsedAt: null,
    revokedAt: null,
    ...wanted,
    expiresAt,
  });
  return { token, account: account.name };
}

/** Ends a session; one that is not there is no error. */
export async function signOut(deps: Deps, session: string): Promise<void> {
  await deleteSession(deps.database, digest(session));
}

/** Who holds a session or an API token; nobody when it is unknown, over or revoked. */
export async function findSignedIn(
  deps: Deps,
  credentials: { session?: string; token?: string },
): Promise<SignedIn | undefined> {
  if (credentials.token) return findTokenAccount(deps.database, digest(credentials.token));
  return credentials.session ? findSession(deps.database, digest(credentials.session), IDLE_HOURS) : undefined;
}

export function digest(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
