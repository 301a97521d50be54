import { parseAddress } from '../address/normal-form.ts';
import { MAX_BODY_CHARACTERS, MAX_SEARCHED_CHARACTERS } from './limits.ts';
import { field, headerOf, parseFields, type Fields, type ParsedMessage } from './mime-parts.ts';
import { namedIn } from './people-part.ts';
import { withoutComments } from './without-comments.ts';

/** What can be told of the message that came back. */
export interface OriginalMessage {
  /** Its header, as far as it was returned. */
  fields: Fields;
  /** Message-ID without brackets. */
  messageId: string | null;
  /** Whom it was for, in normal form. */
  addresses: string[];
  /** Avendel's own token found in an address of ours that it names, not yet verified. */
  token: string | null;
  /** The token that its Message-ID is made of. */
  idToken: string | null;
}

const RETURNED_TYPES: ReadonlySet<string> = new Set([
  'message/rfc822',
  'text/rfc822-headers',
  'text/rfc822-header',
  'message/rfc822-headers',
  'message/global',
  'message/global-headers',
  'message/partial',
  'text/rfc822',
]);

const TOKEN = '[a-z2-7]{39}';
const TOKEN_RECIPIENT = new RegExp(`\\b(?<kind>[bku])\\.(?<token>${TOKEN})@`, 'i');
const TOKEN_MESSAGE_ID = new RegExp(`<(?:k\\.)?(?<token>${TOKEN})(?:\\.\\d+)?@`, 'i');

/** Finds the returned message in its own part, or behind the report in the text; the report's own fields come last. */
export function findOriginal(message: ParsedMessage): OriginalMessage {
  const returned = message.parts.find(({ type }) => RETURNED_TYPES.has(type));
  const text = returned ? '' : returnedText(message);
  const fields = parseFields(headerOf(returned?.body ?? text));
  const id = /<([^<>\s]{1,998})>/;
  const reported = reportedFields(message);
  const found =
    id.exec(field(fields, 'message-id')) ??
    id.exec(ORIGINAL_ID.map((name) => field(reported, name)).join(' ')) ??
    id.exec(field(message.fields, 'in-reply-to')) ??
    lastOf(field(message.fields, 'references'));
  const places = [
    field(reported, 'original-mail-from'),
    field(reported, 'original-envelope-id'),
    field(fields, 'return-path'),
    field(fields, 'list-unsubscribe'),
  ];
  const addresses = (fields.get('to') ?? []).slice(0, MOST_VALUES).flatMap((value) => addressesOf(value));
  const ids = [found?.[0] ?? '', field(message.fields, 'references')];
  return {
    fields,
    messageId: found?.[1] ?? null,
    addresses,
    token: firstOf(TOKEN_RECIPIENT, places),
    idToken: firstOf(TOKEN_MESSAGE_ID, ids),
  };
}

/** RFC 8098 3.2.5 for receipts; some servers write it into delivery reports too. */
const ORIGINAL_ID = ['original-message-id', 'x-original-message-id'];

/** The fields of a part for machines that speak of the message as a whole. */
function reportedFields({ parts }: ParsedMessage): Fields {
  const part = parts.find(({ type }) =>
    /^message\/((global-)?(delivery-status|disposition-notification)|feedback-report)$/.test(type),
  );
  return parseFields(part?.body.slice(0, MAX_BODY_CHARACTERS) ?? '');
}

/**
 * Which of Avendel's own addresses a message was sent to: `b` for returns, `k` for those of confirmation messages, `u`
 * for unsubscribing.
 */
export function ownAddressKind(to: string): string | undefined {
  return TOKEN_RECIPIENT.exec(to)?.groups?.['kind']?.toLowerCase();
}

/** The token of such an address. */
export function ownAddressToken(to: string): string | null {
  return firstOf(TOKEN_RECIPIENT, [to]);
}

/** The addresses that a text names, in normal form. */
export function addressesIn(text: string): string[] {
  return [
    ...new Set(
      namedIn(text.slice(0, MAX_ADDRESSES_CHARACTERS)).flatMap((one) => {
        const parsed = parseAddress(one);
        return parsed.ok ? [parsed.address] : [];
      }),
    ),
  ];
}

/** The addresses of a field's value, in normal form; those in comments only where there are no others. */
export function addressesOf(value: string): string[] {
  const cut = value.slice(0, MAX_ADDRESSES_CHARACTERS);
  const found = addressesIn(withoutComments(cut));
  return found.length > 0 ? found : addressesIn(cut);
}

const MAX_ADDRESSES_CHARACTERS = 10_000;
/** Fields of one name that are looked at. */
export const MOST_VALUES = 100;

function firstOf(pattern: RegExp, places: string[]): string | null {
  for (const place of places) {
    const token = pattern.exec(place)?.groups?.['token'];
    if (token !== undefined) return token.toLowerCase();
  }
  return null;
}

function lastOf(references: string): RegExpMatchArray | undefined {
  return [...references.slice(-4000).matchAll(/<([^<>\s]{1,998})>/g)].at(-1);
}

/** Where the copy of the message begins in a text: a line that says so, or the first field that only a message has. */
const COPY_BEGINS =
  /^[ \t>|]{0,8}(?:[-=*_#|]{1,40}[ \t]{0,8})?(?:below this line is a copy|(?:this|here|below|attached|following) is (?:a|the) (?:copy|header|headers|text|original)|(?:a )?copy of (?:the|your) (?:original )?(?:message|mail|header)|(?:the )?(?:text|header|headers|copy) of (?:the|your) (?:original )?(?:message|mail)|original message|(?:returned|unsent|undelivered|unsendable|rejected) message|start of (?:returned|forwarded|original)|(?:message|mail) (?:header|headers|text|contents?) (?:follow|is|are)?|message header|your (?:original )?message (?:follows|reads|headers?)|first lines of|included message|returned (?:message|mail)|the following message|forwarded message)/im;
const FIELD_OF_A_MESSAGE = /^[ \t>|]{0,8}(?:received: |return-path: ?<|message-id: ?<|x-mailer: |mime-version: 1)/im;

/** How much of a text is about the return: up to where the copy of the message begins. The copy is what follows. */
export function copyBegins(text: string): number {
  const first = text.indexOf('\n');
  if (first < 0) return text.length;
  const marked = searchFrom(text, COPY_BEGINS, first + 1);
  const headed = searchFrom(text, FIELD_OF_A_MESSAGE, first + 1);
  return Math.min(marked, headed);
}

function searchFrom(text: string, pattern: RegExp, from: number): number {
  const at = text.slice(from).search(pattern);
  return at < 0 ? text.length : from + at;
}

function returnedText({ parts }: ParsedMessage): string {
  for (const { type, body } of parts) {
    if (!type.startsWith('text/')) continue;
    const at = body
      .slice(0, MAX_SEARCHED_CHARACTERS)
      .search(/^[ \t>|]{0,8}(?:received: |return-path: |message-id: |from: |date: |to: )/im);
    if (at > 0) return unindented(body.slice(at));
  }
  return '';
}

/** A header that was quoted or indented, as it was. */
function unindented(text: string): string {
  const mark = /^[ \t>|]{0,8}/.exec(text)![0];
  if (mark === '') return text;
  return text
    .slice(0, 20_000)
    .split('\n')
    .map((line) => (line.startsWith(mark) ? line.slice(mark.length) : line))
    .join('\n');
}
