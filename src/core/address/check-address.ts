import type { LookAlike } from './look-alike.ts';
import type { AddressProblem } from './normal-form.ts';

export type Severity = 'refuse' | 'hold' | 'note';

export type FindingCode = AddressProblem | 'role-name' | 'look-alike-domain' | 'suppressed' | 'erased' | 'known';

/** One thing found about an address, with a sentence for people. */
export interface Finding {
  code: FindingCode;
  severity: Severity;
  text: string;
  /** The address that was probably meant. */
  proposal?: string;
}

/** RFC 2142, and names in use for posts rather than people. */
const ROLE_NAMES: ReadonlySet<string> = new Set(['abuse', 'admin', 'administrator', 'billing', 'contact', 'enquiries', 'hello', 'help', 'hostmaster', 'info', 'list', 'list-request', 'mail', 'mailer-daemon', 'marketing', 'news', 'no-reply', 'noc', 'noreply', 'office', 'postmaster', 'root', 'sales', 'security', 'support', 'usenet', 'webmaster', 'www']); // prettier-ignore

const SYNTAX: Readonly<Record<AddressProblem, string>> = {
  empty: 'There is no address.',
  'too-long': 'It is longer than mail allows.',
  'no-at-sign': 'It needs a name, an @ and a domain.',
  'bad-local-part': 'What stands before the @ is not a mailbox name that can exist.',
  'bad-domain': 'What stands after the @ is not a domain that can exist.',
  'control-character': 'It holds invisible characters.',
};

export function syntaxFinding(problem: AddressProblem): Finding {
  return { code: problem, severity: 'refuse', text: SYNTAX[problem] };
}

/** All that is known of an address in normal form, put into findings; those that decide first. */
export function describeAddress(facts: {
  local: string;
  known: boolean;
  /** Suppression lists it stands on. */
  suppressedBy: string[];
  erased: boolean;
  lookAlike: LookAlike | undefined;
}): Finding[] {
  const findings: Finding[] = [];
  if (facts.erased) findings.push({ code: 'erased', severity: 'refuse', text: 'This person was erased at their request.' }); // prettier-ignore
  if (facts.lookAlike) findings.push(lookAlikeFinding(facts.local, facts.lookAlike));
  if (facts.suppressedBy.length > 0) findings.push({ code: 'suppressed', severity: 'note', text: `It stands on ${facts.suppressedBy.map((name) => `“${name}”`).join(', ')}.` }); // prettier-ignore
  if (ROLE_NAMES.has(facts.local)) findings.push({ code: 'role-name', severity: 'note', text: `“${facts.local}” is a post, not a person: whoever reads it did not sign up.` }); // prettier-ignore
  if (facts.known) findings.push({ code: 'known', severity: 'note', text: 'It is a contact of ours.' });
  return findings;
}

function lookAlikeFinding(local: string, { given, proposed }: LookAlike): Finding {
  const share = Math.round((100 * proposed.delivered) / proposed.accepted);
  const here = given.contacts === 0 ? `No contact is at ${given.domain}` : `${given.contacts.toLocaleString('en-GB')} contacts at ${given.domain}, none ever delivered`; // prettier-ignore
  return {
    code: 'look-alike-domain',
    severity: 'hold',
    text: `${here}; ${proposed.contacts.toLocaleString('en-GB')} at ${proposed.domain}, ${share} % delivered.`,
    proposal: `${local}@${proposed.domain}`,
  };
}

/** What becomes of an address by its findings: the gravest decides. */
export function decideCheck(findings: readonly Finding[]): Severity | 'fine' {
  if (findings.some((finding) => finding.severity === 'refuse')) return 'refuse';
  return findings.some((finding) => finding.severity === 'hold') ? 'hold' : 'fine';
}
