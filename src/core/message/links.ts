import type { TemplateProblem } from './merge-fields.ts';

/** A link found in a body: where its address starts and ends in that body, and what it says. */
export interface FoundLink {
  start: number;
  end: number;
  url: string;
}

const ANCHOR = /<a\b[^>]{0,4000}?\bhref\s*=\s*(?:"([^"]{0,4000})"|'([^']{0,4000})')/gi;
const BARE_URL = /https?:\/\/[^\s<>"'\]]{1,2000}/g;

/** The links of an HTML body that are rewritten: `href` of anchors with an http or https address. */
export function findHtmlLinks(html: string): FoundLink[] {
  return [...html.matchAll(ANCHOR)].map((match) => {
    const url = match[1] ?? match[2] ?? '';
    const start = match.index + match[0].length - 1 - url.length;
    return { start, end: start + url.length, url: decodeEntities(url) };
  });
}

/** The links of a plain-text body: bare http and https addresses, without a full stop or bracket that ends the sentence. */
export function findTextLinks(text: string): FoundLink[] {
  return [...text.matchAll(BARE_URL)].map((match) => {
    const url = match[0].replace(/[.,;:!?)]+$/, '');
    return { start: match.index, end: match.index + url.length, url };
  });
}

/** Whether a link is one that Avendel rewrites and follows; `mailto:`, `tel:` and anchors within the page are left alone. */
export function isTrackable(url: string): boolean {
  return /^https?:\/\//i.test(url);
}

/** Problems with the links of a body, each at its place. */
export function reportLinkProblems(links: FoundLink[]): TemplateProblem[] {
  return links.flatMap(({ url, start }): TemplateProblem[] => {
    if (url.includes('[[')) {
      return [
        { code: 'field-in-link', at: start, message: 'A link cannot hold a merge field; write the address out.' },
      ];
    }
    if (/^(mailto:|tel:|#)/i.test(url)) return [];
    return isTrackable(url) && URL.canParse(url) && new URL(url).hostname.includes('.')
      ? []
      : [
          {
            code: 'broken-link',
            at: start,
            message: `“${url}” is not a web address. Start it with https:// and name a site.`,
          },
        ];
  });
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

function decodeEntities(url: string): string {
  return url.replace(/&amp;|&#38;|&#x26;/gi, '&');
}
