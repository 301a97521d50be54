import { PUBLIC_PATHS } from './public-paths.ts';
import {
  findHtmlLinks,
  findTextLinks,
  isTrackable,
  replaceLinks,
  reportLinkProblems,
  type FoundLink,
} from './links.ts';
import type { MessageFormat } from '../../shared/words.ts';
import { findHtmlParts, type FoundTag, type HtmlParts } from './html-parts.ts';
import { htmlToText } from './html-to-text.ts';
import {
  escapeHtml,
  oneLine,
  parseTemplate,
  renderTemplate,
  type TemplatePiece,
  type TemplateProblem,
} from './merge-fields.ts';
import type { Tokenizer } from './token.ts';

/** What the author of a campaign wrote. */
export interface MessageSource {
  subject: string;
  html: string;
  text: string;
  /** `text` for plain text alone: no HTML, and no pixel. Absent: HTML and text. */
  format?: MessageFormat;
  /** What mailboxes show after the subject in the list of messages; with HTML only. */
  previewLine?: string;
  /** Whether links of plain text alone lead through Avendel, which counts who follows them. Those of HTML always do. */
  countLinks?: boolean;
}

/** A field of a message that something can be wrong with. */
export type MessageField = 'subject' | 'previewLine' | 'html' | 'text';

export interface PlacedProblem extends Omit<TemplateProblem, 'code'> {
  code: TemplateProblem['code'] | 'no-subject' | 'no-body';
  field: MessageField;
}

/** A link of a campaign by its number; number 0 is the trap link, which no person sees. */
export interface CampaignLink {
  number: number;
  url: string;
}

/** A campaign's message read once, ready to be written out for many contacts. */
export interface CompiledMessage {
  subject: TemplatePiece[];
  /** Null where the message is plain text alone. */
  html: TemplatePiece[] | null;
  text: TemplatePiece[];
  links: CampaignLink[];
}

/** Who the message goes to, and as which message of which campaign. */
export interface Recipient {
  contactId: number;
  campaignId: number;
  address: string;
  fields: Readonly<Record<string, string | undefined>>;
}

/** Sender identity and public addresses that go into every message of a brand. */
export interface SenderIdentity {
  brandName: string;
  fromAddress: string;
  returnDomain: string;
  publicUrl: string;
  listName: string;
}

/** One message for one contact, before it is put into MIME. */
export interface WrittenMessage {
  envelopeFrom: string;
  to: string;
  from: { name: string; address: string };
  subject: string;
  /** Null where the message is plain text alone. */
  html: string | null;
  text: string;
  messageId: string;
  headers: Record<string, string>;
}

/** Stands in compiled bodies where a link's own token goes; \u0001 cannot occur in what an author writes. */
const LINK_MARK = (number: number): string => `\u0001L${number}\u0001`;
const UNSUBSCRIBE_MARK = '\u0001U\u0001';
const PREVIEW_MARK = '\u0001P\u0001';
const MARKS = /\u0001(?:L(\d+)|U)\u0001/g; // eslint-disable-line no-control-regex
export const TRAP_LINK = 0;

/** Fields every contact has. Attributes of the organisation's own are added by the caller. */
export const STANDARD_FIELDS = ['address', 'name', 'first_name'] as const;

/** Longer than names are. */
export const LONGEST_NAME = 60;
/** What a mail program may draw as a link: an address of the web or of mail, or a domain's name. */
const LINK_LIKE = /\/\/|www\.|@|[\p{L}\p{N}-]\.[\p{L}\p{N}-]*\p{L}{2}/iu;

/** A name as a message may hold it. Anybody can type one at a form, so what looks like none goes into no message. */
export function nameForMessage(name: string | null): string {
  const trimmed = name?.trim() ?? '';
  return trimmed.length > LONGEST_NAME || LINK_LIKE.test(trimmed) ? '' : trimmed;
}

/** The name a message greets with: the first word of the contact's name. */
export function standardFields(address: string, name: string | null): Record<string, string | undefined> {
  const full = nameForMessage(name);
  return { address, name: full, first_name: full.split(/\s+/)[0] };
}

const TOO_DEEP =
  'Here elements stand within one another more than 500 deep; no mailbox draws that. Close what was opened before.';

/** A message as it was read. */
export interface ReadMessage {
  message: CompiledMessage;
  problems: PlacedProblem[];
  /** The text part before its links are counted: as it was written, or made from the HTML. */
  text: string;
  /** What the HTML holds; null where the message is plain text alone. */
  parts: HtmlParts | null;
}

