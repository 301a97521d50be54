/** A character that no text column holds: NUL, or one half of a pair (RFC 3629 section 3 knows no such halves). */
const UNSTORABLE = /\0|\p{Surrogate}/u;

/** What is said of a text with such a character. */
export const UNSTORABLE_WORDS = 'holds a NUL or half a character, which cannot be kept';

export function isStorable(text: string): boolean {
  return !UNSTORABLE.test(text);
}

/**
 * Where in a value from outside a text stands that cannot be kept, as `condition` or `addresses.3`; nothing if none
 * does. It goes without calling itself, since a body of eight megabytes can be four million arrays deep.
 */
export function findUnstorable(value: unknown): string | undefined {
  const left: { path: string; value: unknown }[] = [{ path: '', value }];
  for (let one = left.pop(); one !== undefined; one = left.pop()) {
    if (typeof one.value === 'string' && !isStorable(one.value)) return one.path;
    if (typeof one.value !== 'object' || one.value === null) continue;
    for (const [name, inner] of Object.entries(one.value)) {
      if (!isStorable(name)) return one.path;
      left.push({ path: one.path === '' ? name : `${one.path}.${name}`, value: inner });
    }
  }
  return undefined;
}
