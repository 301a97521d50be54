import { MAX_BODY_CHARACTERS } from './limits.ts';

/** What a report says to people, with where it names whom: looked through once, however many recipients there are. */
export interface PeoplePart {
  text: string;
  lines: readonly string[];
  /** The lines that name an address, by the address in lower case. */
  named: ReadonlyMap<string, readonly number[]>;
  /** Whether a line begins with an address. */
  begins: readonly boolean[];
}

/** An address that a text names more often than this is looked for no further. */
const MOST_MENTIONS = 20;
/** Lines after one that names the address that may still be about it. */
const LINES_ABOUT = 12;

export function readPeoplePart(whole: string): PeoplePart {
  const text = whole.slice(0, MAX_BODY_CHARACTERS);
  const lines = text.split('\n');
  const named = new Map<string, number[]>();
  const begins = lines.map((line, index) => {
    for (const address of namedIn(line.toLowerCase())) {
      const at = named.get(address);
      if (!at) named.set(address, [index]);
      else if (at.length < MOST_MENTIONS && at.at(-1) !== index) at.push(index);
    }
    return ADDRESS_LINE.test(line);
  });
  return { text, lines, named, begins };
}

/** A line that begins with an address, as paragraphs about a recipient do. */
export const ADDRESS_LINE = /^\s{0,20}["'<[]{0,3}[^\s<>"'@:]{1,64}@[A-Za-z0-9.-]{1,253}["'>\]]{0,3}(?=$|[\s:.,;(])/;

const PARTING = /[\s<>"',;:()[\]@]/;
const MAX_SIDE = 256;

/**
 * What looks like an address, with an at sign between two words: each at sign is looked at once, and a little around
 * it.
 */
export function namedIn(text: string): string[] {
  const found: string[] = [];
  for (let at = text.indexOf('@'); at >= 0; at = text.indexOf('@', at + 1)) {
    let from = at;
    while (from > 0 && at - from < MAX_SIDE && !PARTING.test(text[from - 1]!)) from--;
    let to = at + 1;
    while (to < text.length && to - at < MAX_SIDE && !PARTING.test(text[to]!)) to++;
    const name = text.slice(from, to).replace(/\.{1,9}$/, '');
    if (from < at && to > at + 1) found.push(name);
  }
  return found;
}

/**
 * What the part for people says about an address: the lines that name it and those that follow, as far as the next
 * address or paragraph. Where it names a lone recipient nowhere, all of it is about them. At most `most` characters.
 */
export function notesAbout(address: string, people: PeoplePart, alone: boolean, most: number): string {
  const { lines, begins } = people;
  const about = new Set<number>();
  for (const index of people.named.get(address.toLowerCase()) ?? [])
    for (let at = index; at < Math.min(index + LINES_ABOUT, lines.length); at++) {
      const ends = at > index && (begins[at] || (at > index + 2 && lines[at]!.trim() === ''));
      if (ends) break;
      about.add(at);
    }
  if (about.size === 0 && alone) return people.text.slice(0, most);
  return [...about]
    .sort((a, b) => a - b)
    .map((at) => lines[at])
    .join('\n')
    .slice(0, most);
}
