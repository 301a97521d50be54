/** A name or text as the condition language quotes it (docs/conditions.md): quotation marks and backslashes escaped. */
export function quoted(text: string): string {
  return `"${text.replace(/["\\]/g, '\\$&')}"`;
}
