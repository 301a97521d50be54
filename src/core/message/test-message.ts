import { escapeHtml } from './merge-fields.ts';
import type { WrittenMessage } from './compile-message.ts';

/** Who a test message comes from. */
export interface TestSender {
  name: string;
  fromAddress: string;
  returnDomain: string;
  /** IANA time zone. */
  zone: string;
}

/**
 * A message that only tries the way: no link, no pixel, and a return path that stands for nobody. Its receiver is told
 * what to look for (RFC 8601: what the receiving server found out about SPF, DKIM and DMARC).
 */
export function writeTestMessage(
  sender: TestSender,
  { to, by, at, number }: { to: string; by: string; at: Date; number: string },
): WrittenMessage {
  const when = at.toLocaleString('en-GB', { timeZone: sender.zone, dateStyle: 'long', timeStyle: 'short' });
  const paragraphs = [
    `This is a test message from ${sender.name}. ${by} had it sent on ${when}.`,
    'It belongs to no campaign, and nothing that you do with it is counted. That it has reached you says that the relay passes on what it is given.',
    'Look into its source, too: a line that begins with Authentication-Results should say spf=pass, dkim=pass and dmarc=pass. Where one of them is missing, look at the names in the DNS.',
  ];
  return {
    envelopeFrom: `test@${sender.returnDomain}`,
    to,
    from: { name: sender.name, address: sender.fromAddress },
    subject: `Test message from ${sender.name}`,
    html: paragraphs.map((one) => `<p>${escapeHtml(one)}</p>`).join(''),
    text: `${paragraphs.join('\n\n')}\n`,
    messageId: `<test.${number}@${sender.fromAddress.split('@')[1]}>`,
    // RFC 3834 section 5: no robot shall answer it.
    headers: { 'Auto-Submitted': 'auto-generated' },
  };
}
