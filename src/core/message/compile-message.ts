import { PUBLIC_PATHS } from './public-paths.ts';
import { findHtmlLinks, findTextLinks, isTrackable, replaceLinks, reportLinkProblems } from './links.ts';
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
}

export interface PlacedProblem extends TemplateProblem {
  field: 'subject' | 'html' | 'text';
}

/** A link of a campaign by its number; number 0 is the trap link, which no person sees. */
export interface CampaignLink {
  number: number;
  url: string;
}

/** A campaign's message read once, ready to be written out for many contacts. */
export interface CompiledMessage {
  subject: TemplatePiece[];
  html: TemplatePiece[];
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
  html: string;
  text: string;
  messageId: string;
  headers: Record<string, string>;
}

/** Stands in compiled bodies where a link's own token goes; \u0001 cannot occur in what an author writes. */
const LINK_MARK = (number: number): string => `\u0001L${number}\u0001`;
const UNSUBSCRIBE_MARK = '\u0001U\u0001';
const MARKS = /\u0001(?:L(\d+)|U)\u0001/g; // eslint-disable-line no-control-regex
export const TRAP_LINK = 0;

/** Fields every contact has. Attributes of the organisation's own are added by the caller. */
export const STANDARD_FIELDS = ['address', 'name', 'first_name'] as const;

/** Longer than names are. */
const LONGEST_NAME = 60;
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

/** Reads a campaign's message: every problem at its place, and the compiled form when there is none that stops it. */
export function compileMessage(
  source: MessageSource,
  known: ReadonlySet<string>,
): { message: CompiledMessage; problems: PlacedProblem[] } {
  const textSource = source.text.trim() === '' ? htmlToText(source.html) : source.text;
  const htmlLinks = findHtmlLinks(source.html);
  const textLinks = findTextLinks(textSource);
  const numbers = numberLinks([...htmlLinks, ...textLinks].map((link) => link.url));
  const mark = (url: string): string => (numbers.has(url) ? LINK_MARK(numbers.get(url)!) : url);
  const subject = parseTemplate(oneLine(source.subject), known);
  const html = parseTemplate(addFooter(replaceLinks(stripMarks(source.html), htmlLinks, mark)), known);
  const text = parseTemplate(
    `${replaceLinks(stripMarks(textSource), textLinks, mark)}\n\n-- \nUnsubscribe: ${UNSUBSCRIBE_MARK}\n`,
    known,
  );
  const place = (field: PlacedProblem['field'], problems: TemplateProblem[]): PlacedProblem[] =>
    problems.map((problem) => ({ ...problem, field }));
  return {
    message: {
      subject: subject.pieces,
      html: html.pieces,
      text: text.pieces,
      links: [...numbers].map(([url, number]) => ({ number, url })),
    },
    problems: [
      ...place('subject', subject.problems),
      ...place('html', [...parseTemplate(source.html, known).problems, ...reportLinkProblems(htmlLinks)]),
      ...(source.text.trim() === ''
        ? []
        : place('text', [...parseTemplate(source.text, known).problems, ...reportLinkProblems(textLinks)])),
    ],
  };
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
  const fill = (body: string): string =>
    body.replace(MARKS, (_, number?: string) =>
      number === undefined ? `${base}${PUBLIC_PATHS.out}/${wayOut}` : linkUrl(Number(number)),
    );
  const html = renderTemplate(compiled.html, recipient.fields, escapeHtml, fill);
  return {
    envelopeFrom: `b.${returnToken}@${sender.returnDomain}`,
    to: recipient.address,
    from: { name: sender.brandName, address: sender.fromAddress },
    subject: oneLine(renderTemplate(compiled.subject, recipient.fields, oneLine)),
    html: withPixel(html, `${base}${PUBLIC_PATHS.seen}/${token('open')}.gif`),
    text: renderTemplate(compiled.text, recipient.fields, (value) => value, fill),
    messageId: `<${returnToken}@${sender.fromAddress.split('@')[1]}>`,
    headers: listHeaders(sender, `${base}${PUBLIC_PATHS.out}/${wayOut}`, `u.${wayOut}@${sender.returnDomain}`),
  };
}

/** RFC 2369 and 8058 (one click), RFC 2919 (list identity). */
function listHeaders(sender: SenderIdentity, url: string, mailbox: string): Record<string, string> {
  const slug = sender.listName
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '');
  return {
    'List-Unsubscribe': `<${url}>, <mailto:${mailbox}?subject=unsubscribe>`,
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

function insertBeforeBodyEnd(html: string, addition: string): string {
  const end = html.toLowerCase().lastIndexOf('</body>');
  return end < 0 ? html + addition : html.slice(0, end) + addition + html.slice(end);
}

function stripMarks(text: string): string {
  // Replaced by a character of the same length, so that the places of links found in the text stay right.
  return text.replaceAll('\u0001', ' ');
}
