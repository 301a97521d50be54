import { createHash } from 'node:crypto';
import { domainOf } from './domain-of.ts';
import { normalDomain, parseAddress } from './normal-form.ts';

/** What kind of thing a suppression entry names. */
export type EntryKind = 'address' | 'domain' | 'hash';

export interface EntryValue {
  kind: EntryKind;
  value: string;
}

/** SHA-256 of an address in normal form, UTF-8, lower-case hex. */
export function addressHash(address: string): string {
  return createHash('sha256').update(address, 'utf8').digest('hex');
}

/** The address without its sub-address: `ana+moon@…` gives `ana@…`; others are returned as they are. */
export function baseAddress(address: string): string {
  const at = address.lastIndexOf('@');
  const plus = address.indexOf('+');
  return plus > 0 && plus < at ? address.slice(0, plus) + address.slice(at) : address;
}

/** Every domain entry that would match this domain: itself, and itself and each parent with a leading dot. */
export function domainEntryKeys(domain: string): string[] {
  const labels = domain.split('.');
  const parents = labels.map((_, index) => `.${labels.slice(index).join('.')}`);
  return [domain, ...parents];
}

/** All entry values that could match this address, by kind; the base address only where lists are not exact. */
export function suppressionKeys(address: string): { exact: string; base: string; hash: string; domains: string[] } {
  return {
    exact: address,
    base: baseAddress(address),
    hash: addressHash(address),
    domains: domainEntryKeys(domainOf(address)),
  };
}

/**
 * Reads what somebody typed as a suppression entry: an address, a domain (a leading dot takes in subdomains) or a
 * SHA-256.
 */
export function parseEntry(text: string): EntryValue | undefined {
  const trimmed = text.trim();
  if (/^[0-9a-fA-F]{64}$/.test(trimmed)) return { kind: 'hash', value: trimmed.toLowerCase() };
  if (trimmed.includes('@') && !trimmed.startsWith('@')) {
    const parsed = parseAddress(trimmed);
    return parsed.ok ? { kind: 'address', value: parsed.address } : undefined;
  }
  const dotted = trimmed.startsWith('.');
  const domain = normalDomain(trimmed.replace(/^[.@]/, ''));
  return domain === undefined ? undefined : { kind: 'domain', value: dotted ? `.${domain}` : domain };
}
