import { createPrivateKey, createPublicKey, type KeyObject } from 'node:crypto';

/** With what a message is signed (RFC 6376). */
export interface DkimSigner {
  /** The domain that answers for the message, `d=`. */
  domain: string;
  /** The name under which its public key stands in the DNS, `s=`. */
  selector: string;
  privateKey: KeyObject;
}

/** RFC 8301 section 3.2: signers use keys of at least 1024 bits, and should of 2048; larger ones do not fit the DNS. */
const [SHORTEST_BITS, LONGEST_BITS] = [1024, 4096];
/** RFC 6376 section 3.1: a selector is a name in the DNS, as `dec2026` or `dec2026.larkfield`. */
const SELECTOR = /^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?(\.[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?)*$/;

/** A private key read from PEM, or what is wrong with it. */
export function readDkimKey(pem: string): { key: KeyObject } | { problem: string } {
  let key: KeyObject;
  try {
    key = createPrivateKey(pem);
  } catch {
    return { problem: 'This is no private key in PEM (or one that needs a passphrase): it begins with -----BEGIN.' };
  }
  if (key.asymmetricKeyType !== 'rsa')
    return { problem: `This is a key of the kind ${key.asymmetricKeyType}; receiving servers all read RSA alone.` };
  const bits = key.asymmetricKeyDetails?.modulusLength ?? 0;
  if (bits < SHORTEST_BITS || bits > LONGEST_BITS)
    return { problem: `This key has ${bits} bits; take one of 2048 (from ${SHORTEST_BITS} to ${LONGEST_BITS}).` };
  return { key };
}

/** The public half of a key as it stands in the DNS: DER in base64. */
export function publicKeyOf(privateKey: KeyObject): string {
  return createPublicKey(privateKey).export({ type: 'spki', format: 'der' }).toString('base64');
}

/** Where the public key stands, and what stands there (RFC 6376 section 3.6). */
export function dkimRecord(selector: string, domain: string, publicKey: string): { name: string; value: string } {
  return { name: `${selector}._domainkey.${domain}`, value: `v=DKIM1; k=rsa; p=${publicKey}` };
}

/** Whether a record of the DNS publishes this key; a record without `p=` value takes a key back. */
export function publishesKey(record: string, publicKey: string): boolean {
  const tags = new Map(record.split(';').map((tag) => [tag.split('=')[0]!.trim(), tag.slice(tag.indexOf('=') + 1)]));
  const version = tags.get('v')?.trim();
  return (version === undefined || version === 'DKIM1') && tags.get('p')?.replace(/\s+/g, '') === publicKey;
}

/** What is wrong with a selector, if anything is. */
export function selectorProblem(selector: string): string | undefined {
  if (SELECTOR.test(selector) && selector.length <= 120) return undefined;
  return `“${selector}” is no selector: letters, digits and hyphens, as dec2026.`;
}

/**
 * Whether a signature of this domain speaks for an address (RFC 7489 section 3.1.1, relaxed): it is its domain, or one
 * is under the other.
 */
export function isAligned(domain: string, address: string): boolean {
  const from = address.slice(address.lastIndexOf('@') + 1).toLowerCase();
  return from === domain || (domain.includes('.') && (from.endsWith(`.${domain}`) || domain.endsWith(`.${from}`)));
}
