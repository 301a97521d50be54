const ENTITIES: Record<string, string> = { lt: '<', gt: '>', amp: '&', quot: '"', nbsp: ' ', '#39': "'", '#64': '@' };

/** A tag longer than this is none. */
const MAX_TAG_CHARACTERS = 2000;
const TAG_NAME = /^<(\/?[a-z!][a-z0-9]{0,20})/i;
const ENDS_A_LINE = /^(br|\/p|\/div|\/tr|\/li|\/h\d|\/td)$/i;
const NOT_READ = /^(style|script|head)$/i;

/** What people read of a page: without its tags, and without what stands in none of them to be read. One pass. */
export function withoutMarkup(html: string): string {
  const kept: string[] = [];
  let at = 0;
  let close = -1;
  for (let open = html.indexOf('<'); open >= 0; open = html.indexOf('<', at)) {
    kept.push(html.slice(at, open));
    if (close < open) close = html.indexOf('>', open);
    if (close < 0) close = html.length;
    const name = close - open > MAX_TAG_CHARACTERS ? undefined : TAG_NAME.exec(html.slice(open, open + 30))?.[1];
    at = name === undefined ? open + 1 : close + 1;
    if (name === undefined) kept.push('<');
    else if (ENDS_A_LINE.test(name)) kept.push('\n');
    else if (NOT_READ.test(name)) at = Math.max(at, nextTag(html, at));
  }
  kept.push(html.slice(at));
  return kept.join('').replace(/&(#?\w{1,8});/g, (whole, name: string) => ENTITIES[name.toLowerCase()] ?? whole);
}

function nextTag(html: string, from: number): number {
  const next = html.indexOf('<', from);
  return next < 0 ? html.length : next;
}
