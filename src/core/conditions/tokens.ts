import { UnreadableCondition, type Span } from './tree.ts';

export interface Token extends Span {
  kind: 'word' | 'text' | 'number' | 'date' | '(' | ')' | ',' | 'end';
  /** A word in lower case, a text without its quotation marks; otherwise as it stands there. */
  value: string;
}

/** Longer than anything a person writes, and read in a few milliseconds. */
export const LONGEST_CONDITION = 20_000;
const BLANK = /(?:\s+|#[^\n]*)*/y;
const PATTERNS: readonly (readonly [Token['kind'], RegExp])[] = [
  ['date', /\d{4}-\d{2}-\d{2}(?![\w-])/y],
  ['number', /-?\d{1,15}(?:\.\d{1,6})?(?![\w.-])/y],
  ['word', /[A-Za-z][A-Za-z]*(?:-[A-Za-z]+)*/y],
  ['text', /"(?:[^"\\\n]|\\["\\])*"|“[^”\n]*”/y],
  ['(', /\(/y],
  [')', /\)/y],
  [',', /,/y],
];

/**
 * Takes a condition apart: words, texts in quotation marks, numbers, days and brackets; `#` begins a comment.
 * @throws UnreadableCondition
 */
export function readTokens(text: string): Token[] {
  if (text.length > LONGEST_CONDITION)
    throw new UnreadableCondition({
      code: 'too-long',
      from: LONGEST_CONDITION,
      to: text.length,
      message: `A condition has at most ${LONGEST_CONDITION.toLocaleString('en-GB')} characters; this has ${text.length.toLocaleString('en-GB')}. Make segments of its parts.`,
    });
  const tokens: Token[] = [];
  for (let at = after(BLANK, text, 0); at < text.length; at = after(BLANK, text, at)) {
    const token = tokenAt(text, at);
    tokens.push(token);
    at = token.to;
  }
  tokens.push({ kind: 'end', value: '', from: text.length, to: text.length });
  return tokens;
}

function tokenAt(text: string, at: number): Token {
  for (const [kind, pattern] of PATTERNS) {
    const to = after(pattern, text, at);
    if (to === at) continue;
    return { kind, value: valueOf(kind, text.slice(at, to)), from: at, to };
  }
  const open = text[at] === '"' || text[at] === '“';
  throw new UnreadableCondition({
    code: 'unreadable',
    from: at,
    to: at + 1,
    message: open
      ? 'This quotation mark is never closed.'
      : `“${[...text.slice(at, at + 2)][0]}” means nothing here. Texts stand in quotation marks, days as 2026-11-23.`,
  });
}

function after(pattern: RegExp, text: string, at: number): number {
  pattern.lastIndex = at;
  return pattern.test(text) ? pattern.lastIndex : at;
}

function valueOf(kind: Token['kind'], raw: string): string {
  if (kind === 'word') return raw.toLowerCase();
  return kind === 'text' ? raw.slice(1, -1).replace(/\\(["\\])/g, '$1') : raw;
}
