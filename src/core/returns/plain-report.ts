// Delivery reports from before RFC 3464, and from servers that never followed it: plain text, each server in words of
// its own.
import { parseAddress } from '../address/normal-form.ts';
import { decodeOctalEscapes, decodeWords } from './decode-text.ts';
import { MAX_RECIPIENTS } from './limits.ts';
import { field, type Fields, type ParsedMessage } from './mime-parts.ts';
import { addressesIn, addressesOf, copyBegins, MOST_VALUES, type OriginalMessage } from './original-message.ts';
import { charactersEach, worstByAddress } from './delivery-report.ts';
import { ADDRESS_LINE, notesAbout, readPeoplePart } from './people-part.ts';
import { weighRecipient, type ReportedRecipient } from './weigh-recipient.ts';

export interface PlainReport {
  recipients: ReportedRecipient[];
  because: string;
}

const DAEMON =
  /\b(mailer-?daemon|mail-?daemon|postmaster|mdaemon|mail ?delivery|delivery (sub)?system|mail (sub)?system|mail-?system|system administrator|bounces?)\b/i;
const FAILED_SUBJECT =
  /^\W{0,6}(undeliver|undelivered|un-?deliverable|returned (mail|to sender|e?-?mail|message)|return to sender|delivery[ -](status )?(notification|failure|report|error|problem|failed|has failed|unsuccessful|delayed)|delivery (to|of) \S{1,100} (failed|has failed)|(mail|message|e-?mail)( \w{1,12})? (delivery )?(failed|failure|returned|error|undeliver\w*|not delivered|could not be delivered|delivery)|failure (notice|delivery)|failed (mail|delivery|message)|non[- ]?deliver|nondeliver|rejected( message| mail|: )|(mail|message) rejected|warning: (could not|message)|(mail|message) (delayed|status|warning)|delayed (mail|message)|could ?n[o']t (send|deliver)|unable to deliver|permanent (delivery )?failure|address not found|message (not|wasn'?t) (sent|delivered)|unzustellbar|nicht zustellbar|zustellung|non[- ]remis|non[- ]distribu|[eé]chec de (la )?(remise|distribution)|no (se )?(ha podido|pudo) entregar|no entregado|mancat[ao] (consegna|recapito)|n[aã]o (foi )?entregue|onbestelbaar|niet bezorgd|kunde inte levereras|ikke leveret)/i;
const FAILED_BODY =
  /\b(could ?n[o'’]t (be )?deliver|(was|were|is|are|has|have)( ?n[o'’]t| not)( yet)?( been)? (able to (be )?)?deliver|not been delivered|undeliver|unable to deliver|can(not| ?n[o'’]t|['’]t) be deliver|failed to deliver|deliver(y|ing)( \S{1,60}){0,8} (has |have )?(failed|failure|delayed|problems?)|did not reach|not reach(ed)? (some|all|the)|could not reach|cannot be reached|returned to (the )?sender|fatal errors?|permanent (error|failure)|non-?fatal errors|failed (addresses|recipients?|permanently)|address(es)? (had|failed|not found)|unable to (send|relay)|i couldn['’]t|was rejected|were rejected|has been rejected|not accepted|rejected by|returned (mail|message)|still undelivered|message (wasn['’]t|not) (sent|delivered)|konnte (leider )?nicht|nicht zugestellt|n['’](a|ont) (pas )?pu [eê]tre|pas pu [eê]tre (remis|d[eé]livr)|no (se )?(ha podido|pudo)|non [eè] stato possibile|n[aã]o (foi|p[oô]de))/i;

/**
 * Reads a report that has no part for machines; nothing when the message is none. It takes two signs: who it is from,
 * its subject, or its words. A recipient is whoever a line begins with, then anyone who is named, then whom the message
 * was for.
 */
export function readPlainReport(
  message: ParsedMessage,
  people: string,
  original: OriginalMessage,
): PlainReport | undefined {
  if (isForwarded(message.fields)) return undefined;
  const report = people.slice(0, copyBegins(people));
  if (asksToAct(report, original)) return undefined;
  const signs = signsOf(message.fields, report);
  if (signs.length < 2) return undefined;
  const own = ownAddresses(message.fields, original);
  const addresses = recipientsOf(message.fields, report, original, own).slice(0, MAX_RECIPIENTS);
  const alone = addresses.length <= 1;
  const whole = decodeOctalEscapes(report);
  const part = readPeoplePart(whole);
  const most = charactersEach(addresses.length);
  const said = (notes: string, shared: boolean): ReportedRecipient =>
    weighRecipient({ address: '', action: '', status: '', diagnostic: '', notes, shared });
  const begins = whole.slice(0, 2 * most);
  let ofAll: ReportedRecipient | undefined;
  const read = (addresses.length > 0 ? addresses : ['']).map((address) => {
    const paragraph = said(address === '' ? begins : notesAbout(address, part, alone, most), false);
    // The paragraph may only name the address, and the reason stand before or after them all.
    if (paragraph.doubt && paragraph.status === '') return { ...(ofAll ??= said(begins, !alone)), address };
    return { ...paragraph, address };
  });
  return {
    recipients: worstByAddress(read).filter(({ address }) => address !== ''),
    because: `no part for machines, but ${signs.join(' and ')}; ${read[0]!.because}`,
  };
}

/** Fields that only the post of a mailing list has (RFC 2369, RFC 2919). */
const OF_A_LIST = ['list-id', 'list-post', 'x-mailing-list', 'list-help'];
const FORWARDED_SUBJECT = /^\W{0,6}(?:\[[^\]]{1,60}\] ?)?(?:fwd?|fw|wg|tr|rv|i|doorst|vs|re|aw|sv|antw|r) ?:/i;
const FORWARDED_TEXT =
  /^[ \t>]{0,8}-{2,20} ?(?:forwarded message|weitergeleitete nachricht|message transf[eé]r[eé]|mensaje reenviado)/im;