/** Reads a campaign's message: every problem at its place, and the compiled form when there is none that stops it. */
export function compileMessage(source: MessageSource, known: ReadonlySet<string>): ReadMessage {
  const isText = source.format === 'text';
  const parts = isText ? null : findHtmlParts(source.html);
  const isMade = !isText && source.text.trim() === '';
  const textSource = isMade ? (parts?.tooDeep ? '' : htmlToText(source.html)) : source.text;
  const htmlLinks = isText ? [] : findHtmlLinks(source.html);
  const textLinks = findTextLinks(textSource);
  const counted = isText && !source.countLinks ? [] : [...htmlLinks, ...textLinks];
  const numbers = numberLinks(counted.map((link) => link.url));
  const mark = (url: string): string => (numbers.has(url) ? LINK_MARK(numbers.get(url)!) : url);
  const body = (text: string, links: FoundLink[]): string => replaceLinks(stripMarks(text), links, mark);
  const text = `${body(textSource, textLinks)}\n\n-- \nUnsubscribe: ${UNSUBSCRIBE_MARK}\n`;
  return {
    message: {
      subject: parseTemplate(oneLine(source.subject), known).pieces,
      html: isText
        ? null
        : withPreviewLine(addFooter(body(source.html, htmlLinks)), source.previewLine ?? '', (part) =>
            parseTemplate(part, known),
          ),
      text: parseTemplate(text, known).pieces,
      links: [...numbers].map(([url, number]) => ({ number, url })),
    },
    problems: reportProblems(source, known, { html: htmlLinks, text: textLinks, tooDeep: parts?.tooDeep ?? null }),
    text: textSource,
    parts,
  };
}

/** Everything that keeps a message from being sent, in the order of its fields. */
function reportProblems(
  { subject, html, text, format, previewLine }: MessageSource,
  known: ReadonlySet<string>,
  found: { html: FoundLink[]; text: FoundLink[]; tooDeep: FoundTag | null },
): PlacedProblem[] {
  const isText = format === 'text';
  const place = (field: MessageField, problems: TemplateProblem[]): PlacedProblem[] =>
    problems.map((problem) => ({ ...problem, field }));
  const of = (field: MessageField, template: string, links: FoundLink[] = []): PlacedProblem[] =>
    place(field, [...parseTemplate(template, known).problems, ...reportLinkProblems(links)]);
  const missing = (field: MessageField, code: PlacedProblem['code'], message: string): PlacedProblem => ({
    code,
    at: 0,
    end: 0,
    field,
    message,
  });
  const isEmpty = (isText ? text : html).trim() === '';
  const deep = found.tooDeep
    ? [{ ...found.tooDeep, code: 'too-deep' as const, field: 'html' as const, message: TOO_DEEP }]
    : [];
  return [
    ...(subject.trim() === '' ? [missing('subject', 'no-subject', 'The message has no subject.')] : []),
    ...(isEmpty ? [missing(isText ? 'text' : 'html', 'no-body', 'The message has no body.')] : []),
    ...of('subject', oneLine(subject)),
    ...(isText ? [] : [...of('previewLine', previewLine ?? ''), ...of('html', html, found.html), ...deep]),
    // Where the text is made from the HTML, its faults are those of the HTML.
    ...(isText || text.trim() !== '' ? of('text', text, found.text) : []),
  ];
}

/** The message as one contact gets it: fields filled, links and pixel and ways out under this contact's own tokens. */
export function writeMessage(
  compiled: CompiledMessage,
  recipient: Recipient,
  sender: SenderIdentity,
  tokens: Tokenizer,
): WrittenMessage {
  const { campaignId, contactId } = recipient;
  const token = (use: 'open' | 'click' | 'unsubscribe' | 'return', link = 0): string =>
    tokens.make({ use, campaignId, contactId, link });
  const base = sender.publicUrl;
  const wayOut = token('unsubscribe');
  const returnToken = token('return');
  const links = new Map<number, string>();
  const linkUrl = (number: number): string => {
    if (!links.has(number)) links.set(number, `${base}${PUBLIC_PATHS.to}/${token('click', number)}`);
    return links.get(number)!;
  };
  const out = `${base}${PUBLIC_PATHS.out}/${wayOut}`;
  const { subject, html, text } = fillMessage(compiled, recipient.fields, { out, link: linkUrl });
  return {
    envelopeFrom: `b.${returnToken}@${sender.returnDomain}`,
    to: recipient.address,
    from: { name: sender.brandName, address: sender.fromAddress },
    subject,
    html: html === null ? null : withPixel(html, `${base}${PUBLIC_PATHS.seen}/${token('open')}.gif`),
    text,
    messageId: `<${returnToken}@${sender.fromAddress.split('@')[1]}>`,
    headers: listHeaders(sender, [`<${out}>`, `<mailto:u.${wayOut}@${sender.returnDomain}?subject=unsubscribe>`]),
  };
}

/** What a message is tried with. */
export interface TestOf {
  to: string;
  fields: Recipient['fields'];
  /** Who has it sent, and makes it one of its kind. */
  by: string;
  number: string;
}

/**
 * A message to try it out, marked as a test: its links lead where they lead, uncounted; it has no pixel, its way out
 * takes nobody off, and its return path stands for nobody.
 */
