import type { ReturnKind } from '../../shared/words.ts';
import { findAutomaticReply, findChallenge, findStopSubject, findStopWords } from './automatic-reply.ts';
import { isPlainComplaint, readFeedbackReport, recipientsOfOriginal } from './complaint-report.ts';
import { decodeWords } from './decode-text.ts';
import { readDeliveryStatus } from './delivery-report.ts';
import { MAX_BODY_CHARACTERS } from './limits.ts';
import { field, parseMessage, type MimePart, type ParsedMessage } from './mime-parts.ts';
import { addressesIn, copyBegins, findOriginal, ownAddressKind, type OriginalMessage } from './original-message.ts';
import { readPlainReport } from './plain-report.ts';
import type { ReportedRecipient } from './weigh-recipient.ts';

/** How one returned message is read. Snake case because this is also what `avendel returns read --jsonl` prints. */
export interface ReadReturn {
  kind: ReturnKind;
  /** The standard it follows, as `RFC 3464`; null for mail that follows none. */
  standard: string | null;
  recipients: Omit<ReportedRecipient, 'because'>[];
  /** Message-ID of the message that came back, without brackets. */
  message_id: string | null;
  /** Avendel's own token found in it, not yet verified. */
  token: string | null;
  because: string;
  /** The words by which a reply asks to stop: a person decides. */
  asks_to_stop?: string;
}

/** A message taken apart, with what every reading asks of it. */
interface Opened {
  message: ParsedMessage;
  /** The address it was sent to. */
  to: string;
  original: OriginalMessage;
  /** What it says to people. */
  people: string;
}

/**
 * Reads a returned message: what kind it is, of whom it speaks, and which message of ours it answers.
 * `envelopeTo` is the address that it was sent to, where the intake knows it. Never throws, whatever the bytes.
 */
export function readReturn(raw: Uint8Array | string, envelopeTo = ''): ReadReturn {
  const message = parseMessage(raw);
  const to = envelopeTo || sentTo(message);
  const original = findOriginal(message, to);
  const opened = { message, to, original, people: peoplePart(message) };
  return storable({ ...readKind(opened), message_id: original.messageId, token: original.token });
}

/** Whom a message says it is from, in normal form; anybody can write that. Nothing when it names nobody, or several. */
export function senderOf(raw: Uint8Array | string): string | undefined {
  const senders = addressesIn(field(parseMessage(raw).fields, 'from') ?? '');
  return senders.length === 1 ? senders[0] : undefined;
}

/**
 * A reading whose texts can be kept and sent on: without NUL, and without the half of a character that a limit cut in two
 * or a report made up. Neither can stand in PostgreSQL's text or JSON.
 */
function storable(reading: ReadReturn): ReadReturn {
  const clean = (text: string): string => text.replaceAll('\u0000', '').replace(/\p{Surrogate}/gu, '\ufffd');
  const cleaned = (value: unknown): unknown => {
    if (typeof value === 'string') return clean(value);
    if (Array.isArray(value)) return value.map(cleaned);
    return typeof value === 'object' && value !== null ? Object.fromEntries(Object.entries(value).map(([key, one]) => [key, cleaned(one)])) : value; // prettier-ignore
  };
  return cleaned(reading) as ReadReturn;
}

const SENT_TO = ['delivered-to', 'x-original-to', 'envelope-to', 'x-envelope-to', 'to'];

/** The address of ours among the fields that say where a message went, or the first that says it. */
function sentTo({ fields }: ParsedMessage): string {
  const named = SENT_TO.map((name) => field(fields, name)).filter((value) => value !== '');
  return named.find((value) => ownAddressKind(value) !== undefined) ?? named[0] ?? '';
}

/** The first part that people read; markup is taken off when there is no plain one. */
function peoplePart({ parts }: ParsedMessage): string {
  const plain = parts.find(({ type, body }) => type === 'text/plain' && body.trim() !== '' && !isFields(body));
  if (plain) return plain.body.slice(0, MAX_BODY_CHARACTERS);
  const html = parts.find(({ type }) => type === 'text/html');
  return html ? withoutMarkup(html.body.slice(0, MAX_BODY_CHARACTERS)) : '';
}

const ENTITIES: Record<string, string> = { lt: '<', gt: '>', amp: '&', quot: '"', nbsp: ' ', '#39': "'", '#64': '@' };

