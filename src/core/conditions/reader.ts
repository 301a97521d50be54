import type { Token } from './tokens.ts';
import { UnreadableCondition, type ConditionProblem, type Span } from './tree.ts';
import { nearest } from './nearest.ts';

/** Reads tokens one after the other, and says what was expected where something else stands. */
export class Reader {
  private at = 0;
  private readonly tokens: readonly Token[];

  constructor(tokens: readonly Token[]) {
    this.tokens = tokens;
  }

  peek(ahead = 0): Token {
    return this.tokens[Math.min(this.at + ahead, this.tokens.length - 1)]!;
  }

  next(): Token {
    const token = this.peek();
    this.at++;
    return token;
  }

  /** The end of what was read last. */
  get end(): number {
    return this.tokens[Math.max(0, this.at - 1)]!.to;
  }

  /** Whether these words follow; if so they are read. */
  take(...words: string[]): boolean {
    if (!words.every((word, ahead) => this.peek(ahead).kind === 'word' && this.peek(ahead).value === word))
      return false;
    this.at += words.length;
    return true;
  }

  takeMark(mark: '(' | ')' | ','): boolean {
    if (this.peek().kind !== mark) return false;
    this.at++;
    return true;
  }

  /** These words, one after the other: the first that is not there is what is missing. */
  need(...words: string[]): void {
    for (const word of words) if (!this.take(word)) throw this.expected(`“${word}”`, [word]);
  }

  needMark(mark: '(' | ')' | ','): void {
    if (!this.takeMark(mark)) throw this.expected(`“${mark}”`);
  }

  text(what: string): string {
    if (this.peek().kind !== 'text') throw this.expected(`${what} in quotation marks`);
    return this.next().value;
  }

  whole(what: string, least: number, most: number): number {
    const token = this.peek();
    if (token.kind !== 'number' || !/^\d+$/.test(token.value)) throw this.expected(`${what}, a whole number`);
    const value = Number(token.value);
    if (value < least || value > most)
      throw this.problem(
        'out-of-range',
        token,
        `${what} goes from ${least.toLocaleString('en-GB')} to ${most.toLocaleString('en-GB')}.`,
      );
    this.next();
    return value;
  }

  /** A day as 2026-11-23. */
  day(): string {
    const token = this.peek();
    if (token.kind !== 'date') throw this.expected('a day as 2026-11-23');
    const instant = new Date(`${token.value}T00:00:00Z`);
    if (
      Number.isNaN(instant.getTime()) ||
      instant.toISOString().slice(0, 10) !== token.value ||
      token.value < '1970' ||
      token.value > '2200'
    )
      throw this.problem('impossible-date', token, `There is no day ${token.value}.`);
    return this.next().value;
  }

  /** One of these words. */
  oneOf<T extends string>(words: readonly T[], what: string): T {
    const token = this.peek();
    const found =
      token.kind === 'word' || token.kind === 'text' ? words.find((word) => word === token.value) : undefined;
    if (found === undefined) throw this.expected(`${what}: ${words.join(', ')}`, words);
    this.next();
    return found;
  }

  expected(what: string, known: readonly string[] = []): UnreadableCondition {
    const token = this.peek();
    const like = token.kind === 'word' && !known.includes(token.value) ? nearest(token.value, known) : undefined;
    const stands =
      token.kind === 'end'
        ? 'the condition ends'
        : `“${token.kind === 'text' ? `"${token.value.slice(0, 40)}"` : token.value.slice(0, 40)}” stands there`;
    return this.problem(
      'unexpected',
      token,
      `Here should be ${what}, but ${stands}.${like === undefined ? '' : ` Did you mean “${like}”?`}`,
    );
  }

  problem(code: ConditionProblem['code'], { from, to }: Span, message: string): UnreadableCondition {
    return new UnreadableCondition({ code, from, to, message });
  }
}
