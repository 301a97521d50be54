import { line } from './format-condition.ts';
import type { Condition, ConditionProblem, Span } from './tree.ts';

/**
 * Parts that can only be true, can only be false, or add nothing, seen from the text alone: `a or not a`, `not a or not
 * b` where it is rarely meant, `a and not a`, `a or (a and b)`. They are said, and not refused: what counts say comes
 * besides.
 */
export function reportLogicProblems(condition: Condition): ConditionProblem[] {
  if (condition.kind === 'not') return reportLogicProblems(condition.part);
  if (condition.kind !== 'and' && condition.kind !== 'or') return [];
  return [...ofChain(condition), ...condition.parts.flatMap(reportLogicProblems)];
}

type Chain = Condition & { kind: 'and' | 'or' };

function ofChain(chain: Chain): ConditionProblem[] {
  const found: ConditionProblem[] = [];
  const say = (part: Condition, code: ConditionProblem['code'], message: string): void =>
    void found.push({ code, ...(part.span ?? NOWHERE), message, warning: true });
  chain.parts.forEach((part, index) => {
    const before = chain.parts.slice(0, index);
    if (before.some((other) => same(other, part))) say(part, 'swallowed', `“${line(part)}” stands here twice.`);
    const against = before.find((other) => areOpposite(other, part));
    if (against && chain.kind === 'or')
      say(part, 'always-true', `“${line(against)} or ${line(part)}” is true of every contact.`);
    if (against && chain.kind === 'and')
      say(part, 'always-false', `“${line(against)} and ${line(part)}” is true of nobody.`);
    const wider = chain.parts.find(
      (other) =>
        other !== part &&
        part.kind === oppositeKind(chain.kind) &&
        partsOfChain(part).some((inner) => same(inner, other)),
    );
    if (wider) say(part, 'swallowed', `“${line(part)}” adds nothing: “${line(wider)}” decides already.`);
    if (part.kind === 'everyone')
      say(
        part,
        chain.kind === 'or' ? 'always-true' : 'swallowed',
        chain.kind === 'or' ? 'With “or everyone” this is true of every contact.' : '“and everyone” adds nothing.',
      );
  });
  return [...found, ...notThisOrNotThat(chain)];
}

/** `not a or not b` is true of everybody who is not both: nearly always `and` is meant. */
function notThisOrNotThat(chain: Chain): ConditionProblem[] {
  const nots = chain.parts.flatMap((part) => (part.kind === 'not' ? [part] : []));
  if (chain.kind !== 'or' || nots.length < 2) return [];
  const [first, second] = nots;
  return [
    {
      code: 'always-true',
      ...(chain.span ?? NOWHERE),
      warning: true,
      message: `“${line(first!)} or ${line(second!)}” is true unless both hold of somebody, which is nearly everybody. Did you mean “and”?`,
    },
  ];
}

const NOWHERE: Span = { from: 0, to: 0 };

function same(a: Condition, b: Condition): boolean {
  return line(a) === line(b);
}

function areOpposite(a: Condition, b: Condition): boolean {
  return (a.kind === 'not' && same(a.part, b)) || (b.kind === 'not' && same(b.part, a));
}

function oppositeKind(kind: 'and' | 'or'): 'and' | 'or' {
  return kind === 'and' ? 'or' : 'and';
}

function partsOfChain(condition: Condition): readonly Condition[] {
  return condition.kind === 'and' || condition.kind === 'or' ? condition.parts : [];
}
