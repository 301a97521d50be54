import { domainToASCII } from 'node:url';

/** Why a text is not an address Avendel can keep. */
export type AddressProblem =
  'empty' | 'too-long' | 'no-at-sign' | 'bad-local-part' | 'bad-domain' | 'control-character';

export type ParsedAddress =
  { ok: true; address: string; local: string; domain: string } | { ok: false; problem: AddressProblem };

/** RFC 5321 section 4.5.3.1: 64 octets for the local part, 254 for the whole path without brackets. */
export const MAX_LOCAL_OCTETS = 64;
export const MAX_ADDRESS_OCTETS = 254;

/** RFC 5322 dot-atom in ASCII: almost every local part there is, and ten times as fast to see as the wide form. */
const ASCII_DOT_ATOM = /^[a-z0-9!#$%&'*+/=?^_`{|}~-]+(?:\.[a-z0-9!#$%&'*+/=?^_`{|}~-]+)*$/;
/**
 * RFC 5322 atext, widened by RFC 6531 to everything beyond ASCII. Quoted local parts are not in use and are refused.
 */
const DOT_ATOM =
  /^[A-Za-z0-9!#$%&'*+/=?^_`{|}~\u0080-\u{10FFFF}-]+(?:\.[A-Za-z0-9!#$%&'*+/=?^_`{|}~\u0080-\u{10FFFF}-]+)*$/u;
const LABEL = /^[a-z0-9](?:[a-z0-9-]{0,61}[a-z0-9])?$/;
const VISIBLE_ASCII = /^[\x21-\x7e]*$/;
// eslint-disable-next-line no-control-regex
const CONTROL = /[\u0000-\u001f\u007f-\u009f\u200b-\u200f\u202a-\u202e\ufeff]/u;

/**
 * Reads one email address and brings it into its normal form: domain in lower-case A-labels, local part in lower
 * case, Unicode NFC (RFC 5321 and 5322 as used in practice, RFC 6531 for international ones).
 * Surrounding white space and one pair of angle brackets are forgiven.
 */
export function parseAddress(text: string): ParsedAddress {
  const bare = stripBrackets(text.trim());
  if (bare === '') return { ok: false, problem: 'empty' };
  if (bare.length > 4 * MAX_ADDRESS_OCTETS) return { ok: false, problem: 'too-long' };
  if (!VISIBLE_ASCII.test(bare) && CONTROL.test(bare)) return { ok: false, problem: 'control-character' };
  const at = bare.lastIndexOf('@');
  if (at < 1 || at === bare.length - 1) return { ok: false, problem: 'no-at-sign' };
  return assemble(bare, at);
}

/** The normal form of an address, or the text as it is when it is none: to look somebody up by what was typed. */
export function normalOrGiven(text: string): string {
  const parsed = parseAddress(text);
  return parsed.ok ? parsed.address : text;
}

function assemble(bare: string, at: number): ParsedAddress {
  const localText = bare.slice(0, at);
  const domainText = bare.slice(at + 1);
  const lower = localText.toLowerCase();
  const ascii = ASCII_DOT_ATOM.test(lower);
  const local = ascii ? lower : localText.normalize('NFC').toLowerCase();
  if (!ascii && !DOT_ATOM.test(local)) return { ok: false, problem: 'bad-local-part' };
  const domain = normalDomain(domainText);
  if (domain === undefined) return { ok: false, problem: 'bad-domain' };
  // Most are in normal form already, and need not be put together again.
  const address = local === localText && domain === domainText ? bare : `${local}@${domain}`;
  if (octets(local, ascii) > MAX_LOCAL_OCTETS || octets(address, ascii) > MAX_ADDRESS_OCTETS) {
    return { ok: false, problem: 'too-long' };
  }
  return { ok: true, address, local, domain };
}

function octets(text: string, ascii: boolean): number {
  return ascii ? text.length : Buffer.byteLength(text);
}

/**
 * The same few domains come again and again in a file; so many are remembered before starting over. A plain map, which
 * writes nothing when it is read: a cache that keeps the latest does for each row of an import.
 */
const REMEMBERED_DOMAINS = 5000;
const remembered = new Map<string, string | null>();

/** A domain as lower-case A-labels, or nothing when it is not a host name of at least two labels. */
export function normalDomain(text: string): string | undefined {
  const known = remembered.get(text);
  if (known !== undefined) return known ?? undefined;
  const domain = readDomain(text);
  if (remembered.size >= REMEMBERED_DOMAINS) remembered.clear();
  remembered.set(text, domain ?? null);
  return domain;
}

function readDomain(text: string): string | undefined {
  const trimmed = text.trim().replace(/\.$/, '');
  // URL host parsing would also take "1" or "0x7f" as an IPv4 address, so look at the labels before and after.
  const ascii = /^[a-z0-9.-]+$/.test(trimmed) ? trimmed : domainToASCII(trimmed.normalize('NFC')).toLowerCase();
  if (ascii === '' || ascii.length > 253) return undefined;
  const labels = ascii.split('.');
  if (labels.length < 2 || !labels.every((label) => LABEL.test(label))) return undefined;
  return /^[0-9]+$/.test(labels[labels.length - 1]!) ? undefined : ascii;
}

function stripBrackets(text: string): string {
  return text.startsWith('<') && text.endsWith('>') ? text.slice(1, -1).trim() : text;
}
