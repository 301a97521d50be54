/**
 * A field's value without its comments (RFC 5322 section 3.2.2): what stands in brackets, also in brackets within
 * brackets, but not within quotation marks. A comment that is never closed goes on to the end. One pass.
 */
export function withoutComments(value: string): string {
  if (!value.includes('(')) return value;
  const kept: string[] = [];
  let depth = 0;
  let quoted = false;
  let begun = 0;
  for (let at = 0; at < value.length; at++) {
    const character = value[at];
    if (character === '\\') at++;
    else if (character === '"' && depth === 0) quoted = !quoted;
    else if (character === '(' && !quoted) {
      if (depth++ === 0) kept.push(value.slice(begun, at));
    } else if (character === ')' && depth > 0 && --depth === 0) begun = at + 1;
  }
  if (depth === 0) kept.push(value.slice(begun));
  return kept.join('').trim();
}
