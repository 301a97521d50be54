import { decideCheck, describeAddress, syntaxFinding, type Finding, type Severity } from '../../core/address/check-address.ts'; // prettier-ignore
import { findLookAlike } from '../../core/address/look-alike.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import { overWholeSet } from '../../store/database.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import { listDomainStandings } from '../../store/statements/domains.ts';
import { findListsOfValues } from '../../store/statements/suppression.ts';
import type { Deps } from '../deps.ts';

export interface CheckedAddress {
  given: string;
  /** In normal form; null when it is no address. */
  address: string | null;
  verdict: Severity | 'fine';
  findings: Finding[];
}

/** What is to be said of each of these addresses before it is taken in. Nothing is written, and nothing asked of the network. */
export async function checkAddresses(deps: Deps, given: string[]): Promise<CheckedAddress[]> {
  const parsed = given.map((text) => ({ text, parsed: parseAddress(text) }));
  const addresses = parsed.flatMap((one) => (one.parsed.ok ? [one.parsed.address] : []));
  const known = await findContactIds(deps.database, addresses);
  const keys = new Map(addresses.map((address) => [address, suppressionKeys(address)]));
  const entries = await findListsOfValues(
    deps.database,
    [...keys.values()].flatMap(({ exact, base, hash, domains }) => [exact, base, hash, ...domains]),
  );
  const domains = addresses.length === 0 ? [] : await overWholeSet(deps.database, listDomainStandings);
  return parsed.map(({ text, parsed: one }) => {
    if (!one.ok) return checked(text, null, [syntaxFinding(one.problem)]);
    const { exact, base, hash, domains: ofDomain } = keys.get(one.address)!;
    const standing = entries.filter(
      (entry) => [exact, hash, ...ofDomain].includes(entry.value) || (entry.value === base && !entry.exact),
    );
    const findings = describeAddress({
      local: one.local,
      known: known.has(one.address),
      erased: standing.some((entry) => entry.builtIn === 'erasure'),
      suppressedBy: [
        ...new Set(standing.filter((entry) => entry.builtIn !== 'erasure').map((entry) => entry.listName)),
      ],
      lookAlike: findLookAlike(one.domain, domains),
    });
    return checked(text, one.address, findings);
  });
}

function checked(given: string, address: string | null, findings: Finding[]): CheckedAddress {
  return { given, address, verdict: decideCheck(findings), findings };
}
