import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { classifyBounce, replyCodeInText, statusInText } from '../../src/core/returns/classify-bounce.ts';
import { readReturn } from '../../src/core/returns/read-return.ts';
import { complaintReport, deliveryReport } from '../../src/simulator/reports.ts';

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
    for (const [action, kind] of [
      ['delayed', 'delay'],
      ['delivered', 'success'],
      ['relayed', 'success'],
      ['expanded', 'success'],
    ]) {
      expect(
        readReturn(deliveryReport(original, '2.0.0', '250 ok').replace('Action: failed', `Action: ${action}`)).kind,
      ).toBe(kind);
    }
  });

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

  test('whatever comes to the unsubscribe address asks to leave: with words or none, from a person or a provider’s program', () => {
    const letter = `From: ada@quillmail.example\r\nSubject: unsubscribe\r\n\r\n`;
    expect(readReturn(letter, `u.${TOKEN}@returns.larkfield.example`)).toMatchObject({
      kind: 'unsubscribe_request',
      token: TOKEN,
    });
    const asks = { kind: 'unsubscribe_request', token: TOKEN };
    expect(
      readReturn(`Auto-Submitted: auto-generated\r\n${letter}`, `u.${TOKEN}@returns.larkfield.example`),
    ).toMatchObject(asks);
    expect(readReturn(`From: ada@quillmail.example\r\nTo: u.${TOKEN}@returns.larkfield.example\r\n\r\n`)).toMatchObject(
      asks,
    );
    expect(readReturn(`Auto-Submitted: auto-replied\r\n${letter}`, `b.${TOKEN}@returns.larkfield.example`).kind).toBe(
      'auto_reply',
    );
  });

  test('any bytes give an answer: random, cut off anywhere, or with parts nested without end', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 3000 }), (bytes) => {
        expect(readReturn(bytes).because).not.toBe('');
      }),
    );
    const report = deliveryReport(original, '5.1.1', '550 5.1.1 no such user here');
    for (let end = 0; end < report.length; end += 17)
      expect(typeof readReturn(report.slice(0, end)).kind).toBe('string');
    const nested = `Content-Type: multipart/mixed; boundary=x\n\n${'--x\nContent-Type: multipart/mixed; boundary=x\n\n'.repeat(5000)}`;
    expect(readReturn(nested).kind).toBe('unknown');
  });
});

