/**
 * What a terminal would obey instead of drawing: control characters but line end and tab (ECMA-48), the line ends of
 * Unicode, and those that turn the direction of what follows (UAX 9), by which a text can look like another.
 */
const OBEYED = /[\0-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]/g; // eslint-disable-line no-control-regex

/** Text for a terminal: such characters written out as JSON writes them, `\u202e`, so that JSON stays what it was. */
export function visible(text: string): string {
  return text.replace(OBEYED, (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`);
}
