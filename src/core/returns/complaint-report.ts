// RFC 5965: An Extensible Format for Email Feedback Reports; further types from RFC 6430 and RFC 6591.
import { MAX_HEADER_CHARACTERS, MAX_RECIPIENTS } from './limits.ts';
import { field, parseFields, type Fields } from './mime-parts.ts';
import { addressesOf, MOST_VALUES } from './original-message.ts';

export interface ComplaintReport {
  feedbackType: string;
  /** `not-spam` says the opposite of a complaint; a report on authentication (RFC 6591) is no person's act. */
  kind: 'complaint' | 'not_spam' | 'unsubscribe_request' | 'unknown';
  addresses: string[];
}

/**
 * Feedback types by which somebody complains of a message (RFC 5965 7.3); by an opt-out they only want no more (RFC
 * 6430).
 */
const KINDS: Readonly<Record<string, ComplaintReport['kind']>> = {
  abuse: 'complaint',
  fraud: 'complaint',
  virus: 'complaint',
  spam: 'complaint',
  other: 'complaint',
  'opt-out': 'unsubscribe_request',
  'opt-out-list': 'unsubscribe_request',
  'not-spam': 'not_spam',
};

/** Reads the `message/feedback-report` part. Redacted or missing recipients give an empty list. */
export function readFeedbackReport(body: string): ComplaintReport {
  const fields = parseFields(body.slice(0, MAX_HEADER_CHARACTERS));
  const feedbackType = field(fields, 'feedback-type').slice(0, 100).toLowerCase().split(/[\s;]/)[0]!;
  const named = [...(fields.get('original-rcpt-to') ?? []), ...(fields.get('removal-recipient') ?? [])];
  const addresses = named.slice(0, MAX_RECIPIENTS).flatMap((value) => addressesOf(value));
  const kind = Object.hasOwn(KINDS, feedbackType) ? KINDS[feedbackType]! : 'unknown';
  return { feedbackType, kind, addresses: [...new Set(addresses)] };
}

const RECIPIENT_FIELDS = [
  'x-hmxmroriginalrecipient',
  'x-original-recipient',
  'x-rcpt-to',
  'delivered-to',
  'x-delivered-to',
  'x-original-to',
  'to',
];

/** Whom a returned message was for, where a report names nobody: the field that says it most exactly. */
export function recipientsOfOriginal(fields: Fields): string[] {
  for (const name of RECIPIENT_FIELDS) {
    const found = (fields.get(name) ?? []).slice(0, MOST_VALUES).flatMap((value) => addressesOf(value));
    if (found.length > 0) return [...new Set(found)];
  }
  return [];
}

/** Reports from before the standard: a message forwarded whole, and a subject that calls it a complaint. */
export function isPlainComplaint(subject: string): boolean {
  return /^\W{0,4}(e-?mail )?(feedback report|complaint (about|from|regarding|report|notification)|(spam|abuse) (complaint|report|notification)|report(ed)? as (spam|junk|abuse))/i.test(
    subject,
  );
}