/** Texts of refusals as mail servers are shipped with them, with nothing but the text to go by. */
const REFUSALS: [string, string][] = [
  ['hard', '550 5.1.1 The email account that you tried to reach does not exist. Please try double-checking'],
  [
    'hard',
    '550 Requested action not taken: mailbox unavailable invalid DNS MX or A/AAAA resource record.. user unknown',
  ],
  ['hard', '550 Requested action not taken: mailbox unavailable'],
  ['soft', '450 Requested mail action not taken: mailbox unavailable'],
  ['soft', '550 mailbox temporarily unavailable, try again later'],
  ['soft', 'mailbox unavailable'],
  ['block', '550 mailbox unavailable: message rejected as spam'],
  ['hard', '550 5.0.0 <ada@quillmail.example> mailbox is not available'],
  ['hard', '550 #5.1.0 Address rejected.'],
  ['hard', '550 5.1.0 <ada@quillmail.example> recipient rejected (in reply to RCPT TO command)'],
  ['block', '550 #5.1.0 sender address rejected'],
  ['hard', '550 The domain quillmail.example does not accept mail'],
  ['hard', 'Domain quillmail.example does not accept mail (nullMX)'],
  ['hard', '556 5.4.6 mx for quillmail.example is "."'],
  ['hard', '5.3.0 quillmail.example has a null MX record'],
  ['block', '550 5.7.27 Sender address has null MX'],
  ['block', '550 this host does not accept mail from 192.0.2.1, it is blocked'],
  ['soft', 'could not look up the MX. Will look again'],
  ['hard', '550 5.4.1 user unknown'],
  ['hard', '550 5.4.1 the domain quillmail.example is not known here'],
  ['soft', '450 4.4.1 recipient address rejected'],
  ['soft', '550 5.4.1 connection refused: recipient rejected by no answer'],
  ['hard', '550 5.5.0 Requested action not taken: mailbox unavailable (no such user)'],
  ['soft', '452 4.2.2 The email account that you tried to reach is over quota'],
  ['soft', '552 5.2.2 user is over quota'],
  [
    'hard',
    "554 delivery error: dd This user doesn't have a quillmail.example account (ada@quillmail.example) [0] - mta1",
  ],
  [
    'hard',
    '554 delivery error: dd Sorry your message to ada@quillmail.example cannot be delivered. This account has been disabled or discontinued [#102].',
  ],
  ['block', '554 Message not allowed - [299]'],
  ['soft', '421 RP-001 The mail server IP connecting has exceeded the rate limit allowed'],
  ['hard', '550 5.1.1 unknown or illegal alias: ada@quillmail.example'],
  ['hard', '550 No such user here'],
  ['hard', '550 <ada@quillmail.example>: Recipient address rejected: User unknown in relay recipient table'],
  ['hard', '550 ada@quillmail.example... User unknown'],
  ['hard', '551 not our customer'],
  ['hard', '550 Invalid recipient'],
  ['hard', '553 sorry, this recipient is not in my validrcptto list (#5.1.1)'],
  ['hard', '511 sorry, no mailbox here by that name (#5.1.1 - chkuser)'],
  ['block', "553 sorry, that domain isn't in my list of allowed rcpthosts (#5.7.1)"],
  ['block', '550 relay not permitted'],
  ['block', '554 5.7.1 <ada@quillmail.example>: Relay access denied'],
  ['block', '550 Administrative prohibition'],
  ['block', '550-5.7.1 Our system has detected that this message is likely unsolicited mail'],
  ['block', '550 High probability of spam'],
  ['block', '552 5.7.0 This message was blocked because its content presents a potential security issue'],
  ['block', '550 Sender verify failed'],
  ['block', '553 5.1.8 Domain of sender address does not exist'],
  ['block', '550 5.1.0 Address rejected: sender domain blocked'],
  ['soft', '550 5.1.0 Address rejected.'],
  ['soft', '554 5.4.14 Hop count exceeded - possible mail loop'],
  ['soft', '554 Too many hops'],
  ['soft', '550 5.2.3 message size exceeds'],
  ['soft', '552 message size exceeds maximum permitted'],
  ['hard', '550 5.4.4 Host unknown (Name server: quillmail.example.: host not found)'],
  ['hard', 'Host or domain name not found. Name service error for name=quillmail.example type=MX: Host not found'],
  [
    'soft',
    'Host or domain name not found. Name service error for name=quillmail.example type=MX: Host not found, try again',
  ],
  ['soft', 'connect to mx.quillmail.example[192.0.2.9]:25: Connection refused'],
  ['soft', 'all hosts for quillmail.example have been failing for a long time (and retry time not reached)'],
  ['soft', 'retry timeout exceeded'],
  ['hard', 'Unrouteable address'],
  ['hard', 'unknown local-part "ada" in domain "quillmail.example"'],
  ['hard', '550 Unknown user'],
  ['hard', '550 This address no longer accepts mail.'],
  ['hard', "550 The recipient's mailbox has been disabled"],
  ['hard', '550 Account suspended'],
  [
    'soft',
    '450 4.2.1 The user you are trying to contact is receiving mail at a rate that prevents additional messages',
  ],
  ['soft', '454 4.7.5 certificate verification'],
  ['soft', '554 5.2.2 mailbox full'],
  ['hard', '550 5.4.1 Recipient address rejected: Access denied'],
  ['hard', 'user not found'],
  ['hard', 'Mailbox does not exist'],
  ['hard', '550 5.1.1 <ada@quillmail.example> recipient rejected'],
  ['soft', '550 recipient rejected'],
  ['soft', '554 transaction failed'],
  ['soft', '550 5.0.0 Service not available'],
  ['block', '550 5.7.26 This mail is unauthenticated, which poses a security risk'],
  ['block', '550 JunkMail rejected'],
  ['hard', '550 5.2.1 The email account that you tried to reach is disabled'],
  ['soft', 'mailbox temporarily disabled'],
  ['hard', 'Dieser Benutzer existiert nicht, Empfänger unbekannt'],
  ['soft', 'Das Postfach ist voll'],
  ['block', '554 Denied by policy'],
  ['block', '550 permanent failure for one or more recipients (ada@quillmail.example:blocked)'],
  ['hard', '550 permanent failure for one or more recipients (ada@quillmail.example:550 5.1.1 User Unknown)'],
  ['soft', '4.4.7 Message delayed'],
  ['hard', '550 5.1.2 Bad destination host'],
  ['hard', '550 address ada@quillmail.example does not exist'],
  ['hard', '550 unrouteable mail domain "quillmail.exmple"'],
  ['soft', '550 Verification failed for <digest@larkfield.example>'],
  ['block', '550 Previous (cached) callout verification failure: sender verify failed'],
  ['hard', '550 That user does not have an account here'],
  ['hard', '550 mailbox not found'],
  ['hard', '550 RCPT TO:<ada@quillmail.example> User not found'],
  ['hard', 'User unknown; rejecting'],
  ['soft', '552 Mailbox limit exeeded for this email address'],
  ['soft', '552 Quota violation for ada'],
  ['soft', '552 Requested mail action aborted: exceeded storage allocation'],
  ['soft', '452 Insufficient system storage'],
  ['soft', '550 mailbox is frozen'],
  ['hard', '554 5.1.1 invalid mailbox'],
  ['hard', '550 5.1.6 recipient no longer on server'],
  ['hard', '550 email address has expired'],
  ['hard', 'Recipient unknown'],
  ['hard', '550 <ada@quillmail.example> is not a valid mailbox'],
  ['hard', '550 5.1.1 ... is a deactivated mailbox'],
  ['hard', 'Mailbox unknown or not accepting mail'],
  ['hard', 'No such person at this address'],
  ['block', '554 IP=192.0.2.1 - A problem occurred. Ask your postmaster for help or to contact blacklist'],
  ['block', '550 Blocked'],
  ['hard', "5.1.1 - Bad destination email address 'reject'"],
];

test.each(REFUSALS)('%s: %s', (bounceClass, text) => {
  expect(classifyBounce({ status: statusInText(text), replyCode: replyCodeInText(text), text }).class).toBe(
    bounceClass,
  );
});
