import MailComposer from 'nodemailer/lib/mail-composer/index.js';
import { encodeWord, encodeWords, foldLines } from 'nodemailer/lib/mime-funcs/index.js';
import { encode, wrap } from 'nodemailer/lib/qp/index.js';
import type { WrittenMessage } from '../../core/message/compile-message.ts';

/**
 * Stands in a skeleton for what differs from message to message: seven bits, no character that any encoding changes.
 */
const HOLE = (name: string): string => `avendelhole${name}end`;
const HOLES = /avendelhole([a-z0-9]+)end/;
/** RFC 5322 section 2.1.1 asks for lines of at most 78 characters. */
const LINE = 76;

type Fill = (message: WrittenMessage) => string;

/**
 * Makes the MIME text of messages (RFC 2045 to 2049, 2047): multipart/alternative with a text part first, or text/plain
 * alone. All messages of a campaign have the same structure, so it is composed once by nodemailer, with holes; each
 * message then only has its own parts encoded. Composing each afresh took four times as long.
 */
export function makeMimeBuilder(): (message: WrittenMessage) => Promise<Buffer> {
  let kept: { key: string; fills: Fill[] } | undefined;
  return async (message) => {
    refuseControlCharacters(message);
    const key = JSON.stringify([message.from, Object.keys(message.headers), message.html === null]);
    if (kept?.key !== key) kept = { key, fills: await composeSkeleton(message) };
    return Buffer.from(kept.fills.map((fill) => fill(message)).join(''), 'utf8');
  };
}

async function composeSkeleton(message: WrittenMessage): Promise<Fill[]> {
  const names = Object.keys(message.headers);
  const composer = new MailComposer({
    from: message.from,
    to: `${HOLE('to')}@skeleton.invalid`,
    subject: HOLE('subject'),
    messageId: `<${HOLE('id')}@skeleton.invalid>`,
    date: new Date(0),
    headers: Object.fromEntries(names.map((name, index) => [name, HOLE(`h${index}`)])),
    // A character beyond ASCII, or the bodies would be taken for seven bits and not be quoted-printable.
    ...(message.html === null ? {} : { html: `${HOLE('html')}é` }),
    text: `${HOLE('text')}é`,
    textEncoding: 'quoted-printable',
    disableFileAccess: true,
    disableUrlAccess: true,
  });
  const text = (await composer.compile().build())
    .toString('utf8')
    .replace(`${HOLE('to')}@skeleton.invalid`, HOLE('to'))
    .replace(`<${HOLE('id')}@skeleton.invalid>`, HOLE('id'))
    .replaceAll('end=C3=A9', 'end')
    .replace(/^Date: .*$/m, `Date: ${HOLE('date')}`);
  const fills: Record<string, Fill> = {
    to: (one) => one.to,
    subject: (one) => foldLines(`Subject: ${encodeText(one.subject)}`, LINE).slice('Subject: '.length),
    id: (one) => one.messageId,
    date: () => new Date().toUTCString().replace('GMT', '+0000'),
    html: (one) => wrap(encode(lineEnds(one.html ?? ''))),
    text: (one) => wrap(encode(lineEnds(one.text))),
    ...Object.fromEntries(
      names.map((name, index) => [`h${index}`, (one: WrittenMessage) => headerValue(name, one.headers[name]!)]),
    ),
  };
  return text.split(HOLES).map((piece, index) => (index % 2 === 0 ? () => piece : fills[piece]!));
}

/**
 * A header's value as it stands behind its name. Of a phrase before an address in angle brackets only the phrase may be
 * encoded (RFC 2047 section 5); a list of addresses in angle brackets is folded between them, never inside a URL.
 */
function headerValue(name: string, value: string): string {
  if (value.startsWith('<')) return value.replaceAll('>, <', '>,\r\n <');
  const [, phrase = value, address = ''] = /^(.*?)( <[^<>]*>)$/.exec(value) ?? [];
  return foldLines(`${name}: ${encodeWords(phrase, 'Q', 52, true)}${address}`, LINE).slice(name.length + 2);
}

/**
 * Text of a header, so that what is read is what was written: also where it looks encoded already (RFC 2047 section 7).
 */
function encodeText(text: string): string {
  return text.includes('=?') ? encodeWord(text, 'Q', 52) : encodeWords(text, 'Q', 52, true);
}

/** Whoever composed a message should have taken them out; one that is left could begin a header of its own. */
function refuseControlCharacters({ from, to, subject, messageId, headers }: WrittenMessage): void {
  for (const value of [from.name, from.address, to, subject, messageId, ...Object.entries(headers).flat()])
    if (/\p{Cc}/u.test(value)) throw new Error(`a header field holds a control character: ${JSON.stringify(value)}`);
}

/** Quoted-printable keeps line ends as they are; in mail they are CRLF (RFC 2045 section 6.7). */
function lineEnds(text: string): string {
  return text.replace(/\r?\n/g, '\r\n');
}
