// RFC 5965: An Extensible Format for Email Feedback Reports; further types from RFC 6430.
import { parseAddress } from '../address/normal-form.ts';
import { MAX_RECIPIENTS } from './limits.ts';
import { field, parseFields, type MimePart } from './mime-parts.ts';

export interface ComplaintReport {
  feedbackType: string;
  /** `not-spam` says the opposite of a complaint; types beyond the registered ones are kept as complaints of `other`. */
  complains: boolean;
  addresses: string[];
}

/** Feedback types that are a person's wish to get no more of this (RFC 5965 7.3, opt-out by RFC 6430). */
const COMPLAINING = new Set(['abuse', 'fraud', 'opt-out', 'opt-out-list', 'other', 'virus']);

/** Reads the `message/feedback-report` part. Redacted or missing recipients give an empty list. */
export function readFeedbackReport(part: MimePart): ComplaintReport {
  const fields = parseFields(part.body.replace(/\n[ \t]*\n/g, '\n'));
  const feedbackType = field(fields, 'feedback-type').toLowerCase().split(/[\s;]/)[0]!;
  const named = [...(fields.get('original-rcpt-to') ?? []), ...(fields.get('removal-recipient') ?? [])];
  const addresses = named.slice(0, MAX_RECIPIENTS).flatMap((value) => {
    const parsed = parseAddress(value);
    return parsed.ok ? [parsed.address] : [];
  });
  return { feedbackType, complains: COMPLAINING.has(feedbackType), addresses: [...new Set(addresses)] };
}