export function writeTest(
  compiled: CompiledMessage,
  { to, fields, by, number }: TestOf,
  sender: SenderIdentity,
  tokens: Tokenizer,
): WrittenMessage {
  const urls = new Map(compiled.links.map((link) => [link.number, link.url]));
  const token = tokens.make({ use: 'unsubscribe', ...OF_A_TEST, link: 0 });
  const out = `${sender.publicUrl}${PUBLIC_PATHS.out}/${token}`;
  const written = fillMessage(compiled, fields, { out, link: (link) => urls.get(link) ?? out });
  const mark = `This is a test message. ${by} had it sent; it counts nowhere.`;
  return {
    envelopeFrom: `test@${sender.returnDomain}`,
    to,
    from: { name: sender.brandName, address: sender.fromAddress },
    subject: `Test: ${written.subject}`,
    html: written.html && insertBeforeBodyEnd(written.html, `<p>${escapeHtml(mark)}</p>`),
    text: `${written.text}\n${mark}\n`,
    messageId: `<test.${number}@${sender.fromAddress.split('@')[1]}>`,
    headers: listHeaders(sender, [`<${out}>`]),
  };
}

/** What the tokens of a test message stand for: no campaign, and nobody. */
export const OF_A_TEST = { campaignId: 0, contactId: 0 } as const;

/** Fills fields, and the addresses of links and of the way out; in HTML an address is written as HTML asks. */
function fillMessage(
  compiled: CompiledMessage,
  fields: Recipient['fields'],
  { out, link }: { out: string; link: (number: number) => string },
): Pick<WrittenMessage, 'subject' | 'html' | 'text'> {
  const fill =
    (write: (url: string) => string) =>
    (body: string): string =>
      body.replace(MARKS, (_, number?: string) => write(number === undefined ? out : link(Number(number))));
  return {
    subject: oneLine(renderTemplate(compiled.subject, fields, oneLine)),
    html: compiled.html && renderTemplate(compiled.html, fields, escapeHtml, fill(escapeHtml)),
    text: renderTemplate(
      compiled.text,
      fields,
      (value) => value,
      fill((url) => url),
    ),
  };
}

/** RFC 2369 and 8058 (one click), RFC 2919 (list identity). */
function listHeaders(sender: SenderIdentity, waysOut: string[]): Record<string, string> {
  const slug = sender.listName
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
  return {
    'List-Unsubscribe': waysOut.join(', '),
    'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click',
    'List-Id': `${oneLine(sender.listName)} <${slug || 'list'}.${sender.fromAddress.split('@')[1]}>`,
  };
}

function numberLinks(urls: string[]): Map<string, number> {
  const numbers = new Map<string, number>();
  for (const url of urls) if (isTrackable(url) && !numbers.has(url)) numbers.set(url, numbers.size + 1);
  return numbers;
}

/**
 * The way out, and the trap link: an empty anchor that is neither drawn, focusable nor read aloud, so that only a
 * program that fetches every address follows it.
 */
function addFooter(html: string): string {
  const trap = `<a href="${LINK_MARK(TRAP_LINK)}" style="display:none" aria-hidden="true" tabindex="-1"></a>`;
  const wayOut = `<p style="font-size:13px;color:#47545D"><a href="${UNSUBSCRIBE_MARK}">Unsubscribe</a></p>`;
  return insertBeforeBodyEnd(html, wayOut + trap);
}

function withPixel(html: string, url: string): string {
  return insertBeforeBodyEnd(html, `<img src="${url}" width="1" height="1" alt="" style="display:block">`);
}

/** Where the body begins: behind its tag, or behind the head's where it has none. */
const BEFORE_BODY = /<body\b[^>]*>|<\/head\s*>/gi;

/**
 * Puts the preview line before everything else that is read. It is not drawn: mailboxes take the first words of a
 * message for their list, and these are the first.
 */
function withPreviewLine(
  html: string,
  line: string,
  parse: (template: string) => { pieces: TemplatePiece[] },
): TemplatePiece[] {
  const said = oneLine(line).trim();
  if (said === '') return parse(html).pieces;
  const begins = [...html.matchAll(BEFORE_BODY)].at(-1);
  const at = begins ? begins.index + begins[0].length : 0;
  const hidden = `<div style="display:none;max-height:0;overflow:hidden">${PREVIEW_MARK}</div>`;
  const [before, after] = `${html.slice(0, at)}${hidden}${html.slice(at)}`.split(PREVIEW_MARK) as [string, string];
  const pieces = parse(stripMarks(said)).pieces.map((piece) =>
    piece.kind === 'text' ? { ...piece, text: escapeHtml(piece.text) } : piece,
  );
  return [...parse(before).pieces, ...pieces, ...parse(after).pieces];
}

function insertBeforeBodyEnd(html: string, addition: string): string {
  const end = html.toLowerCase().lastIndexOf('</body>');
  return end < 0 ? html + addition : html.slice(0, end) + addition + html.slice(end);
}

function stripMarks(text: string): string {
  // Replaced by a character of the same length, so that the places of links found in the text stay right.
  return text.replaceAll('\u0001', ' ');
}
