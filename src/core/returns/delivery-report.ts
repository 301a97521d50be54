// RFC 3464: An Extensible Message Format for Delivery Status Notifications; RFC 6533 for internationalized ones. Field
// names are the standards' own.
import { parseAddress } from '../address/normal-form.ts';
import { decodeOctalEscapes, decodeWords } from './decode-text.ts';
import { MAX_RECIPIENTS, MAX_TEXT_CHARACTERS, MAX_TEXTS_CHARACTERS, MIN_TEXT_CHARACTERS } from './limits.ts';
import { field, fieldBlocks, type Fields } from './mime-parts.ts';
import { notesAbout, type PeoplePart } from './people-part.ts';
import { weighRecipient, type RecipientEvidence, type ReportedRecipient } from './weigh-recipient.ts';
import { withoutComments } from './without-comments.ts';

/**
 * Reads the machine-readable part of a delivery report: per-message fields, then one block of fields a recipient.
 * `people` is what the part for people says. One entry an address; the worst that is said of it holds.
 */
export function readDeliveryStatus(body: string, people: PeoplePart): ReportedRecipient[] {
  const blocks = fieldBlocks(body)
    .filter((block) => block.has('final-recipient') || block.has('original-recipient') || block.has('action'))
    .slice(0, MAX_RECIPIENTS);
  const most = charactersEach(blocks.length);
  const said = blocks.map((block) => diagnosticOf(block, most));
  const words = said.map(withoutAddresses);
  const times = new Map<string, number>();
  for (const one of words) times.set(one, (times.get(one) ?? 0) + 1);
  const read = blocks.map((block, index) => {
    const shared = said[index] !== '' && times.get(words[index]!)! > 1;
    const address = recipientAddress(block);
    const notes = notesAbout(address, people, blocks.length === 1, most);
    return weighRecipient({ ...actionOf(block), address, diagnostic: said[index]!, notes, shared });
  });
  return worstByAddress(read);
}

/** How much is looked at and kept of what is said of each of so many recipients. */
export function charactersEach(recipients: number): number {
  return Math.max(
    MIN_TEXT_CHARACTERS,
    Math.min(MAX_TEXT_CHARACTERS, Math.floor(MAX_TEXTS_CHARACTERS / Math.max(1, recipients))),
  );
}

/** What is said of several recipients differs in their addresses at most. */
function withoutAddresses(text: string): string {
  return text.slice(0, 300).replace(/\S{1,64}@[A-Za-z0-9.-]{1,253}/g, '');
}

function actionOf(block: Fields): Pick<RecipientEvidence, 'action' | 'status'> {
  const action = field(block, 'action')
    .slice(0, 100)
    .split(/[\s;(]/)[0]!
    .toLowerCase();
  const status = /([245]\.\d{1,3}\.\d{1,3})/.exec(field(block, 'status').slice(0, 1000))?.[1] ?? '';
  return { action: ACTION_WORDS[action] ?? action, status };
}

/** Words that some servers write in the place of the standard's. */
const ACTION_WORDS: Readonly<Record<string, string>> = {
  failure: 'failed',
  fail: 'failed',
  undeliverable: 'failed',
  delay: 'delayed',
  deferred: 'delayed',
  warning: 'delayed',
  success: 'delivered',
  successful: 'delivered',
  relay: 'relayed',
  expand: 'expanded',
};

function diagnosticOf(block: Fields, most: number): string {
  const said = (block.get('diagnostic-code') ?? [])
    .slice(0, MOST_DIAGNOSTICS)
    .map((value) => withoutType(value).slice(0, 2 * most))
    .join(' / ');
  return decodeOctalEscapes(decodeWords(said.slice(0, 2 * most))).slice(0, most);
}

/** Some servers write a field for each line of the reply. */
const MOST_DIAGNOSTICS = 20;

/** The address that was written to, before any alias changed it. */
function recipientAddress(block: Fields): string {
  for (const name of ['original-recipient', 'x-original-to', 'final-recipient', 'x-actual-recipient']) {
    const parsed = parseAddress(addressOf(field(block, name)));
    if (parsed.ok) return parsed.address;
  }
  return addressOf(field(block, 'final-recipient') || field(block, 'original-recipient')).slice(0, 320);
}

function addressOf(given: string): string {
  const value = given.slice(0, MAX_TEXT_CHARACTERS);
  const type = /^\s*([A-Za-z0-9-]{1,40})\s*;/.exec(value)?.[1]?.toLowerCase() ?? '';
  const bare = withoutComments(decodeOctalEscapes(withoutType(value)));
  return type === 'utf-8'
    ? unicodeOf(bare)
    : bare.replace(/\+(2B|3D)/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)));
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
