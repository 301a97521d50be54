// RFC 3464: An Extensible Message Format for Delivery Status Notifications; RFC 6533 for internationalized ones. Field names are the standards' own.
import { parseAddress } from '../address/normal-form.ts';
import { decodeOctalEscapes, decodeWords } from './decode-text.ts';
import { MAX_RECIPIENTS, MAX_TEXT_CHARACTERS } from './limits.ts';
import { field, fieldBlocks, type Fields } from './mime-parts.ts';
import { notesAbout, weighRecipient, type RecipientEvidence, type ReportedRecipient } from './weigh-recipient.ts';

/**
 * Reads the machine-readable part of a delivery report: per-message fields, then one block of fields a recipient.
 * `people` is what the part for people says. One entry an address; the worst that is said of it holds.
 */
export function readDeliveryStatus(body: string, people: string): ReportedRecipient[] {
  const blocks = fieldBlocks(body)
    .filter((block) => block.has('final-recipient') || block.has('original-recipient') || block.has('action'))
    .slice(0, MAX_RECIPIENTS);
  const said = blocks.map((block) => diagnosticOf(block));
  const times = new Map<string, number>();
  for (const words of said.map(withoutAddresses)) times.set(words, (times.get(words) ?? 0) + 1);
  const read = blocks.map((block, index) => {
    const shared = said[index] !== '' && times.get(withoutAddresses(said[index]!))! > 1;
    return weighRecipient(evidenceOf(block, said[index]!, people, shared, blocks.length === 1));
  });
  return worstByAddress(read);
}

/** What is said of several recipients differs in their addresses at most. */
function withoutAddresses(text: string): string {
  return text.slice(0, 300).replace(/\S{1,64}@[A-Za-z0-9.-]{1,253}/g, '');
}

function evidenceOf(block: Fields, diagnostic: string, people: string, shared: boolean, alone: boolean): RecipientEvidence {
  const address = recipientAddress(block);
  const action = field(block, 'action').split(/[\s;(]/)[0]!.toLowerCase();
  const status = /([245]\.\d{1,3}\.\d{1,3})/.exec(field(block, 'status'))?.[1] ?? '';
  return { address, action: ACTION_WORDS[action] ?? action, status, diagnostic, notes: notesAbout(address, people, alone), shared };
} // prettier-ignore

/** Words that some servers write in the place of the standard's. */
const ACTION_WORDS: Readonly<Record<string, string>> = { failure: 'failed', fail: 'failed', undeliverable: 'failed', delay: 'delayed', deferred: 'delayed', warning: 'delayed', success: 'delivered', successful: 'delivered', relay: 'relayed', expand: 'expanded' }; // prettier-ignore

function diagnosticOf(block: Fields): string {
  const said = (block.get('diagnostic-code') ?? []).map((value) => withoutType(value)).join(' / ');
  return decodeOctalEscapes(decodeWords(said)).slice(0, MAX_TEXT_CHARACTERS);
}

/** The address that was written to, before any alias changed it. */
function recipientAddress(block: Fields): string {
  for (const name of ['original-recipient', 'x-original-to', 'final-recipient', 'x-actual-recipient']) {
    const parsed = parseAddress(addressOf(field(block, name)));
    if (parsed.ok) return parsed.address;
  }
  return addressOf(field(block, 'final-recipient') || field(block, 'original-recipient')).slice(0, 320);
}

function addressOf(value: string): string {
  const type = /^\s*([A-Za-z0-9-]{1,40})\s*;/.exec(value)?.[1]?.toLowerCase() ?? '';
  const bare = decodeOctalEscapes(withoutType(value)).replace(/\s*\([^()]{0,200}\)\s*$/, '');
  return type === 'utf-8' ? unicodeOf(bare) : bare.replace(/\+(2B|3D)/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))); // prettier-ignore
}

/** utf-8-addr-unitext and utf-8-addr-xtext (RFC 6533 section 3): `\x{HEX}` stands for a character. */
function unicodeOf(text: string): string {
  return text.replace(/\\x\{([0-9A-Fa-f]{2,6})\}/g, (whole, hex: string) => {
    const code = parseInt(hex, 16);
    return code <= 0x10ffff ? String.fromCodePoint(code) : whole;
  });
}

/** `rfc822; ana@…` and `smtp; 550 …` without their type. */
function withoutType(value: string): string {
  return value.replace(/^\s*[A-Za-z0-9-]{1,40}\s*;\s*/, '').trim();
}

const GRAVITY: readonly ReportedRecipient['class'][] = ['success', 'delay', 'block', 'soft', 'hard'];

/** One entry an address, in the order of their first. */
export function worstByAddress(read: ReportedRecipient[]): ReportedRecipient[] {
  const worst = new Map<string, ReportedRecipient>();
  for (const one of read) {
    const known = worst.get(one.address);
    if (!known || GRAVITY.indexOf(one.class) > GRAVITY.indexOf(known.class)) worst.set(one.address, one);
  }
  return [...worst.values()];
}
