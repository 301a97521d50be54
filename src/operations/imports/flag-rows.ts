import { decideDomain, isRoleName, type Severities } from '../../core/address/check-address.ts';
import { OUTCOME_LETTERS, type RowOutcome } from '../../core/import/row-outcomes.ts';
import type { PackedTexts } from '../../core/import-engine/packed-texts.ts';
import { anyAddressRefused, findRefused } from '../../store/statements/domain-facts.ts';
import type { Deps } from '../deps.ts';
import { findSeverities, makeDomainFacts } from '../addresses/domain-facts.ts';

/**
 * For each address of a chunk the letter of what speaks against taking it in, or null; null for the chunk when nothing
 * does. `domains` are theirs.
 */
export type FlagRows = (addresses: PackedTexts, domains: string[]) => Promise<(string | null)[] | null>;

/**
 * The checks of addresses that an import makes, each domain once. Rows that a person has `released` are held no more;
 * what is refused stays refused.
 */
export async function makeFlagRows(deps: Deps, released: boolean): Promise<FlagRows> {
  const set = await findSeverities(deps);
  const severities = released ? withoutHolds(set) : set;
  const factsOf = makeDomainFacts(deps);
  // Mostly none is, and 20,000 need not be looked for.
  const asksAddresses = severities['refuse-list'] !== 'note' && (await anyAddressRefused(deps.database));
  const ofDomain = new Map<string, string | null>();
  return async (addresses, domains) => {
    const unseen = [...new Set(domains)].filter((domain) => !ofDomain.has(domain));
    const facts = await factsOf(unseen);
    for (const domain of unseen) ofDomain.set(domain, letterOf(decideDomain(facts.get(domain)!, severities)));
    const refused = asksAddresses
      ? await findRefused(deps.database, addresses.all() as string[])
      : new Map<string, string>();
    const role = letterOf({ code: 'role-name', severity: severities['role-name'] });
    if (refused.size === 0 && role === null && ![...ofDomain.values()].some((flag) => flag !== null)) return null;
    const flags = domains.map((domain, index) => {
      const address = addresses.at(index)!;
      if (refused.has(address)) return letterOf({ code: 'refuse-list', severity: severities['refuse-list'] });
      return (
        ofDomain.get(domain) ?? (role !== null && isRoleName(address.slice(0, address.lastIndexOf('@'))) ? role : null)
      );
    });
    return flags.some((flag) => flag !== null) ? flags : null;
  };
}

function letterOf(found: { code: string; severity: string } | undefined): string | null {
  if (!found || found.severity === 'note') return null;
  const outcome = `${found.severity === 'refuse' ? 'refused' : 'held'}:${found.code}` as RowOutcome;
  return OUTCOME_LETTERS[outcome];
}

function withoutHolds(severities: Severities): Severities {
  return Object.fromEntries(
    Object.entries(severities).map(([code, severity]) => [code, severity === 'hold' ? 'note' : severity]),
  ) as unknown as Severities;
}
