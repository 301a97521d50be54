// RFC 3464: An Extensible Message Format for Delivery Status Notifications. Field names are the standard's own.
import type { BounceClass } from '../../shared/words.ts';
import { parseAddress } from '../address/normal-form.ts';
import { classifyBounce, replyCodeInText, statusInText } from './classify-bounce.ts';
import { MAX_RECIPIENTS, MAX_TEXT_CHARACTERS } from './limits.ts';
import { field, fieldBlocks, type Fields, type MimePart } from './mime-parts.ts';

/** What a report says of one recipient. */
export interface ReportedRecipient {
  address: string;
  class: BounceClass | 'delay' | 'success';
  status: string;
  reply_code: string;
  text: string;
  because: string;
}

/** Reads the machine-readable part of a delivery report: per-message fields, then one block of fields a recipient. */
export function readDeliveryStatus(part: MimePart): ReportedRecipient[] {
  const blocks = fieldBlocks(part.body);
  return blocks
    .filter((block) => block.has('final-recipient') || block.has('original-recipient') || block.has('action'))
    .slice(0, MAX_RECIPIENTS)
    .map(readRecipient);
}

function readRecipient(block: Fields): ReportedRecipient {
  const text = withoutType(field(block, 'diagnostic-code')).slice(0, MAX_TEXT_CHARACTERS);
  const reported = /^\s*([245]\.\d{1,3}\.\d{1,3})/.exec(field(block, 'status'))?.[1] ?? '';
  // A catch-all status over a precise one in the server's own reply: the reply is nearer to the fact.
  const inText = statusInText(text);
  const status = isCatchAll(reported) && inText !== '' ? inText : reported || inText;
  const replyCode = replyCodeInText(text);
  return {
    address: recipientAddress(block),
    status,
    reply_code: replyCode,
    text,
    ...decide(field(block, 'action'), { status, replyCode, text }),
  };
}

function decide(
  actionField: string,
  evidence: { status: string; replyCode: string; text: string },
): Pick<ReportedRecipient, 'class' | 'because'> {
  const action = actionField.split(/[\s;(]/)[0]!.toLowerCase();
  if (action === 'delayed') return { class: 'delay', because: 'Action: delayed (RFC 3464 2.3.3) is not a bounce' };
  if (['delivered', 'relayed', 'expanded'].includes(action))
    return { class: 'success', because: `Action: ${action} (RFC 3464 2.3.3)` };
  if (action === '' && evidence.status.startsWith('2'))
    return { class: 'success', because: `no Action; status ${evidence.status}` };
  return classifyBounce(evidence);
}

function recipientAddress(block: Fields): string {
  for (const name of ['original-recipient', 'final-recipient']) {
    const parsed = parseAddress(withoutType(field(block, name)));
    if (parsed.ok) return parsed.address;
  }
  return withoutType(field(block, 'final-recipient')).slice(0, 320);
}

/** `rfc822; ana@…` and `smtp; 550 …` without their type. */
function withoutType(value: string): string {
  return value.replace(/^\s*[A-Za-z0-9-]{1,40}\s*;\s*/, '').trim();
}

function isCatchAll(status: string): boolean {
  return ['5.0.0', '5.1.0', '5.5.0', '4.0.0'].includes(status);
}