/**
 * Whether a message passes on what somebody else got: a report that a person forwards, or that a list quotes, is none
 * of ours.
 */
export function isForwarded(fields: Fields, text = ''): boolean {
  if (/^<>$/.test(field(fields, 'return-path'))) return false;
  if (OF_A_LIST.some((name) => fields.has(name))) return true;
  const from = decodeWords(field(fields, 'from'));
  return (
    !DAEMON.test(from) &&
    (FORWARDED_SUBJECT.test(decodeWords(field(fields, 'subject'))) || FORWARDED_TEXT.test(text.slice(0, 4000)))
  );
}

const ASKS_TO_ACT =
  /\b(release|retrieve|recover|review|view|read|deliver|allow|download)( \w{1,12}){0,4} (pending|held|blocked|quarantined|suspended|undelivered|incoming|your)( \w{1,12}){0,2} (messages?|mails?|e-?mails?)|(verify|validate|confirm|update|upgrade|re-?activate|keep|secure|log ?in to|sign ?in to)( \w{1,12}){0,3} (account|mailbox|password|quota|storage|e-?mail)|(click|press|use|follow)( \w{1,12}){0,4} (here|below|button|link|to (fix|resolve|release|continue|re-?send))\b/i;

/** Letters dressed as a report that want a link followed: they return no message, and no server asks for that. */
function asksToAct(report: string, original: OriginalMessage): boolean {
  if (original.fields.size > 0 || original.token !== null) return false;
  const text = report.slice(0, 8000);
  return /\bhttps?:\/\//i.test(text) && ASKS_TO_ACT.test(text);
}

function signsOf(fields: Fields, report: string): string[] {
  const from = `${decodeWords(field(fields, 'from'))} ${field(fields, 'sender')}`;
  const subject = decodeWords(field(fields, 'subject'));
  const failed = FAILED_SUBJECT.exec(subject)?.[0];
  const words = FAILED_BODY.exec(report.slice(0, 4000))?.[0];
  return [
    ...(fields.has('x-failed-recipients') ? ['names X-Failed-Recipients', 'is a report'] : []),
    ...(DAEMON.test(from) || /^<>$/.test(field(fields, 'return-path')) ? ['it comes from a mail system'] : []),
    ...(failed === undefined ? [] : [`the subject says “${failed.trim()}”`]),
    ...(words === undefined ? [] : [`the text says “${words.replace(/\s+/g, ' ')}”`]),
  ];
}

/** Addresses that stand in reports without being whom they are about: ours, and the mail system's. */
function ownAddresses(fields: Fields, original: OriginalMessage): ReadonlySet<string> {
  const named = ['from', 'sender', 'to', 'delivered-to', 'x-original-to', 'reply-to', 'return-path'].map((name) =>
    field(fields, name),
  );
  const ours = ['from', 'sender', 'return-path', 'reply-to'].map((name) => field(original.fields, name));
  return new Set([...named, ...ours].flatMap((value) => addressesOf(value)));
}

const MAIL_SYSTEM = /^(mailer-daemon|postmaster|mail-daemon|abuse|hostmaster)@/;

function recipientsOf(fields: Fields, report: string, original: OriginalMessage, own: ReadonlySet<string>): string[] {
  const isOther = (address: string): boolean => !own.has(address) && !MAIL_SYSTEM.test(address);
  const failed = (fields.get('x-failed-recipients') ?? []).slice(0, MOST_VALUES).flatMap((value) => addressesOf(value));
  if (failed.length > 0) return [...new Set(failed)];
  const lines = report.split('\n');
  const led = lines.flatMap((line) =>
    ADDRESS_LINE.test(line) || NAMED_LINE.test(line) ? addressesIn(line).slice(0, 1) : [],
  );
  for (const found of [
    led,
    lines.flatMap((line) => (NOT_A_RECIPIENT.test(line) ? [] : addressesIn(line))),
    original.addresses,
  ]) {
    const others = [...new Set(found.filter((address) => isOther(address) && parseAddress(address).ok))];
    if (others.length > 0) return others;
  }
  return [];
}

/** `Failed Recipient: …`, `Recipient: [SMTP:…]`, `Failed to deliver to '…'`, `550 5.1.1 <…>… User unknown` */
const NAMED_LINE =
  /^\W{0,20}(?:(?:failed |original |final |intended )?recipient(?:s|\(s\))?(?: address)?(?: \S{0,20})?|to|for|address|user|failed to deliver to|delivery to|could not deliver(?: to)?|\d{3}[ -](?:#?\d\.\d{1,3}\.\d{1,3} )?<)\W{0,10}(?:smtp:|rfc822;)?\W{0,5}[^\s<>"'@:]{1,64}@/i;
const NOT_A_RECIPIENT =
  /^\W{0,6}(?:from|sender|reply-to|subject|date|sent|cc|message-id|in-reply-to|return-path|received|list-\w{1,20})\b|\b(?:contact|postmaster|assistance|further (?:help|information)|please (?:send|forward|e?mail))\b/i;
