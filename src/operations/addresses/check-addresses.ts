import {
  decideCheck,
  describeAddress,
  syntaxFinding,
  type Finding,
  type Severity,
} from '../../core/address/check-address.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import { findRefused } from '../../store/statements/domain-facts.ts';
import type { Deps } from '../deps.ts';
import { findStanding } from '../marks/find-standing.ts';
import { findSeverities, makeDomainFacts } from './domain-facts.ts';

export interface CheckedAddress {
  given: string;
  /** In normal form; null when it is no address. */
  address: string | null;
  /** `suppressed`: nothing against the address itself, but it stands on a list. */
  verdict: Severity | 'suppressed' | 'fine';
  findings: Finding[];
}

/**
 * What is to be said of each of these addresses before it is taken in. Nothing is written but what the domain name
 * system answered.
 */
export async function checkAddresses(deps: Deps, given: string[]): Promise<CheckedAddress[]> {
  const parsed = given.map((text) => ({ text, parsed: parseAddress(text) }));
  const addresses = parsed.flatMap((one) => (one.parsed.ok ? [one.parsed.address] : []));
  const known = await findContactIds(deps.database, addresses);
  const entries = await findStanding(deps, addresses);
  const facts = await makeDomainFacts(deps)(parsed.flatMap((one) => (one.parsed.ok ? [one.parsed.domain] : [])));
  const refused = await findRefused(deps.database, addresses);
  const severities = await findSeverities(deps);
  return parsed.map(({ text, parsed: one }) => {
    if (!one.ok) return checked(text, null, [syntaxFinding(one.problem)]);
    const standing = entries.get(one.address)!;
    const of = facts.get(one.domain)!;
    const reason = refused.get(one.address);
    const findings = describeAddress(
      {
        local: one.local,
        domain: one.domain,
        known: known.has(one.address),
        erased: standing.some((entry) => entry.builtIn === 'erasure'),
        suppressedBy: [
          ...new Set(standing.filter((entry) => entry.builtIn !== 'erasure').map((entry) => entry.listName)),
        ],
        of: reason === undefined ? of : { ...of, refused: { value: one.address, reason } },
      },
      severities,
    );
    return checked(text, one.address, findings);
  });
}

function checked(given: string, address: string | null, findings: Finding[]): CheckedAddress {
  const decided = decideCheck(findings);
  const isSuppressed = findings.some(({ code }) => code === 'suppressed');
  return { given, address, verdict: decided === 'fine' && isSuppressed ? 'suppressed' : decided, findings };
}
