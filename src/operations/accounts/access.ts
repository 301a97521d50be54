import { passwordProblem } from '../../core/access/password.ts';
import { AccountEntity } from '../../store/entities/organisation.ts';
import { listApiTokens, revokeApiToken, type ApiTokenRow } from '../../store/statements/api-tokens.ts';
import { deleteOtherSessions, endSession, listSessions, type SessionRow } from '../../store/statements/sessions.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { hashPassword } from './passwords.ts';
import { checkPassword, digest, IDLE_HOURS, type From, type SignedIn } from './sign-in.ts';

/** API tokens of whoever asks, latest first. */
export function listTokens(deps: Deps, who: SignedIn, before: number, limit: number): Promise<ApiTokenRow[]> {
  return listApiTokens(deps.database, who.accountId, before, limit);
}

/** Ends an API token at once and for good. @throws Problem not-found */
export async function revokeToken(deps: Deps, who: SignedIn, id: number): Promise<void> {
  if (!(await revokeApiToken(deps.database, who.accountId, id)))
    throw new Problem('not-found', `There is no API token ${id}.`);
}

/** Browsers that whoever asks is signed in with. `session` is the token of the session that asks, if it is one. */
export function listOwnSessions(deps: Deps, who: SignedIn, session: string): Promise<SessionRow[]> {
  return listSessions(deps.database, who.accountId, IDLE_HOURS, digest(session));
}

/** Ends one of them. @throws Problem not-found */
export async function endOwnSession(deps: Deps, who: SignedIn, id: number): Promise<void> {
  if (!(await endSession(deps.database, who.accountId, id)))
    throw new Problem('not-found', `There is no session ${id}, or it has ended.`);
}

/**
 * Changes the password of whoever asks, and ends their sessions in other browsers. API tokens go on: each is revoked by
 * itself. `session` is the token of the session that asks, if it is one.
 * @throws Problem wrong-password, too-many-tries, invalid-input
 */
export async function changePassword(
  deps: Deps,
  who: SignedIn,
  change: { password: string; newPassword: string },
  from: Pick<From, 'network'> & { session: string },
): Promise<void> {
  const problem = passwordProblem(change.newPassword, who);
  if (problem !== undefined) throw new Problem('invalid-input', problem, { field: 'newPassword' });
  const account = await checkPassword(deps, who.email, change.password, from);
  await deps.database
    .getRepository(AccountEntity)
    .update(account.id, { passwordHash: await hashPassword(change.newPassword) });
  await deleteOtherSessions(deps.database, account.id, digest(from.session));
}
