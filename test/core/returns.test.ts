import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { classifyBounce } from '../../src/core/returns/classify-bounce.ts';
import { readReturn } from '../../src/core/returns/read-return.ts';
import { complaintReport, deliveryReport } from '../../src/simulator/outside/reports.ts';

const TOKEN = 'a'.repeat(39);
const original = {
  envelopeFrom: `b.${TOKEN}@returns.larkfield.example`,
  to: 'ada@quillmail.example',
  headers: `From: digest@larkfield.example\r\nTo: ada@quillmail.example\r\nMessage-ID: <${TOKEN}@larkfield.example>`,
};

describe('class of a bounce', () => {
  test.each([
    ['5.1.1', '550', 'no such user', 'hard'],
    ['5.1.2', '', '', 'hard'],
    ['5.1.10', '', '', 'hard'],
    ['5.2.1', '', 'mailbox disabled', 'hard'],
    ['5.4.4', '', '', 'hard'],
    ['5.2.2', '552', 'over quota', 'soft'],
    ['4.7.1', '451', 'greylisted', 'soft'],
    ['5.2.3', '', '', 'soft'],
    ['5.3.4', '', '', 'soft'],
    ['5.4.1', '', 'no answer', 'soft'],
    ['5.7.1', '550', 'user unknown', 'block'],
    ['5.1.8', '', '', 'block'],
    ['5.6.0', '', '', 'block'],
    ['5.1.1', '550', 'blocked by policy', 'block'],
    ['5.0.0', '550', 'User unknown in virtual table', 'hard'],
    ['5.0.0', '550', 'mailbox is full', 'soft'],
    ['5.5.0', '550', 'message rejected as spam', 'block'],
    ['', '550', 'requested action not taken', 'soft'],
    ['', '550', 'no such recipient here', 'hard'],
    ['', '421', 'no such user', 'soft'],
    ['', '', '', 'soft'],
  ])('%s %s %s is %s', (status, replyCode, text, bounceClass) => {
    const decision = classifyBounce({ status, replyCode, text });
    expect(decision.class).toBe(bounceClass);
    expect(decision.because).not.toBe('');
  });
});

describe('reading returns', () => {
  test('a delivery report: recipient, status, reply, original message and token', () => {
    const read = readReturn(deliveryReport(original, '5.1.1', '550 5.1.1 no such user here'));
    expect(read).toMatchObject({
      kind: 'bounce',
      standard: 'RFC 3464',
      message_id: `${TOKEN}@larkfield.example`,
      token: TOKEN,
    });
    expect(read.recipients).toEqual([
      {
        address: 'ada@quillmail.example',
        class: 'hard',
        status: '5.1.1',
        reply_code: '550',
        text: '550 5.1.1 no such user here',
      },
    ]);
  });

  test('several recipients, folded fields, a delay beside a failure, a catch-all status over a precise reply', () => {
    const report = deliveryReport(original, '5.0.0', '552 5.2.2 mailbox\r\n full').replace(
      'Action: failed',
      'Action: failed\r\nRemote-MTA: dns; mx\r\n .quillmail.example',
    );
    const two = report.replace(
      '\r\n\r\n--report-boundary-4711\r\nContent-Type: text/rfc822',
      '\r\n\r\nFinal-Recipient: rfc822; bo@quillmail.example\r\nAction: delayed\r\nStatus: 4.4.1\r\n\r\n--report-boundary-4711\r\nContent-Type: text/rfc822',
    );
    expect(readReturn(two).recipients.map(({ address, class: c, status }) => [address, c, status])).toEqual([
      ['ada@quillmail.example', 'soft', '5.2.2'],
      ['bo@quillmail.example', 'delay', '4.4.1'],
    ]);
  });

  test('delays, successes and relays are no bounces', () => {
    for (const [action, kind] of [['delayed', 'delay'], ['delivered', 'success'], ['relayed', 'success'], ['expanded', 'success']]) {
      expect(readReturn(deliveryReport(original, '2.0.0', '250 ok').replace('Action: failed', `Action: ${action}`)).kind).toBe(kind);
    }
  }); // prettier-ignore

  test('a complaint report, an encoded one, and the opposite of one', () => {
    const report = complaintReport(original);
    expect(readReturn(report)).toMatchObject({
      kind: 'complaint',
      standard: 'RFC 5965',
      token: TOKEN,
      recipients: [{ address: 'ada@quillmail.example' }],
    });
    expect(readReturn(report.replace('Feedback-Type: abuse', 'Feedback-Type: not-spam')).kind).toBe('not_spam');
    const part = /(Feedback-Type: abuse[\s\S]*?)\r\n\r\n--/.exec(report)![1]!;
    const encoded = report
      .replace(
        'Content-Type: message/feedback-report\r\n\r\n',
        'Content-Type: message/feedback-report\r\nContent-Transfer-Encoding: base64\r\n\r\n',
      )
      .replace(part, Buffer.from(part).toString('base64'));
    expect(readReturn(encoded).kind).toBe('complaint');
  });

  test('automatic replies, receipts and challenges are never bounces', () => {
    const letter = (fields: string): string =>
      `From: ada@quillmail.example\r\nTo: b.${TOKEN}@returns.larkfield.example\r\n${fields}\r\n\r\nuser unknown, mailbox full`;
    expect(readReturn(letter('Auto-Submitted: auto-replied'))).toMatchObject({
      kind: 'auto_reply',
      recipients: [],
      token: TOKEN,
    });
    expect(readReturn(letter('Subject: Out of office: back on Monday')).kind).toBe('auto_reply');
    expect(readReturn(letter('Subject: Please verify your address')).kind).toBe('challenge');
    expect(readReturn(letter('In-Reply-To: <x@y>')).kind).toBe('reply');
    expect(readReturn(letter('Subject: hello')).kind).toBe('unknown');
  });

  test('a letter to the unsubscribe address asks to leave; an automatic one does not', () => {
    const letter = `From: ada@quillmail.example\r\nSubject: unsubscribe\r\n\r\n`;
    expect(readReturn(letter, `u.${TOKEN}@returns.larkfield.example`)).toMatchObject({
      kind: 'unsubscribe_request',
      token: TOKEN,
    });
    expect(readReturn(`Auto-Submitted: auto-replied\r\n${letter}`, `u.${TOKEN}@returns.larkfield.example`).kind).toBe(
      'auto_reply',
    );
  });

  test('any bytes give an answer: random, cut off anywhere, or with parts nested without end', () => {
    fc.assert(fc.property(fc.uint8Array({ maxLength: 3000 }), (bytes) => { expect(readReturn(bytes).because).not.toBe(''); })); // prettier-ignore
    const report = deliveryReport(original, '5.1.1', '550 5.1.1 no such user here');
    for (let end = 0; end < report.length; end += 17)
      expect(typeof readReturn(report.slice(0, end)).kind).toBe('string');
    const nested = `Content-Type: multipart/mixed; boundary=x\n\n${'--x\nContent-Type: multipart/mixed; boundary=x\n\n'.repeat(5000)}`;
    expect(readReturn(nested).kind).toBe('unknown');
  });
});
