import { randomBytes } from 'node:crypto';
import { AccountEntity } from '../../store/entities/organisation.ts';
import type { Deps } from '../deps.ts';
import { hashPassword } from './passwords.ts';

/** The first account as its operator wants it. */
export interface FirstAccount {
  email: string;
  name: string;
  /** Undefined for one that is made up. */
  password: string | undefined;
}

/** Makes the first account, if there is none; returns its password only then. */
export async function ensureFirstAccount(
  deps: Pick<Deps, 'database'>,
  { email, name, password }: FirstAccount,
): Promise<string | undefined> {
  const accounts = deps.database.getRepository(AccountEntity);
  if ((await accounts.count()) > 0) return undefined;
  const chosen = password ?? randomBytes(12).toString('base64url');
  await accounts.insert({ email: email.toLowerCase(), name, passwordHash: await hashPassword(chosen) });
  return chosen;
}
