/** What the API answers about addresses: checks, slips and their mending, verdicts of outside verifiers. Instants are RFC 3339 texts. */

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
