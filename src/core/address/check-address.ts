import type { SettableCode } from '../../shared/words.ts';
import type { LookAlike } from './look-alike.ts';
import type { AddressProblem } from './normal-form.ts';

/** What a finding does: keep out, hold for a decision, or note. */
export type Severity = 'refuse' | 'hold' | 'note';

/** The severity of each finding that has one to set. */
export type Severities = Readonly<Record<SettableCode, Severity>>;

/** What findings do until somebody says otherwise. */
export const DEFAULT_SEVERITIES: Severities = {
  'refuse-list': 'refuse',
  // RFC 7505: the domain says itself that it takes no mail.
  'null-exchanger': 'refuse',
  'no-exchanger': 'hold',
  'look-alike-domain': 'hold',
  'role-name': 'note',
};

/** What can be found of an address. */
export type FindingCode = AddressProblem | SettableCode | 'suppressed' | 'erased' | 'known';

/**
 * What the domain name system says of a domain's mail: `none` has no mail exchanger and no host either (RFC 5321
 * section 5.1).
 */
export type Exchange = 'some' | 'null' | 'none' | 'unknown';

/** What is known of a domain, whoever is at it. */
export interface DomainFacts {
  lookAlike: LookAlike | undefined;
  exchange: Exchange;
  /** The entry of the refuse-list that names it, and why it stands there. */
  refused: { value: string; reason: string } | undefined;
}

/** One thing found about an address, with a sentence for people. */
export interface Finding {
  code: FindingCode;
  severity: Severity;
  text: string;
  /** The address that was probably meant. */
  proposal?: string;
}

/** RFC 2142, and names in use for posts rather than people. */
const ROLE_NAMES: ReadonlySet<string> = new Set([
  'abuse',
  'admin',
  'administrator',
  'billing',
  'contact',
  'enquiries',
  'hello',
  'help',
  'hostmaster',
  'info',
  'list',
  'list-request',
  'mail',
  'mailer-daemon',
  'marketing',
  'news',
  'no-reply',
  'noc',
  'noreply',
  'office',
  'postmaster',
  'root',
  'sales',
  'security',
  'support',
  'usenet',
  'webmaster',
  'www',
]);

const SYNTAX: Readonly<Record<AddressProblem, string>> = {
  empty: 'There is no address.',
  'too-long': 'It is longer than mail allows.',
  'no-at-sign': 'It needs a name, an @ and a domain.',
  'bad-local-part': 'What stands before the @ is not a mailbox name that can exist.',
  'bad-domain': 'What stands after the @ is not a domain that can exist.',
  'control-character': 'It holds invisible characters.',
};

/** What is wrong with the form of an address, as a finding: always a reason to refuse. */
export function syntaxFinding(problem: AddressProblem): Finding {
  return { code: problem, severity: 'refuse', text: SYNTAX[problem] };
}

/** Whether a local part names a post and not a person (RFC 2142 and common use). */
export function isRoleName(local: string): boolean {
  return ROLE_NAMES.has(local);
}

/**
 * What a domain alone says against taking anybody at it in: the gravest finding by these severities, if any is more
 * than a note.
 */
export function decideDomain(
  facts: DomainFacts,
  severities: Severities,
): { code: SettableCode; severity: 'refuse' | 'hold' } | undefined {
  const codes: SettableCode[] = [
    ...(facts.refused ? ['refuse-list' as const] : []),
    ...(facts.exchange === 'null' ? ['null-exchanger' as const] : []),
    ...(facts.exchange === 'none' ? ['no-exchanger' as const] : []),
    ...(facts.lookAlike ? ['look-alike-domain' as const] : []),
  ];
  for (const severity of ['refuse', 'hold'] as const) {
    const code = codes.find((one) => severities[one] === severity);
    if (code) return { code, severity };
  }
  return undefined;
}

/** All that is known of an address in normal form, put into findings; those that decide first. */
export function describeAddress(
  facts: {
    local: string;
    domain: string;
    known: boolean;
    /** Suppression lists it stands on. */
    suppressedBy: string[];
    erased: boolean;
    of: DomainFacts;
  },
  severities: Severities,
): Finding[] {
  const { refused, exchange, lookAlike } = facts.of;
  const set = (code: SettableCode, text: string): Finding => ({ code, severity: severities[code], text });
  return [
    ...(facts.erased
      ? [{ code: 'erased' as const, severity: 'refuse' as const, text: 'This person was erased at their request.' }]
      : []),
    ...(refused ? [set('refuse-list', `${refused.value} stands on the refuse-list: ${refused.reason}.`)] : []),
    ...(exchange === 'null' ? [set('null-exchanger', `${facts.domain} says that it takes no mail.`)] : []),
    ...(exchange === 'none' ? [set('no-exchanger', `${facts.domain} has nothing that takes mail.`)] : []),
    ...(lookAlike ? [{ ...lookAlikeFinding(facts.local, lookAlike), severity: severities['look-alike-domain'] }] : []),
    ...(facts.suppressedBy.length > 0
      ? [
          {
            code: 'suppressed' as const,
            severity: 'note' as const,
            text: `It stands on ${facts.suppressedBy.map((name) => `“${name}”`).join(', ')}.`,
          },
        ]
      : []),
    ...(isRoleName(facts.local)
      ? [set('role-name', `“${facts.local}” is a post, not a person: whoever reads it did not sign up.`)]
      : []),
    ...(facts.known ? [{ code: 'known' as const, severity: 'note' as const, text: 'It is a contact of ours.' }] : []),
  ];
}

function lookAlikeFinding(local: string, { given, proposed }: LookAlike): Omit<Finding, 'severity'> {
  const share = Math.floor((1000 * proposed.delivered) / proposed.accepted) / 10;
  const here =
    given.contacts === 0
      ? `No contact is at ${given.domain}`
      : `${given.contacts.toLocaleString('en-GB')} contacts at ${given.domain}, none ever delivered`;
  return {
    code: 'look-alike-domain',
    text: `${here}; ${proposed.contacts.toLocaleString('en-GB')} at ${proposed.domain}, ${share} % delivered.`,
    proposal: `${local}@${proposed.domain}`,
  };
}

/** What becomes of an address by its findings: the gravest decides. */
export function decideCheck(findings: readonly Finding[]): Severity | 'fine' {
  if (findings.some((finding) => finding.severity === 'refuse')) return 'refuse';
  return findings.some((finding) => finding.severity === 'hold') ? 'hold' : 'fine';
}
