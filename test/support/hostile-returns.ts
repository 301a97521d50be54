/** Messages made to be slow to read, of any size: each repeats what some step of the reading could stumble over. */

const HEAD = 'From: MAILER-DAEMON@mx.quillmail.example\nSubject: Undelivered Mail Returned to Sender\n';
const REPORT = `${HEAD}MIME-Version: 1.0\nContent-Type: multipart/report; report-type=delivery-status; boundary=b\n\n`;
const STATUS = '--b\nContent-Type: message/delivery-status\n\n';

function filled(start: string, piece: string | ((index: number) => string), bytes: number, end = ''): string {
  const pieces: string[] = [start];
  let length = start.length + end.length;
  for (let index = 0; length < bytes; index++) {
    const one = typeof piece === 'string' ? piece : piece(index);
    pieces.push(one);
    length += one.length;
  }
  return pieces.join('') + end;
}

const recipient = (index: number, said: string): string =>
  `Final-Recipient: rfc822; r${index}@quillmail.example\nAction: failed\nStatus: 5.0.0\nDiagnostic-Code: smtp; 550 ${said}\n\n`;

/** By name: a message of about so many bytes. */
export const HOSTILE: Readonly<Record<string, (bytes: number) => string>> = {
  'first fields of a report, again and again': (bytes) =>
    filled(`${REPORT}${STATUS}`, 'reporting-mta: dns; mx\n', bytes),
  'the same as text': (bytes) => filled(HEAD + '\n', 'final-recipient: rfc822; a@b.example\n\n\n', bytes),
  'nothing but carriage returns': (bytes) => '\r'.repeat(bytes),
  'nothing but line ends': (bytes) => '\n'.repeat(bytes),
  'blank lines in a body': (bytes) => filled(`${HEAD}\nx`, ' \n', bytes),
  'blank lines of a returned message': (bytes) =>
    filled(`${REPORT}--b\nContent-Type: message/rfc822\n\n`, ' \n', bytes),
  'tags that never end': (bytes) => filled(`${HEAD}Content-Type: text/html\n\n`, '<a', bytes),
  'scripts that never end': (bytes) => filled(`${HEAD}Content-Type: text/html\n\n`, '<script', bytes),
  'encoded words in the subject': (bytes) => filled('Subject: ', '=?iso-8859-9?q?a?= ', bytes, '\n\n'),
  'encoded words, folded': (bytes) => filled('Subject: x\n', ' =?gb18030?b?YQ==?=\n', bytes, '\n'),
  'encoded words without an end': (bytes) => filled(`${HEAD}X-Failed-Recipients: `, '=?a', bytes, '\n\n'),
  'one field in a million pieces': (bytes) => filled('References: <a@b>\n', ' <c@d>\n', bytes),
  'fields without number': (bytes) => filled(HEAD, (index) => `X-${index}: y\n`, bytes),
  'one name for all fields': (bytes) => filled(HEAD, 'To: a@b.example\n', bytes),
  'parts without number': (bytes) => filled(REPORT, '--b\n\nx\n', bytes),
  'parts in parts': (bytes) =>
    filled(
      'Content-Type: multipart/mixed; boundary=x\n\n',
      '--x\nContent-Type: multipart/mixed; boundary=x\n\n',
      bytes,
    ),
  'many recipients, a reason each': (bytes) =>
    filled(
      REPORT + STATUS,
      (index) => recipient(index, `${index} ${'the mailbox is user account '.repeat(20)}`),
      bytes,
    ),
  'many recipients, all named in the text': (bytes) =>
    filled(
      `${REPORT}--b\nContent-Type: text/plain\n\n${Array.from({ length: 2000 }, (_, index) => `r${index}@quillmail.example: no\n`).join('')}\n${STATUS}`,
      (index) => recipient(index, 'no'),
      bytes,
    ),
  'statuses in one reason': (bytes) =>
    filled(
      `${REPORT}${STATUS}Final-Recipient: rfc822; a@b.example\nAction: failed\nDiagnostic-Code: smtp; `,
      '5.0.0 ',
      bytes,
    ),
  'reasons of one recipient': (bytes) =>
    filled(
      `${REPORT}${STATUS}Final-Recipient: rfc822; a@b.example\nAction: failed\n`,
      'Diagnostic-Code: smtp; =?utf-8?q?no?= \\303\\251\n',
      bytes,
    ),
  'comments in comments': (bytes) => filled(`${REPORT}${STATUS}Final-Recipient: rfc822; `, '(', bytes),
  'comments in the type': (bytes) => filled(`${HEAD}Content-Type: multipart/report; (`, '(', bytes, '\n\n'),
  'at signs': (bytes) => filled(`${HEAD}\nThis could not be delivered to\n`, 'a@', bytes),
  'words without end': (bytes) => filled(`${HEAD}\nThis could not be delivered to\n`, 'mailbox', bytes),
  'words that nearly are a reason': (bytes) =>
    filled(`${HEAD}\nThis could not be delivered to\n`, 'delivery of mailbox user a.b.c.d ', bytes),
  'lines that nearly begin a copy': (bytes) =>
    filled(`${HEAD}\nThis could not be delivered to\n`, '-------- ------ returned\n', bytes),
  'quoted-printable escapes': (bytes) =>
    filled(`${HEAD}Content-Transfer-Encoding: quoted-printable\n\n`, '=C3=A9', bytes),
  'soft line ends': (bytes) => filled(`${HEAD}Content-Transfer-Encoding: quoted-printable\n\n`, '=   ', bytes),
  'base64 with rubbish between': (bytes) => filled(`${HEAD}Content-Transfer-Encoding: base64\n\n`, 'Q!Q\n', bytes),
  'octal escapes': (bytes) => filled(`${REPORT}${STATUS}Final-Recipient: rfc822; `, '\\303\\251', bytes),
  'boundaries that are none': (bytes) => filled(`${HEAD}Content-Type: multipart/report\n\n`, '--bound\nx\n', bytes),
  'bytes of every kind': (bytes) =>
    filled(`${HEAD}\n`, (index) => String.fromCharCode(index % 251, (index * 7) % 256), bytes),
};
