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
  /** Where elements stand within one another more deeply than any mailbox draws; nothing behind it was looked at. */
  tooDeep: FoundTag | null;
  /** Letters and digits that are read, without what pictures are said to show. */
  letters: number;
}

const ACTIVE = new Set(['script', 'iframe', 'object', 'embed', 'form']);
const UNREAD = new Set(['script', 'style', 'title']);

/**
 * Elements within one another. Tables of tables of letters go to some thirty; beyond some thousands every reading of it
 * takes as long as its depth, for each tag, and what walks through it runs out of stack.
 */
const DEEPEST = 500;

/** Pictures, programs and words of an HTML body, as a browser reads it. */
export function findHtmlParts(html: string): HtmlParts {
  const parts: HtmlParts = { pictures: [], active: [], letters: 0, tooDeep: null };
  let [unread, depth] = [0, 0];
  const parser = new Parser({
    onopentag(tag, attributes) {
      if (parts.tooDeep) return;
      const place = { at: parser.startIndex, end: parser.endIndex + 1 };
      depth += 1;
      if (depth > DEEPEST) {
        parts.tooDeep = place;
        parser.pause();
        return;
      }
      if (tag === 'img') parts.pictures.push({ ...place, alt: attributes['alt'] ?? null });
      if (ACTIVE.has(tag)) parts.active.push({ ...place, tag });
      if (UNREAD.has(tag)) unread += 1;
    },
    onclosetag(tag) {
      depth -= 1;
      if (UNREAD.has(tag)) unread -= 1;
    },
    ontext(text) {
      if (unread === 0) parts.letters += text.match(/[\p{L}\p{N}]/gu)?.length ?? 0;
    },
  });
  parser.write(html);
  // Paused for good, it holds back what is left.
  if (!parts.tooDeep) parser.end();
  return parts;
}
