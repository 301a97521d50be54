import { decideCheck, describeAddress, syntaxFinding, type Finding, type Severity } from '../../core/address/check-address.ts'; // prettier-ignore
import { findLookAlike, type DomainStanding } from '../../core/address/look-alike.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import { overWholeSet } from '../../store/database.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import { listDomainStandings } from '../../store/statements/domains.ts';
import { findMatchingEntries } from '../../store/statements/suppression.ts';
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
  const domains = addresses.length === 0 ? [] : await overWholeSet(deps.database, listDomainStandings);
  const checked: CheckedAddress[] = [];
  for (const one of parsed) {
    const findings = one.parsed.ok
      ? await findingsOf(deps, one.parsed.address, known.has(one.parsed.address), domains)
      : [syntaxFinding(one.parsed.problem)];
    checked.push({
      given: one.text,
      address: one.parsed.ok ? one.parsed.address : null,
      verdict: decideCheck(findings),
      findings,
    });
  }
  return checked;
}

async function findingsOf(deps: Deps, address: string, known: boolean, domains: DomainStanding[]): Promise<Finding[]> {
  const entries = (await findMatchingEntries(deps.database, suppressionKeys(address))).filter((entry) => entry.liftedAt === null); // prettier-ignore
  const [local = '', domain = ''] = address.split('@');
  return describeAddress({
    local,
    known,
    erased: entries.some((entry) => entry.builtIn === 'erasure'),
    suppressedBy: [...new Set(entries.filter((entry) => entry.builtIn !== 'erasure').map((entry) => entry.listName))],
    lookAlike: findLookAlike(domain, domains),
  });
}
