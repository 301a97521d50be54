import { listSignUps, listSignUpsOfContact, type SignUpRow } from '../../store/statements/sign-ups.ts';
import type { Deps } from '../deps.ts';

/** Sign-ups with their proof, numbered above `after`. */
export function listProofs(
  deps: Deps,
  filter: Parameters<typeof listSignUps>[1],
  after: number,
  limit: number,
): Promise<SignUpRow[]> {
  return listSignUps(deps.database, filter, after, limit);
}

/** The sign-ups of one contact, with their proof. */
export function listProofsOf(deps: Deps, contactId: number): Promise<SignUpRow[]> {
  return listSignUpsOfContact(deps.database, contactId);
}
