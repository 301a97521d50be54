import { parseAddress } from '../../core/address/normal-form.ts';
import { makeDomainFacts } from '../contacts/domain-facts.ts';
import type { Deps } from '../deps.ts';

/**
 * The address that somebody who signs up probably means, when theirs has a look-alike domain. It hangs on the domain
 * alone, so that it says nothing about who is known.
 */
export async function findSlip(deps: Deps, text: string): Promise<string | undefined> {
  const parsed = parseAddress(text);
  if (!parsed.ok) return undefined;
  const facts = await makeDomainFacts(deps)([parsed.domain]);
  const meant = facts.get(parsed.domain)?.lookAlike?.proposed.domain;
  return meant === undefined ? undefined : `${parsed.local}@${meant}`;
}
