import type { Reader } from './reader.ts';
import type { Comparison, ValueTest } from './tree.ts';

const TWO_WORDS: readonly (readonly [string, string, Comparison])[] = [
  ['starts', 'with', 'starts with'],
  ['more', 'than', 'more than'],
  ['less', 'than', 'less than'],
  ['at', 'least', 'at least'],
  ['at', 'most', 'at most'],
];
const MOST_VALUES = 1000;

/**
 * `is "x"`, `is not one of ("x", "y")`, `contains "x"`, `starts with "x"`, `is at least 3`, `is before 2026-11-23`, `is
 * set`, `is yes`.
 */
export function readValueTest(reader: Reader): ValueTest {
  if (reader.take('contains')) return { compare: 'contains', values: [reader.text('a text')] };
  if (reader.take('starts', 'with')) return { compare: 'starts with', values: [reader.text('a text')] };
  if (!reader.take('is')) throw reader.expected('“is”, “contains” or “starts with”', ['is', 'contains', 'starts']);
  if (reader.take('set')) return { compare: 'set' };
  if (reader.take('not', 'set')) return { compare: 'not set' };
  const not = reader.take('not');
  if (reader.take('one', 'of')) return { compare: not ? 'is not' : 'is', values: readList(reader) };
  if (not) return { compare: 'is not', values: [readValue(reader)] };
  for (const [first, second, compare] of TWO_WORDS)
    if (reader.take(first, second)) return { compare, values: [readValue(reader)] };
  if (reader.take('before')) return { compare: 'before', values: [reader.day()] };
  if (reader.take('after')) return { compare: 'after', values: [reader.day()] };
  return { compare: 'is', values: [readValue(reader)] };
}

function readList(reader: Reader): (string | number | boolean)[] {
  reader.needMark('(');
  const values = [readValue(reader)];
  while (reader.takeMark(',')) {
    if (values.length === MOST_VALUES)
      throw reader.problem('out-of-range', reader.peek(), `At most ${MOST_VALUES} values stand here.`);
    values.push(readValue(reader));
  }
  reader.needMark(')');
  return values;
}

function readValue(reader: Reader): string | number | boolean {
  const token = reader.peek();
  if (token.kind === 'text') return reader.next().value;
  if (token.kind === 'number') return Number(reader.next().value);
  if (token.kind === 'date') return reader.day();
  if (reader.take('yes')) return true;
  if (reader.take('no')) return false;
  throw reader.expected('a text in quotation marks, a number, a day, yes or no', ['yes', 'no']);
}

/** `is engaged`, `is one of (fading, dormant)`, from a closed list of words. */
export function readWords<T extends string>(reader: Reader, words: readonly T[], what: string): T[] {
  reader.need('is');
  if (!reader.take('one', 'of')) return [reader.oneOf(words, what)];
  reader.needMark('(');
  const found = [reader.oneOf(words, what)];
  while (reader.takeMark(',')) found.push(reader.oneOf(words, what));
  reader.needMark(')');
  return words.filter((word) => found.includes(word));
}
