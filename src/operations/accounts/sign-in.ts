import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { AccountEntity, ApiTokenEntity, type Account } from '../../store/entities/organisation.ts';
import { findTokenAccount } from '../../store/statements/api-tokens.ts';
import { deleteSession, findSession, insertSession } from '../../store/statements/sessions.ts';
import { countTries, forgetTries } from '../../store/statements/tries.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';

const derive = promisify(scrypt) as (password: string, salt: Buffer, length: number) => Promise<Buffer>;
const SESSION_DAYS = 14;

/** Who makes a request. */
export interface SignedIn {
  accountId: number;
  name: string;
  email: string;
  /** Token that a changing request of a session must carry; null for API tokens, which no browser sends by itself. */
  csrf: string | null;
}

/** scrypt with a salt of its own, as `salt:hash` in hex. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `${salt.toString('hex')}:${(await derive(password, salt, 32)).toString('hex')}`;
}

async function matches(password: string, kept: string): Promise<boolean> {
  const [salt = '', hash = ''] = kept.split(':');
  const given = await derive(password, Buffer.from(salt, 'hex'), 32);
  const wanted = Buffer.from(hash, 'hex');
  return wanted.length === given.length && timingSafeEqual(given, wanted);
}

/** Passwords looked at for one address in an hour, until one is right: guessing takes years. */
const MOST_TRIES_AN_HOUR = 20;

/**
 * @throws Problem wrong-password, the same for an unknown address and a wrong password; too-many-tries after too many tries,
 * also with the right password
 */
export async function checkPassword(deps: Deps, email: string, password: string): Promise<Account> {
  const address = email.trim().toLowerCase();
  const key = `password ${digest(address).toString('hex')}`;
  const [tries = 0] = await countTries(deps.database, [key], deps.now());
  if (tries > MOST_TRIES_AN_HOUR)
    throw new Problem(
      'too-many-tries',
      `There were ${MOST_TRIES_AN_HOUR} wrong passwords for ${address} within the hour.`,
    );
  const account = await deps.database.getRepository(AccountEntity).findOneBy({ email: address });
  const kept = account?.passwordHash ?? `${'00'.repeat(16)}:${'00'.repeat(32)}`;
  if (!(await matches(password, kept)) || !account)
    throw new Problem('wrong-password', 'No account has this address and password.');
  await forgetTries(deps.database, key, deps.now());
  return account;
}

/** Signs in for the console: a session token for a cookie, and the token against forged requests. */
export async function signIn(
  deps: Deps,
  email: string,
  password: string,
): Promise<{ session: string; account: SignedIn }> {
  const account = await checkPassword(deps, email, password);
  const session = randomBytes(32).toString('base64url');
  const csrf = randomBytes(24).toString('base64url');
  await insertSession(deps.database, digest(session), account.id, csrf, SESSION_DAYS);
  return { session, account: { accountId: account.id, name: account.name, email: account.email, csrf } };
}

/** Signs in for programs: an API token, shown once and kept as a hash. */
export async function createApiToken(
  deps: Deps,
  email: string,
  password: string,
  name: string,
): Promise<{ token: string; account: string }> {
  const account = await checkPassword(deps, email, password);
  const token = `avendel_${randomBytes(30).toString('base64url')}`;
  await deps.database
    .getRepository(ApiTokenEntity)
    .insert({ accountId: account.id, name, tokenHash: digest(token), lastUsedAt: null, revokedAt: null });
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
  return credentials.session ? findSession(deps.database, digest(credentials.session)) : undefined;
}

export function digest(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
