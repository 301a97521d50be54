import type { ReturnKind } from '../../shared/words.ts';
import { findAutomaticReply, findChallenge, findStopSubject, findStopWords } from './automatic-reply.ts';
import { isPlainComplaint, readFeedbackReport, recipientsOfOriginal } from './complaint-report.ts';
import { decodeWords } from './decode-text.ts';
import { readDeliveryStatus } from './delivery-report.ts';
import { MAX_BODY_CHARACTERS } from './limits.ts';
import { field, parseMessage, type ParsedMessage } from './mime-parts.ts';
import {
  addressesOf,
  copyBegins,
  findOriginal,
  ownAddressKind,
  ownAddressToken,
  type OriginalMessage,
} from './original-message.ts';
import { readPeoplePart } from './people-part.ts';
import { isForwarded, readPlainReport } from './plain-report.ts';
import type { ReportedRecipient } from './weigh-recipient.ts';
import { withoutMarkup } from './without-markup.ts';

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
  /** The token stands in a Message-ID alone, which everybody knows who got the message, or it was passed on to. */
  by_message_id?: true;
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
  subject: string;
}

/** How a message is read for each address it came to, and whom it is from. */
export interface ReadReturns {
  /** In the order of the addresses. */
  readings: ReadReturn[];
  /** Whom it says it is from, in normal form; anybody can write that. Nothing when it names nobody, or several. */
  sender?: string;
}

/**
 * Reads a returned message: what kind it is, of whom it speaks, and which message of ours it answers.
 * `envelopeTo` is the address that it was sent to, where the intake knows it. Never throws, whatever the bytes.
 */
export function readReturn(raw: Uint8Array | string, envelopeTo = ''): ReadReturn {
  return readReturns(raw, [envelopeTo]).readings[0]!;
}

/** The same for all addresses that one message came to: it is taken apart once. */
export function readReturns(raw: Uint8Array | string, envelopeTos: readonly string[]): ReadReturns {
  const message = parseMessage(raw);
  const said = sentTo(message);
  const original = findOriginal(message);
  const opened = {
    message,
    original,
    people: peoplePart(message),
    subject: decodeWords(field(message.fields, 'subject')),
  };
  const senders = addressesOf(field(message.fields, 'from'));
  const ofKind = new Map<string | undefined, Reading>();
  const readings = envelopeTos.map((envelopeTo) => {
    const to = envelopeTo || said;
    const kind = ownAddressKind(to);
    const reading = ofKind.get(kind) ?? readKind({ ...opened, to });
    ofKind.set(kind, reading);
    const own = ownAddressToken(to) ?? original.token;
    const token = own ?? original.idToken;
    return storable({
      ...reading,
      message_id: original.messageId,
      token,
      ...(own === null && token !== null && { by_message_id: true }),
    });
  });
  return { readings, ...(senders.length === 1 && { sender: senders[0] }) };
}

/** What is kept of a message that the reader could not read within its bounds. */
export function unreadable(because: string): ReadReturn {
  return { kind: 'unreadable', standard: null, recipients: [], message_id: null, token: null, because };
}

/**
 * A reading whose texts can be kept and sent on: without NUL, and without the half of a character that a limit cut in
 * two or a report made up. Neither can stand in PostgreSQL's text or JSON.
 */
