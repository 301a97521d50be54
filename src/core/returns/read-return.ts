import type { ReturnKind } from '../../shared/words.ts';
import { parseAddress } from '../address/normal-form.ts';
import { findAutomaticReply, findChallenge } from './automatic-reply.ts';
import { readFeedbackReport } from './complaint-report.ts';
import { readDeliveryStatus, type ReportedRecipient } from './delivery-report.ts';
import { field, parseFields, parseMessage, type Fields, type MimePart, type ParsedMessage } from './mime-parts.ts';

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
}

const TOKEN = '[a-z2-7]{39}';
const TOKEN_RECIPIENT = new RegExp(`^([bu])\\.(${TOKEN})@`, 'i');
const TOKEN_MESSAGE_ID = new RegExp(`^<?(${TOKEN})@`, 'i');

/**
 * Reads a returned message: what kind it is, of whom it speaks, and which message of ours it answers.
 * `envelopeTo` is the address that it was sent to, where the intake knows it. Never throws, whatever the bytes.
 */
export function readReturn(raw: Uint8Array | string, envelopeTo = ''): ReadReturn {
  const message = parseMessage(raw);
  const to =
    envelopeTo ||
    field(message.fields, 'delivered-to') ||
    field(message.fields, 'x-original-to') ||
    addressIn(field(message.fields, 'to'));
  const found = { message_id: findMessageId(message), token: findToken(message, to) };
  return { ...readKind(message, to), ...found };
}

type Reading = Pick<ReadReturn, 'kind' | 'standard' | 'recipients' | 'because'>;

function readKind(message: ParsedMessage, to: string): Reading {
  const feedback = message.parts.find((part) => part.type === 'message/feedback-report');
  if (feedback) return complaintReading(feedback, message);
  const status = message.parts.find(
    (part) => part.type === 'message/delivery-status' || part.type === 'message/global-delivery-status',
  );
  if (status) return deliveryReading(status);
  const disposition = message.parts.find((part) => part.type === 'message/disposition-notification');
  if (disposition)
    return {
      kind: 'read_receipt',
      standard: 'RFC 8098',
      recipients: [],
      because: 'holds a message/disposition-notification part',
    };
  if (TOKEN_RECIPIENT.exec(to)?.[1]?.toLowerCase() === 'u') return unsubscribeReading(message);
  return letterReading(message);
}

function complaintReading(part: MimePart, message: ParsedMessage): Reading {
  const report = readFeedbackReport(part);
  const addresses = report.addresses.length > 0 ? report.addresses : addressesOfOriginal(message);
  const recipients = addresses.map((address) => ({
    address,
    class: 'success' as const,
    status: '',
    reply_code: '',
    text: report.feedbackType,
  }));
  const kind = report.feedbackType === 'not-spam' ? 'not_spam' : report.complains ? 'complaint' : 'unknown';
  return { kind, standard: 'RFC 5965', recipients, because: `Feedback-Type: ${report.feedbackType || 'missing'}` };
}

function deliveryReading(part: MimePart): Reading {
  const read = readDeliveryStatus(part);
  const worst =
    read.find(({ class: c }) => c === 'hard' || c === 'soft' || c === 'block') ??
    read.find(({ class: c }) => c === 'delay') ??
    read[0];
  const standard = part.type.includes('global') ? 'RFC 6533' : 'RFC 3464';
  if (!worst)
    return {
      kind: 'unknown',
      standard,
      recipients: [],
      because: 'a delivery report that names no recipient and no action',
    };
  const kind = worst.class === 'delay' ? 'delay' : worst.class === 'success' ? 'success' : 'bounce';
  return { kind, standard, recipients: read.map(({ because: _, ...recipient }) => recipient), because: worst.because };
}

function unsubscribeReading(message: ParsedMessage): Reading {
  const automatic = findAutomaticReply(message.fields);
  if (automatic) return { kind: 'auto_reply', standard: 'RFC 3834', recipients: [], because: automatic };
  return {
    kind: 'unsubscribe_request',
    standard: 'RFC 2369',
    recipients: [],
    because: "sent to the message's own unsubscribe address",
  };
}

function letterReading({ fields }: ParsedMessage): Reading {
  const challenge = findChallenge(fields);
  if (challenge) return { kind: 'challenge', standard: null, recipients: [], because: challenge };
  const automatic = findAutomaticReply(fields);
  if (automatic) return { kind: 'auto_reply', standard: 'RFC 3834', recipients: [], because: automatic };
  if (fields.has('in-reply-to') && fields.has('from'))
    return {
      kind: 'reply',
      standard: 'RFC 5322',
      recipients: [],
      because: 'answers a message and no field says that a program wrote it',
    };
  return { kind: 'unknown', standard: null, recipients: [], because: 'holds no report part and answers no message' };
}

/** The header of the returned message, from a whole or a headers-only part, or from what stands after the report. */
function originalFields(message: ParsedMessage): Fields {
  const part = message.parts.find(({ type }) =>
    [
      'message/rfc822',
      'text/rfc822-headers',
      'message/rfc822-headers',
      'message/global',
      'message/global-headers',
    ].includes(type),
  );
  return part ? parseFields(part.body.split(/\n[ \t]*\n/)[0] ?? '') : new Map<string, string[]>();
}

function findMessageId(message: ParsedMessage): string | null {
  const original = field(originalFields(message), 'message-id') || field(message.fields, 'in-reply-to');
  return /<([^<>\s]{1,998})>/.exec(original)?.[1] ?? null;
}

function findToken(message: ParsedMessage, to: string): string | null {
  const direct = TOKEN_RECIPIENT.exec(addressIn(to))?.[2];
  const byId = TOKEN_MESSAGE_ID.exec(findMessageId(message) ?? '')?.[1];
  return (direct ?? byId)?.toLowerCase() ?? null;
}

function addressesOfOriginal(message: ParsedMessage): string[] {
  const parsed = parseAddress(addressIn(field(originalFields(message), 'to')));
  return parsed.ok ? [parsed.address] : [];
}

function addressIn(value: string): string {
  return /<([^<>]{1,320})>/.exec(value)?.[1] ?? value.trim().split(/[\s,;]/)[0] ?? '';
}
