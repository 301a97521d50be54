import { parseAddress } from '../../core/address/normal-form.ts';
import { findMeantDomain } from '../addresses/domain-facts.ts';
import type { Deps } from '../deps.ts';

/**
 * The address that somebody who signs up probably means, when theirs has a look-alike domain. It hangs on the domain
 * alone, so that it says nothing about who is known; and no resolver is asked, since anybody can ask this as often as
 * they like.
 */
export async function findSlip(deps: Deps, text: string): Promise<string | undefined> {
  const parsed = parseAddress(text);
  if (!parsed.ok) return undefined;
  const meant = await findMeantDomain(deps, parsed.domain);
  return meant === undefined ? undefined : `${parsed.local}@${meant}`;
}