function withoutMarkup(html: string): string {
  return html
    .replace(/<(style|script|head)\b[^>]{0,1000}>[^<]{0,20000}/gi, '')
    .replace(/<(br|\/p|\/div|\/tr|\/li|\/h\d|\/td)\b[^>]{0,200}>/gi, '\n')
    .replace(/<\/?[a-z!][^>]{0,2000}>/gi, '')
    .replace(/&(#?\w{1,8});/g, (whole, name: string) => ENTITIES[name.toLowerCase()] ?? whole);
}

type Reading = Pick<ReadReturn, 'kind' | 'standard' | 'recipients' | 'because' | 'asks_to_stop'>;

function readKind(opened: Opened): Reading {
  return complaintReading(opened) ?? deliveryReading(opened) ?? receiptReading(opened) ?? plainReading(opened) ?? letterReading(opened); // prettier-ignore
}

/** A part by its type, or by its fields where the type is missing or wrong. */
function partOf({ parts }: ParsedMessage, types: RegExp, fields: RegExp): MimePart | undefined {
  return parts.find(({ type }) => types.test(type)) ?? parts.find(({ type, body }) => /^(text\/plain|application\/octet-stream|message\/unknown)$/.test(type) && fields.test(body.slice(0, MAX_BODY_CHARACTERS))); // prettier-ignore
}

const REPORT_FIELDS = /^(reporting-mta|final-recipient|original-recipient)[ \t]*:.{0,2000}\n([\s\S]{0,4000}\n)?(action|status|final-recipient|diagnostic-code)[ \t]*:/im; // prettier-ignore
const FEEDBACK_FIELDS = /^feedback-type[ \t]*:/im;

function isFields(body: string): boolean {
  return /^\s*(reporting-mta|final-recipient|original-recipient|feedback-type)[ \t]*:/i.test(body);
}

function complaintReading({ message, original }: Opened): Reading | undefined {
  const part = partOf(message, /^message\/feedback-report$/, FEEDBACK_FIELDS);
  if (!part) return plainComplaint(message, original);
  const report = readFeedbackReport(from(part.body, FEEDBACK_FIELDS));
  const recipients = asRecipients(report.addresses.length > 0 ? report.addresses : recipientsOfOriginal(original.fields), report.feedbackType); // prettier-ignore
  const kind = report.feedbackType === 'not-spam' ? 'not_spam' : report.complains ? 'complaint' : 'unknown';
  return { kind, standard: 'RFC 5965', recipients, because: `Feedback-Type: ${report.feedbackType || 'missing'}` };
}

function plainComplaint({ fields }: ParsedMessage, original: OriginalMessage): Reading | undefined {
  const subject = decodeWords(field(fields, 'subject'));
  if (!isPlainComplaint(subject) || original.fields.size === 0) return undefined;
  return { kind: 'complaint', standard: null, recipients: asRecipients(recipientsOfOriginal(original.fields), 'abuse'), because: `forwards a message, and the subject says “${subject.slice(0, 100)}”` }; // prettier-ignore
}

/** Whom a complaint is about; nothing was refused, so the class says success. */
function asRecipients(addresses: string[], text: string): Reading['recipients'] {
  return addresses.map((address) => ({ address, class: 'success', status: '', reply_code: '', text }));
}

/** A body from the first of these fields on. */
function from(body: string, fields: RegExp): string {
  return body.slice(Math.max(0, body.search(fields)));
}

function deliveryReading({ message, people, original }: Opened): Reading | undefined {
  const part = partOf(message, /^message\/(global-)?delivery-status$/, REPORT_FIELDS);
  if (!part) return undefined;
  const said = people.slice(0, copyBegins(people));
  const read = readDeliveryStatus(from(part.body, REPORT_FIELDS), said);
  const standard = part.type.includes('global') ? 'RFC 6533' : 'RFC 3464';
  if (read.length === 0) {
    const plain = readPlainReport(message, people, original);
    return plain ? reportReading(plain.recipients, standard, plain.because) : { kind: 'unknown', standard, recipients: [], because: 'a delivery report that names no recipient and no action' }; // prettier-ignore
  }
  return reportReading(withAddresses(read, original), standard);
}

/** A lone recipient whom the report does not name is whom the message was for. */
function withAddresses(read: ReportedRecipient[], original: OriginalMessage): ReportedRecipient[] {
  const [only] = read;
  const [address] = original.addresses;
  if (read.length !== 1 || only!.address.includes('@') || address === undefined) return read;
  return [{ ...only!, address }];
}

const WORST_FIRST: readonly (readonly ReportedRecipient['class'][])[] = [['hard'], ['soft', 'block'], ['delay'], ['success']]; // prettier-ignore

function reportReading(read: ReportedRecipient[], standard: string | null, because?: string): Reading {
  const worst = WORST_FIRST.map((classes) => read.find((one) => classes.includes(one.class))).find((one) => one !== undefined); // prettier-ignore
  const kind = worst === undefined ? 'bounce' : worst.class === 'delay' ? 'delay' : worst.class === 'success' ? 'success' : 'bounce'; // prettier-ignore
  const recipients = read.map((one) => ({ address: one.address, class: one.class, status: one.status, reply_code: one.reply_code, text: one.text })); // prettier-ignore
  return { kind, standard, recipients, because: because ?? worst?.because ?? '' };
}

function receiptReading({ message, people }: Opened): Reading | undefined {
  const part = partOf(message, /^message\/(global-)?disposition-notification$/, /^disposition[ \t]*:[^\n]{0,100}(displayed|deleted|dispatched|processed)/im); // prettier-ignore
  if (part) return { kind: 'read_receipt', standard: 'RFC 8098', recipients: [], because: 'holds a message/disposition-notification part' }; // prettier-ignore
  const subject = RECEIPT_SUBJECT.exec(decodeWords(field(message.fields, 'subject')))?.[0];
  const words = RECEIPT_TEXT.exec(people.slice(0, 1500))?.[0];
  if (subject === undefined || words === undefined) return undefined;
  return { kind: 'read_receipt', standard: null, recipients: [], because: `the subject begins “${subject}” and the text says “${words.replace(/\s+/g, ' ')}”` }; // prettier-ignore
}

const RECEIPT_SUBJECT =
  /^(read|read receipt|return receipt|not read|lu|gelesen|le[ií]do|letto|lida|gelezen|läst)( ?\(displayed\))? ?[:-]/i;
const RECEIPT_TEXT = /\b(was (read|displayed|opened|deleted without being read)|(has been|is a receipt for|return receipt)|wurde( am .{1,60})? gelesen|a [eé]t[eé] lu)\b/i; // prettier-ignore

function plainReading({ message, people, original, to }: Opened): Reading | undefined {
  if (ownAddressKind(to) === 'u') return undefined;
  const report = readPlainReport(message, people, original);
  return report && reportReading(report.recipients, null, report.because);
}

/** Mail that is no report: from programs on behalf of people, or from people. */
function letterReading({ message, to, people }: Opened): Reading {
  const { fields } = message;
  const read = (kind: ReturnKind, standard: string | null, because: string): Reading => ({ kind, standard, recipients: [], because }); // prettier-ignore
  // Providers send it on their readers' behalf, marked as automatic, and some without a subject or a word in it.
  if (ownAddressKind(to) === 'u') return read('unsubscribe_request', 'RFC 2369', "sent to the message's own unsubscribe address"); // prettier-ignore
  const automatic = findAutomaticReply(fields, people);
  const challenge = findChallenge(fields, people);
  if (challenge !== undefined) return read('challenge', null, challenge);
  if (automatic !== undefined) return read('auto_reply', 'RFC 3834', automatic);
  const stop = findStopSubject(fields);
  if (stop !== undefined) return read('unsubscribe_request', null, `the subject is “${stop}” and nothing else`);
  if (!answers(message, to)) return read('unknown', null, 'holds no report part and answers no message');
  const words = findStopWords(people);
  const reply = read('reply', 'RFC 5322', 'answers a message and no field says that a program wrote it');
  return words === undefined ? reply : { ...reply, because: `${reply.because}; it asks to stop: “${words}”`, asks_to_stop: words }; // prettier-ignore
}

/** Whether a person's letter answers one of ours. */
function answers({ fields }: ParsedMessage, to: string): boolean {
  if (addressesIn(field(fields, 'from')).length === 0) return false;
  if (fields.has('in-reply-to') || fields.has('references')) return true;
  return ownAddressKind(to) === 'b' && /^\W{0,3}(re|aw|sv|antw|rif|odp)\b ?(\[\d\])?:/i.test(decodeWords(field(fields, 'subject'))); // prettier-ignore
}
