import { DELIVERABILITIES, OUTSIDE_VERDICTS, STAGES } from '../../shared/words.ts';
import { ACTS, readEventTest } from './parse-event.ts';
import { readValueTest, readWords } from './parse-value.ts';
import { needWhen, readWhen } from './parse-when.ts';
import { Reader } from './reader.ts';
import { readTokens } from './tokens.ts';
import type { Condition } from './tree.ts';

/** Nobody nests deeper, and a text that does must not use up the stack. */
const DEEPEST = 40;
const MOST_DAYS = 36_500;

/** Reads the text of a condition. @throws UnreadableCondition with the place and what was expected there */
export function parseCondition(text: string): Condition {
  const reader = new Reader(readTokens(text));
  if (reader.peek().kind === 'end') throw reader.expected('a condition, as “clicked in the last 30 days”');
  const condition = readChain(reader, text, 0);
  if (reader.peek().kind !== 'end') throw reader.expected('“and”, “or” or the end', ['and', 'or']);
  return condition;
}

/** Parts with `and` between them, or with `or`; both in one chain are two readings, and refused. */
function readChain(reader: Reader, text: string, depth: number): Condition {
  const begin = reader.peek().from;
  const parts = [readUnary(reader, text, depth)];
  let kind: 'and' | 'or' | undefined;
  for (;;) {
    const word = reader.peek();
    if (word.kind !== 'word' || (word.value !== 'and' && word.value !== 'or')) break;
    if (kind !== undefined && word.value !== kind) throw mixed(reader, text, parts, kind, word);
    kind = word.value;
    reader.next();
    parts.push(readUnary(reader, text, depth));
  }
  if (kind === undefined) return parts[0]!;
  return Object.freeze({ kind, parts: Object.freeze(parts), span: { from: begin, to: reader.end } });
}

/** Shows both readings of `A and B or C`. */
function mixed(
  reader: Reader,
  text: string,
  parts: Condition[],
  kind: 'and' | 'or',
  word: { from: number; to: number },
) {
  const before = text.slice(parts[0]!.span!.from, parts.at(-1)!.span!.to);
  const last = text.slice(parts.at(-1)!.span!.from, parts.at(-1)!.span!.to);
  const first = text.slice(parts[0]!.span!.from, parts.at(-1)!.span!.from);
  const other = kind === 'and' ? 'or' : 'and';
  const rest = text.slice(word.to).trim().slice(0, 60);
  return reader.problem(
    'mixed',
    word,
    `“${kind}” and “${other}” stand side by side, which can be read in two ways. Set brackets: (${before}) ${other} ${rest}, or ${first}(${last} ${other} ${rest}).`,
  );
}

function readUnary(reader: Reader, text: string, depth: number): Condition {
  if (depth > DEEPEST)
    throw reader.problem(
      'too-deep',
      reader.peek(),
      `Brackets and “not” go ${DEEPEST} deep at most. Make a segment of the inner part.`,
    );
  const from = reader.peek().from;
  const spanned = (condition: Condition): Condition => Object.freeze({ ...condition, span: { from, to: reader.end } });
  if (reader.take('not')) return spanned({ kind: 'not', part: readUnary(reader, text, depth + 1) });
  if (reader.takeMark('(')) {
    const inner = readChain(reader, text, depth + 1);
    reader.needMark(')');
    return spanned(inner);
  }
  if (reader.take('never')) {
    const part = reader.peek().from;
    const event = readEventTest(reader);
    if (event.least !== null || event.most !== null || event.which !== 'any')
      throw reader.problem(
        'unexpected',
        { from: part, to: reader.end },
        '“never” leaves nothing to count: leave out how many times, first and last.',
      );
    return spanned({ kind: 'not', part: { kind: 'event', event, span: { from: part, to: reader.end } } });
  }
  return spanned(readPart(reader));
}