function storable(reading: ReadReturn): ReadReturn {
  const clean = (text: string): string => text.replaceAll('\u0000', '').replace(/\p{Surrogate}/gu, '\ufffd');
  const cleaned = (value: unknown): unknown => {
    if (typeof value === 'string') return clean(value);
    if (Array.isArray(value)) return value.map(cleaned);
    return typeof value === 'object' && value !== null
      ? Object.fromEntries(Object.entries(value).map(([key, one]) => [key, cleaned(one)]))
      : value;
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

type Reading = Pick<ReadReturn, 'kind' | 'standard' | 'recipients' | 'because' | 'asks_to_stop'>;

function readKind(opened: Opened): Reading {
  return (
    complaintReading(opened) ??
    deliveryReading(opened) ??
    receiptReading(opened) ??
    plainReading(opened) ??
    letterReading(opened)
  );
}

/** A part for machines, from its first field on: by its type, or by its fields where the type is missing or wrong. */
function machinePart(
  { parts }: ParsedMessage,
  types: RegExp,
  fieldsAt: (body: string) => number,
): { type: string; body: string } | undefined {
  const typed = parts.find(({ type }) => types.test(type));
  if (typed) return { type: typed.type, body: typed.body.slice(Math.max(0, fieldsAt(typed.body))) };
  for (const { type, body } of parts) {
    const at = UNTYPED.test(type) ? fieldsAt(body.slice(0, MAX_BODY_CHARACTERS)) : -1;
    if (at >= 0) return { type, body: body.slice(at) };
  }
  return undefined;
}

const UNTYPED = /^(text\/plain|application\/octet-stream|message\/unknown)$/;
const REPORT_FIELD =
  /^(?:(reporting-mta|original-recipient)|(final-recipient)|action|status|diagnostic-code)[ \t]{0,20}:/gim;
/** A field that begins a report has one that says what happened so close behind it. */
const REPORT_REACH = 6000;

/**
 * Where the fields of a delivery report begin, or -1: one that names the server or a recipient, and one that says what
 * happened.
 */
function reportAt(body: string): number {
  const begun: number[] = [];
  let oldest = 0;
  for (const found of body.matchAll(REPORT_FIELD)) {
    while (oldest < begun.length && found.index - begun[oldest]! > REPORT_REACH) oldest++;
    if (found[1] === undefined && oldest < begun.length) return begun[oldest]!;
    if (found[1] !== undefined || found[2] !== undefined) begun.push(found.index);
  }
  return -1;
}

function feedbackAt(body: string): number {
  return body.search(/^feedback-type[ \t]{0,20}:/im);
}

function dispositionAt(body: string): number {
  return body.search(/^disposition[ \t]{0,20}:[^\n]{0,100}(displayed|deleted|dispatched|processed)/im);
}

function isFields(body: string): boolean {
  return /^\s*(reporting-mta|final-recipient|original-recipient|feedback-type)[ \t]{0,20}:/i.test(body.slice(0, 1000));
}

function complaintReading({ message, original, subject }: Opened): Reading | undefined {
  const part = machinePart(message, /^message\/feedback-report$/, feedbackAt);
  if (!part || isForwarded(message.fields)) return plainComplaint(subject, original);
  const { kind, feedbackType, addresses } = readFeedbackReport(part.body);
  const recipients = asRecipients(
    addresses.length > 0 ? addresses : recipientsOfOriginal(original.fields),
    feedbackType,
  );
  return { kind, standard: 'RFC 5965', recipients, because: `Feedback-Type: ${feedbackType || 'missing'}` };
}

function plainComplaint(subject: string, original: OriginalMessage): Reading | undefined {
  if (!isPlainComplaint(subject) || original.fields.size === 0) return undefined;
  return {
    kind: 'complaint',
    standard: null,
    recipients: asRecipients(recipientsOfOriginal(original.fields), 'abuse'),
    because: `forwards a message, and the subject says “${subject.slice(0, 100)}”`,
  };
}

/** Whom a complaint is about; nothing was refused, so the class says success. */
function asRecipients(addresses: string[], text: string): Reading['recipients'] {
  return addresses.map((address) => ({ address, class: 'success', status: '', reply_code: '', text }));
}

function deliveryReading({ message, people, original }: Opened): Reading | undefined {
  const part = machinePart(message, /^message\/(global-)?delivery-status$/, reportAt);
  if (!part || isForwarded(message.fields, people)) return undefined;
  const said = readPeoplePart(people.slice(0, copyBegins(people)));
  const read = readDeliveryStatus(part.body, said);
  const standard = part.type.includes('global') ? 'RFC 6533' : 'RFC 3464';
  if (read.length === 0) {
    const plain = readPlainReport(message, people, original);
    return plain
      ? reportReading(plain.recipients, standard, plain.because)
      : {
          kind: 'unknown',
          standard,
          recipients: [],
          because: 'a delivery report that names no recipient and no action',
        };
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

const WORST_FIRST: readonly (readonly ReportedRecipient['class'][])[] = [
  ['hard'],
  ['soft', 'block'],
  ['delay'],
  ['success'],
];

function reportReading(read: ReportedRecipient[], standard: string | null, because?: string): Reading {
  const worst = WORST_FIRST.map((classes) => read.find((one) => classes.includes(one.class))).find(
    (one) => one !== undefined,
  );
  const kind =
    worst === undefined
      ? 'bounce'
      : worst.class === 'delay'
        ? 'delay'
        : worst.class === 'success'
          ? 'success'
          : 'bounce';
  const recipients = read.map((one) => ({
    address: one.address,
    class: one.class,
    status: one.status,
    reply_code: one.reply_code,
    text: one.text,
  }));
  return { kind, standard, recipients, because: because ?? worst?.because ?? '' };
}

function receiptReading({ message, people, subject }: Opened): Reading | undefined {
  const part = machinePart(message, /^message\/(global-)?disposition-notification$/, dispositionAt);
  if (part)
    return {
      kind: 'read_receipt',
      standard: 'RFC 8098',
      recipients: [],
      because: 'holds a message/disposition-notification part',
    };
  const begins = RECEIPT_SUBJECT.exec(subject)?.[0];
  const words = RECEIPT_TEXT.exec(people.slice(0, 1500))?.[0];
  if (begins === undefined || words === undefined) return undefined;
  return {
    kind: 'read_receipt',
    standard: null,
    recipients: [],
    because: `the subject begins “${begins}” and the text says “${words.replace(/\s+/g, ' ')}”`,
  };
}

const RECEIPT_SUBJECT =
  /^(read|read receipt|return receipt|not read|lu|gelesen|le[ií]do|letto|lida|gelezen|läst)( ?\(displayed\))? ?[:-]/i;
const RECEIPT_TEXT =
  /\b(was (read|displayed|opened|deleted without being read)|(has been|is a receipt for|return receipt)|wurde( am .{1,60})? gelesen|a [eé]t[eé] lu)\b/i;

function plainReading({ message, people, original, to }: Opened): Reading | undefined {
  if (ownAddressKind(to) === 'u') return undefined;
  const report = readPlainReport(message, people, original);
  return report && reportReading(report.recipients, null, report.because);
}

/** Mail that is no report: from programs on behalf of people, or from people. */
function letterReading({ message, to, people }: Opened): Reading {
  const { fields } = message;
  const read = (kind: ReturnKind, standard: string | null, because: string): Reading => ({
    kind,
    standard,
    recipients: [],
    because,
  });
  // Providers send it on their readers' behalf, marked as automatic, and some without a subject or a word in it.
  if (ownAddressKind(to) === 'u')
    return read('unsubscribe_request', 'RFC 2369', "sent to the message's own unsubscribe address");
  const automatic = findAutomaticReply(fields, people);
  const challenge = findChallenge(fields, people);
  if (challenge !== undefined) return read('challenge', null, challenge);
  if (automatic !== undefined) return read('auto_reply', 'RFC 3834', automatic);
  const stop = findStopSubject(fields);
  if (stop !== undefined) return read('unsubscribe_request', null, `the subject is “${stop}” and nothing else`);
  if (!answers(message, to)) return read('unknown', null, 'holds no report part and answers no message');
  const words = findStopWords(people);
  const reply = read('reply', 'RFC 5322', 'answers a message and no field says that a program wrote it');
  return words === undefined
    ? reply
    : { ...reply, because: `${reply.because}; it asks to stop: “${words}”`, asks_to_stop: words };
}

/** Whether a person's letter answers one of ours. */
function answers({ fields }: ParsedMessage, to: string): boolean {
  if (addressesOf(field(fields, 'from')).length === 0) return false;
  if (fields.has('in-reply-to') || fields.has('references')) return true;
  return (
    ownAddressKind(to) === 'b' &&
    /^\W{0,3}(re|aw|sv|antw|rif|odp)\b ?(\[\d\])?:/i.test(decodeWords(field(fields, 'subject')))
  );
}
