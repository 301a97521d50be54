import type { OutsideVerdict, SettableCode } from './words.ts';

/** What the API answers about addresses: checks, slips and their mending, verdicts of outside verifiers. Instants are RFC 3339 texts. */

/** How a domain stands among our contacts: how many there are, and how many messages they took. */
export interface DomainStanding {
  domain: string;
  contacts: number;
  accepted: number;
  delivered: number;
}

/** A domain that is probably a slip of another. */
export interface LookAlike {
  given: DomainStanding;
  proposed: DomainStanding;
  distance: number;
}

/** Who would be mended, and whose mended address is a contact already, so that the two become one. */
export interface MendPreview {
  from: string;
  to: string;
  mended: number;
  /** Contacts taken over by the one that has the mended address already. */
  merged: number;
  /** Left alone, since the person of the mended address was erased. */
  erased: number;
  sample: { contactId: number; address: string; mended: string; mergesInto: number | null }[];
}

/** What a verifier’s verdict does to a contact. */
export type VerdictAct = 'suppress' | 'hold' | 'tag' | 'nothing';
/** The act of each verdict. */
export type VerdictActs = Record<OutsideVerdict, VerdictAct>;

/** A file of an outside verifier; `runId` is set once it was applied. */
export interface VerificationItem {
  id: number;
  name: string;
  source: string;
  checkedAt: string;
  rows: number;
  unreadable: number;
  /** The run that applied it. */
  runId: number | null;
  actor: string;
  createdAt: string;
}

/** A file of an outside verifier: its words, what they mean, and what its verdicts would do. */
export interface Verification extends VerificationItem {
  words: {
    word: string;
    rows: number;
    contacts: number;
    verdict: OutsideVerdict | null;
    proposed: OutsideVerdict | null;
  }[];
  verdicts: { verdict: OutsideVerdict; contacts: number; act: VerdictAct; willChange: number }[];
  willChange: number;
}

/** What a finding does to an address: kept out, held for a decision, or only noted. */
export type Severity = 'refuse' | 'hold' | 'note';
/** The severity of each finding that has one to set. */
export type Severities = Record<SettableCode, Severity>;

/** An address or a domain of the refuse-list, with why. */
export interface RefusedValue {
  value: string;
  reason: string;
  actor: string;
  enteredAt: string;
}

/** Rows of an import that wait for a decision. */
export interface HeldRows {
  code: SettableCode;
  domain: string;
  rows: number;
  /** The domain that was probably meant. */
  proposal: string | null;
  sample: string[];
}
