import { AccountEntity } from '../../store/entities/organisation.ts';
import { listApiTokens, revokeApiToken, type ApiTokenRow } from '../../store/statements/api-tokens.ts';
import { deleteOtherSessions } from '../../store/statements/sessions.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkPassword, digest, hashPassword, type SignedIn } from './sign-in.ts';

/** API tokens of whoever asks, latest first. */
export function listTokens(deps: Deps, who: SignedIn, before: number, limit: number): Promise<ApiTokenRow[]> {
  return listApiTokens(deps.database, who.accountId, before, limit);
}

/** Ends an API token at once and for good. @throws Problem not-found */
export async function revokeToken(deps: Deps, who: SignedIn, id: number): Promise<void> {
  if (!(await revokeApiToken(deps.database, who.accountId, id)))
    throw new Problem('not-found', `There is no API token ${id}.`);
}

/**
 * Changes the password of whoever asks, and ends their sessions in other browsers. API tokens go on: each is revoked by
 * itself. `session` is the token of the session that asks, if it is one. @throws Problem wrong-password, too-many-tries
 */
export async function changePassword(
  deps: Deps,
  who: SignedIn,
  change: { password: string; newPassword: string },
  session: string,
): Promise<void> {
  const account = await checkPassword(deps, who.email, change.password);
  await deps.database
    .getRepository(AccountEntity)
    .update(account.id, { passwordHash: await hashPassword(change.newPassword) });
  await deleteOtherSessions(deps.database, account.id, digest(session));
}
