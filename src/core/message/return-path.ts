import { parseAddress } from '../address/normal-form.ts';

/** RFC 5321 4.5.3.1.1. */
const LONGEST_LOCAL_PART = 64;
/** `+`, one letter with its dot, and the token: what is put behind the name of a mailbox. */
const LONGEST_ADDED = 1 + 2 + 39;

/**
 * The return path of a message that goes by a relay whose returns come to a domain or a mailbox of its own: under a
 * domain the local part stays, at a mailbox it stands behind its name as a sub-address (RFC 5233).
 */
export function returnPathBy(envelopeFrom: string, returnsTo: string | null): string {
  if (returnsTo === null) return envelopeFrom;
  const local = envelopeFrom.slice(0, envelopeFrom.lastIndexOf('@'));
  const at = returnsTo.lastIndexOf('@');
  return at < 0 ? `${local}@${returnsTo}` : `${returnsTo.slice(0, at)}+${local}${returnsTo.slice(at)}`;
}

/** Why returns cannot come there; nothing when they can. A domain, or the address of a mailbox. */
export function returnsToProblem(returnsTo: string): string | undefined {
  const at = returnsTo.lastIndexOf('@');
  const parsed = parseAddress(at < 0 ? `b@${returnsTo}` : returnsTo);
  if (!parsed.ok) return `“${returnsTo}” is neither a domain nor the address of a mailbox.`;
  if (at > LONGEST_LOCAL_PART - LONGEST_ADDED)
    return `“${returnsTo.slice(0, at)}” is too long: behind it stands what tells returns apart, and together they have 64 letters (RFC 5321). Take a name of ${LONGEST_LOCAL_PART - LONGEST_ADDED} at most.`;
  if (returnsTo.slice(0, Math.max(0, at)).includes('+'))
    return `“${returnsTo}” holds a “+” already; take the mailbox itself.`;
  return undefined;
}