const FIRST_WORDS = [
  'everyone',
  'archived',
  'automated',
  'newcomer',
  'may',
  'segment',
  'in',
  'name',
  'address',
  'domain',
  'attribute',
  'tagged',
  'on',
  'waiting',
  'left',
  'joined',
  'stage',
  'deliverability',
  'verdict',
  'suppressed',
  'score',
  'silent',
  'never',
  'not',
  'first',
  'last',
  ...ACTS,
];

function readPart(reader: Reader): Condition {
  const word = reader.peek();
  if (word.kind !== 'word') throw reader.expected('a part of a condition, as “clicked in the last 30 days”');
  switch (word.value) {
    case 'everyone':
    case 'archived':
    case 'automated':
    case 'newcomer':
      reader.next();
      return { kind: word.value };
    case 'may': {
      const not = reader.take('may', 'not');
      reader.need(...(not ? ['be', 'mailed'] : ['may', 'be', 'mailed']));
      const kind = reader.take('by', 'any', 'brand') ? ('mailable-by-any' as const) : ('mailable' as const);
      return not ? { kind: 'not', part: { kind } } : { kind };
    }
    case 'segment':
      reader.next();
      return { kind: 'segment', name: reader.text('the name of a segment') };
    case 'in':
      if (!reader.take('in', 'snapshot')) throw notAPart(reader);
      return { kind: 'snapshot', name: reader.text('the name of a snapshot') };
    case 'name':
    case 'address':
    case 'domain':
      if (reader.take('domain', 'looks')) {
        reader.need('mistyped');
        return { kind: 'look-alike' };
      }
      reader.next();
      return { kind: 'field', field: word.value, test: readValueTest(reader) };
    case 'attribute':
      reader.next();
      return { kind: 'attribute', name: reader.text('the name of an attribute'), test: readValueTest(reader) };
    case 'tagged':
      reader.next();
      return { kind: 'tagged', tag: reader.text('a tag') };
    case 'on':
    case 'waiting':
    case 'left':
      return readListPart(reader);
    case 'joined':
      reader.next();
      return { kind: 'joined', when: needWhen(reader) };
    case 'stage':
      reader.next();
      return { kind: 'stage', are: readWords(reader, STAGES, 'a stage') };
    case 'deliverability':
      reader.next();
      return { kind: 'deliverability', are: readWords(reader, DELIVERABILITIES, 'a deliverability') };
    case 'verdict':
      reader.next();
      return { kind: 'verdict', are: readWords(reader, OUTSIDE_VERDICTS, 'a verdict') };
    case 'suppressed':
      reader.next();
      return { kind: 'suppressed', on: reader.take('on') ? reader.text('the name of a suppression list') : null };
    case 'score':
      reader.next();
      return { kind: 'score', test: readValueTest(reader) };
    case 'silent':
      return readSilent(reader);
    default:
      if (word.value !== 'first' && word.value !== 'last' && !ACTS.includes(word.value as (typeof ACTS)[number]))
        throw notAPart(reader);
      return { kind: 'event', event: readEventTest(reader) };
  }
}

function notAPart(reader: Reader): Error {
  return reader.expected('a part of a condition, as “clicked in the last 30 days”', FIRST_WORDS);
}

function readListPart(reader: Reader): Condition {
  const state = reader.take('waiting', 'on')
    ? 'pending'
    : reader.take('on')
      ? 'subscribed'
      : reader.take('left')
        ? 'unsubscribed'
        : undefined;
  if (state === undefined) reader.need('waiting', 'on', 'list');
  const any = reader.take('any', 'list');
  if (!any) reader.need('list');
  return { kind: 'list', list: any ? null : reader.text('the name of a list'), state: state!, since: readWhen(reader) };
}

function readSilent(reader: Reader): Condition {
  reader.need('silent', 'for');
  const days = reader.whole('Days of silence', 1, MOST_DAYS);
  if (!reader.take('days')) reader.need('day');
  if (!reader.take('with')) return { kind: 'silent', days, messages: 0 };
  reader.need('at', 'least');
  const messages = reader.whole('Messages in it', 1, 100_000);
  if (!reader.take('messages')) reader.need('message');
  return { kind: 'silent', days, messages };
}
