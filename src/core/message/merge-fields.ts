/** A piece of a template: text that stands as it is, or a field of the contact with what to say when it is empty. */
export type TemplatePiece = { kind: 'text'; text: string } | { kind: 'field'; field: string; fallback: string };

export interface TemplateProblem {
  code:
    | 'unknown-field'
    | 'unclosed-field'
    | 'no-fallback'
    | 'field-in-link'
    | 'broken-link'
    | 'long-link'
    | 'many-links'
    | 'too-deep';
  /** Offset in characters from the start of the template. */
  at: number;
  /** Where what is wrong ends. */
  end: number;
  message: string;
}

export interface ParsedTemplate {
  pieces: TemplatePiece[];
  problems: TemplateProblem[];
}

/** Problems told of one template: whoever has mended these is told of the next. */
export const MOST_PROBLEMS = 100;
const FIELD_NAME = /^[a-z][a-z0-9_ ]{0,63}$/i;

/**
 * Reads a template: `[[first_name else "stargazer"]]` stands for the contact's first name, or for "stargazer" when
 * there is none. A field that may be empty must say what else to write. `known` names the fields there are.
 */
export function parseTemplate(template: string, known: ReadonlySet<string>): ParsedTemplate {
  const pieces: TemplatePiece[] = [];
  const problems: TemplateProblem[] = [];
  let from = 0;
  for (;;) {
    const start = template.indexOf('[[', from);
    if (start < 0) break;
    const end = template.indexOf(']]', start);
    if (end < 0) {
      problems.push({
        code: 'unclosed-field',
        at: start,
        end: start + 2,
        message: 'This merge field is opened with [[ and never closed with ]].',
      });
      break;
    }
    if (start > from) pieces.push({ kind: 'text', text: template.slice(from, start) });
    pieces.push(readField(template.slice(start + 2, end), start, known, problems));
    from = end + 2;
  }
  pieces.push({ kind: 'text', text: template.slice(from) });
  return { pieces, problems };
}

function readField(inside: string, at: number, known: ReadonlySet<string>, problems: TemplateProblem[]): TemplatePiece {
  const [namePart = '', ...rest] = inside.split(/\selse\s/);
  const field = namePart.trim().toLowerCase();
  const end = at + inside.length + 4;
  const fallback = rest
    .join(' else ')
    .trim()
    .replace(/^"(.*)"$/, '$1');
  if (problems.length >= MOST_PROBLEMS) return { kind: 'field', field, fallback };
  if (!FIELD_NAME.test(field) || !known.has(field)) {
    const names = [...known].sort().join(', ');
    problems.push({ code: 'unknown-field', at, end, message: `There is no field “${field}”. Known fields: ${names}.` });
  } else if (rest.length === 0 && field !== 'address') {
    problems.push({
      code: 'no-fallback',
      at,
      end,
      message: `Say what to write when “${field}” is empty: [[${field} else "…"]].`,
    });
  }
  return { kind: 'field', field, fallback };
}

/**
 * Writes a template out for one contact. `escape` makes a value safe for where it stands (HTML or plain text); `fill`
 * puts into the author's own text what Avendel adds there, and never into a value.
 */
export function renderTemplate(
  pieces: TemplatePiece[],
  fields: Readonly<Record<string, string | undefined>>,
  escape: (value: string) => string,
  fill: (text: string) => string = (text) => text,
): string {
  let out = '';
  for (const piece of pieces) {
    if (piece.kind === 'text') out += fill(piece.text);
    else out += escape(nonEmpty(fields[piece.field]) ?? piece.fallback);
  }
  return out;
}

function nonEmpty(value: string | undefined): string | undefined {
  return value === undefined || value.trim() === '' ? undefined : value;
}

/** Makes a value safe inside HTML text and attribute values. */
export function escapeHtml(value: string): string {
  return value.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);
}

/**
 * A header or plain-text value on one line: line breaks and other control characters would let a contact's name add
 * headers.
 */
export function oneLine(value: string): string {
  return value.replace(/[\p{Cc}\u2028\u2029]+/gu, ' ');
}
