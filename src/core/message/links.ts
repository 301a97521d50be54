import { QuoteType, Tokenizer } from 'htmlparser2';
import { MOST_PROBLEMS, type TemplateProblem } from './merge-fields.ts';

/** A link found in a body: where its address starts and ends in that body, and what it says. */
export interface FoundLink {
  start: number;
  end: number;
  url: string;
}

const BARE_URL = /https?:\/\/[^\s<>"'\]]+/g;
/** What stands between the name of an attribute and its value. */
const BEFORE_VALUE = /\s*=\s*["']?/y;
/** Tags whose `href` somebody follows: words and pictures, and parts of a picture. */
const LINKING_TAGS = new Set(['a', 'area']);

/**
 * The links of an HTML body that are rewritten, as a browser reads them (HTML Living Standard, section 13.2.5). Of
 * comments only the conditional ones are looked into, which some mail programs draw.
 */
export function findHtmlLinks(html: string): FoundLink[] {
  const links: FoundLink[] = [];
  let tag = '';
  let isHref = false;
  let begun = 0;
  let url = '';
  const place = (start: number, end: number): string => html.slice(start, end);
  const tokenizer = new Tokenizer(
    { decodeEntities: true },
    {
      onopentagname: (start, end) => (tag = place(start, end).toLowerCase()),
      onattribname(start, end) {
        isHref = LINKING_TAGS.has(tag) && place(start, end).toLowerCase() === 'href';
        BEFORE_VALUE.lastIndex = end;
        begun = BEFORE_VALUE.test(html) ? BEFORE_VALUE.lastIndex : end;
        url = '';
      },
      onattribdata: (start, end) => (url += place(start, end)),
      onattribentity: (codePoint) => (url += String.fromCodePoint(codePoint)),
      onattribend(quote, end) {
        if (!isHref || quote === QuoteType.NoValue) return;
        links.push({ start: begun, end: quote === QuoteType.Unquoted ? end : end - 1, url });
        // Of two, a browser takes the first.
        tag = '';
      },
      oncomment(start, end, dashes) {
        if (/^\s*\[if\b/i.test(html.slice(start, start + 100)))
          for (const link of findHtmlLinks(html.slice(start, end - dashes)))
            links.push({ ...link, start: link.start + start, end: link.end + start });
      },
      oncdata: nothing,
      onclosetag: nothing,
      ondeclaration: nothing,
      onend: nothing,
      onopentagend: nothing,
      onprocessinginstruction: nothing,
      onselfclosingtag: nothing,
      ontext: nothing,
      ontextentity: nothing,
    },
  );
  tokenizer.write(html);
  tokenizer.end();
  return links;
}

function nothing(): void {
  // Only tags, their attributes and comments hold links.
}

/**
 * The links of a plain-text body: bare http and https addresses, without a full stop or bracket that ends the sentence.
 */
export function findTextLinks(text: string): FoundLink[] {
  return [...text.matchAll(BARE_URL)].map((match) => {
    const url = withoutEndOfSentence(match[0]);
    return { start: match.index, end: match.index + url.length, url };
  });
}

/** A bracket belongs to the address when it was opened there. */
function withoutEndOfSentence(url: string): string {
  const last = url.at(-1)!;
  const ends = last === ')' ? url.split(')').length > url.split('(').length : '.,;:!?'.includes(last);
  return ends ? withoutEndOfSentence(url.slice(0, -1)) : url;
}

/**
 * Whether a link is one that Avendel rewrites and follows; `mailto:`, `tel:` and anchors within the page are left
 * alone.
 */
export function isTrackable(url: string): boolean {
  return /^https?:\/\//i.test(url);
}

/**
 * An address as the header `Location` can carry it (RFC 9110 section 10.2.2: a URI reference, so ASCII only). One that
 * is ASCII already stays as its author wrote it.
 */
export function asLocation(url: string): string {
  if (/^[\x21-\x7e]*$/.test(url)) return url;
  return URL.canParse(url) ? new URL(url).href : encodeURI(url.replace(/\p{Surrogate}/gu, ''));
}

/** Longer ones are cut by mail programs and by servers on the way (RFC 9110 section 4.1 promises 8,000 at most). */
const LONGEST_LINK = 2000;
/** Different links of a message. A page of links takes some hundred; the number of a link is written in two bytes. */
export const MOST_LINKS = 2000;

/** Problems with the links of a body, each at its place. */
export function reportLinkProblems(links: FoundLink[]): TemplateProblem[] {
  const problems: TemplateProblem[] = [];
  for (const link of links) {
    const problem = linkProblem(link);
    if (problem && problems.push(problem) >= MOST_PROBLEMS) break;
  }
  return [...problems, ...reportTooMany(links)];
}

function linkProblem({ url, start, end }: FoundLink): TemplateProblem | undefined {
  const place = { at: start, end };
  if (url.includes('[['))
    return { code: 'field-in-link', ...place, message: 'A link cannot hold a merge field; write the address out.' };
  if (/^(mailto:|tel:|#)/i.test(url)) return undefined;
  if (url.length > LONGEST_LINK)
    return {
      code: 'long-link',
      ...place,
      message: `This link has ${url.length} characters; a mail program may cut what is longer than ${LONGEST_LINK}.`,
    };
  if (isTrackable(url) && URL.canParse(url) && new URL(url).hostname.includes('.')) return undefined;
  return {
    code: 'broken-link',
    ...place,
    message: `“${url.slice(0, 200)}” is not a web address. Start it with https:// and name a site.`,
  };
}

function reportTooMany(links: FoundLink[]): TemplateProblem[] {
  const urls = new Set<string>();
  for (const { url, start: at, end } of links) {
    if (urls.add(url).size <= MOST_LINKS) continue;
    const message = `The message has more than ${MOST_LINKS} different links. Lead to a page that holds them.`;
    return [{ code: 'many-links', at, end, message }];
  }
  return [];
}

/** The body with every found link replaced by what `rewrite` returns for it. Links must be in order of their place. */
export function replaceLinks(body: string, links: FoundLink[], rewrite: (url: string) => string): string {
  let out = '';
  let from = 0;
  for (const link of links) {
    out += body.slice(from, link.start) + rewrite(link.url);
    from = link.end;
  }
  return out + body.slice(from);
}
