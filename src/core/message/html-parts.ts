import { Parser } from 'htmlparser2';

/** A tag of a body, with the place where it stands. */
export interface FoundTag {
  at: number;
  end: number;
}

/** A picture; `alt` is what it is said to show, null where nothing is said. */
export interface FoundPicture extends FoundTag {
  alt: string | null;
}

/** What a check looks for in an HTML body. */
export interface HtmlParts {
  pictures: FoundPicture[];
  /** Programs and forms, which mailboxes take out. */
  active: (FoundTag & { tag: string })[];
  /** Letters and digits that are read, without what pictures are said to show. */
  letters: number;
}

const ACTIVE = new Set(['script', 'iframe', 'object', 'embed', 'form']);
const UNREAD = new Set(['script', 'style', 'title']);

/** Pictures, programs and words of an HTML body, as a browser reads it. */
export function findHtmlParts(html: string): HtmlParts {
  const parts: HtmlParts = { pictures: [], active: [], letters: 0 };
  let unread = 0;
  const parser = new Parser({
    onopentag(tag, attributes) {
      const place = { at: parser.startIndex, end: parser.endIndex + 1 };
      if (tag === 'img') parts.pictures.push({ ...place, alt: attributes['alt'] ?? null });
      if (ACTIVE.has(tag)) parts.active.push({ ...place, tag });
      if (UNREAD.has(tag)) unread += 1;
    },
    onclosetag(tag) {
      if (UNREAD.has(tag)) unread -= 1;
    },
    ontext(text) {
      if (unread === 0) parts.letters += text.match(/[\p{L}\p{N}]/gu)?.length ?? 0;
    },
  });
  parser.write(html);
  parser.end();
  return parts;
}
