/** The messages that the outside world sends back: delivery reports, complaint reports, letters. */

export interface Original {
  envelopeFrom: string;
  to: string;
  headers: string;
}

/** A report of three parts (RFC 6522): to people, to machines, and the header of the message that came back. */
function report(type: string, head: string[], toPeople: string[], toMachines: string[], original: Original): string {
  const boundary = 'report-boundary-4711';
  return [
    ...head,
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=${type}; boundary="${boundary}"`,
    '',
    `--${boundary}`,
    ...toPeople,
    '',
    `--${boundary}`,
    `Content-Type: message/${type}`,
    '',
    ...toMachines,
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

/** A delivery report (RFC 3464) as a receiving server's postmaster writes it, with the returned header. */
export function deliveryReport(original: Original, status: string, reply: string): string {
  const domain = original.to.split('@')[1]!;
  return report(
    'delivery-status',
    [
      `From: Mail Delivery System <postmaster@${domain}>`,
      `To: <${original.envelopeFrom}>`,
      'Subject: Undelivered mail returned to sender',
      `Message-ID: <report-${Date.now()}-${Math.floor(Math.random() * 1e9)}@${domain}>`,
      'Auto-Submitted: auto-replied',
    ],
    [
      'Content-Type: text/plain; charset=utf-8',
      '',
      `Your message to <${original.to}> could not be delivered: ${reply}`,
    ],
    [
      `Reporting-MTA: dns; mx.${domain}`,
      '',
      `Final-Recipient: rfc822; ${original.to}`,
      'Action: failed',
      `Status: ${status}`,
      `Diagnostic-Code: smtp; ${reply}`,
    ],
    original,
  );
}

/** A complaint report (RFC 5965) as a provider's abuse desk writes it. */
export function complaintReport(original: Original): string {
  const domain = original.to.split('@')[1]!;
  return report(
    'feedback-report',
    [`From: <feedback@${domain}>`, `To: <${original.envelopeFrom}>`, 'Subject: complaint about a message'],
    ['Content-Type: text/plain', '', 'A reader pressed the junk button.'],
    [
      'Feedback-Type: abuse',
      'User-Agent: Simulator/1.0',
      'Version: 1',
      `Original-Mail-From: <${original.envelopeFrom}>`,
      `Original-Rcpt-To: <${original.to}>`,
    ],
    original,
  );
}

/** A letter to the unsubscribe address of a message. */
export function unsubscribeLetter(from: string, to: string): string {
  return letter(from, to, 'unsubscribe', 'Please take me off.');
}

/** What a person writes by hand. */
export function letter(
  from: string,
  to: string,
  subject: string,
  text: string,
  more: Readonly<Record<string, string>> = {},
): string {
  return [
    `From: <${from}>`,
    `To: <${to}>`,
    `Subject: ${subject}`,
    ...Object.entries(more).map(([name, value]) => `${name}: ${value}`),
    'MIME-Version: 1.0',
    'Content-Type: text/plain',
    '',
    text,
    '',
  ].join('\r\n');
}
