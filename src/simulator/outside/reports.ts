/** The messages that the outside world sends back: delivery reports, complaint reports, letters. */

export interface Original {
  envelopeFrom: string;
  to: string;
  headers: string;
}

/** A delivery report (RFC 3464) as a receiving server's postmaster writes it, with the returned header. */
export function deliveryReport(original: Original, status: string, reply: string): string {
  const domain = original.to.split('@')[1]!;
  const boundary = 'report-boundary-4711';
  return [
    `From: Mail Delivery System <postmaster@${domain}>`,
    `To: <${original.envelopeFrom}>`,
    'Subject: Undelivered mail returned to sender',
    `Message-ID: <report-${Date.now()}-${Math.floor(Math.random() * 1e9)}@${domain}>`,
    'Auto-Submitted: auto-replied',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=delivery-status; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain; charset=utf-8',
    '',
    `Your message to <${original.to}> could not be delivered: ${reply}`,
    '',
    `--${boundary}`,
    'Content-Type: message/delivery-status',
    '',
    `Reporting-MTA: dns; mx.${domain}`,
    '',
    `Final-Recipient: rfc822; ${original.to}`,
    'Action: failed',
    `Status: ${status}`,
    `Diagnostic-Code: smtp; ${reply}`,
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    original.headers.trim(),
    '',
    `--${boundary}--`,
    '',
  ].join('\r\n');
}

/** A complaint report (RFC 5965) as a provider's abuse desk writes it. */
export function complaintReport(original: Original): string {
  const domain = original.to.split('@')[1]!;
  const boundary = 'feedback-boundary-4711';
  return [
    `From: <feedback@${domain}>`,
    `To: <${original.envelopeFrom}>`,
    'Subject: complaint about a message',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=feedback-report; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    'Content-Type: text/plain',
    '',
    'A reader pressed the junk button.',
    '',
    `--${boundary}`,
    'Content-Type: message/feedback-report',
    '',
    'Feedback-Type: abuse',
    'User-Agent: Simulator/1.0',
    'Version: 1',
    `Original-Mail-From: <${original.envelopeFrom}>`,
    `Original-Rcpt-To: <${original.to}>`,
    '',
    `--${boundary}`,
    'Content-Type: text/rfc822-headers',
    '',
    original.headers.trim(),
    '',
    `--${boundary}--`,
    '',
  ].join('\r\n');
}

/** A letter to the unsubscribe address of a message. */
export function unsubscribeLetter(from: string, to: string): string {
  return [
    `From: <${from}>`,
    `To: <${to}>`,
    'Subject: unsubscribe',
    'MIME-Version: 1.0',
    'Content-Type: text/plain',
    '',
    'Please take me off.',
    '',
  ].join('\r\n');
}
