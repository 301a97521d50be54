import { line } from './format-condition.ts';
import { ConditionWriter, type ConditionContext, type Needs } from './sql.ts';
import type { Condition } from './tree.ts';

/** One line of a condition's preview: a part, or the chain that holds the parts below it. */
export interface PreviewLine {
  depth: number;
  /** `and` or `or` before the second part of a chain and those after it. */
  joined: 'and' | 'or' | null;
  text: string;
}

export interface PreviewSql {
  lines: PreviewLine[];
  /** Expressions over `contact c`, each worked out once a contact: columns p0, p1, … of `b`. */
  leaves: string;
  /** Counts of each line alone, then of each line with those before it in its chain, as aggregates over `b`. */
  counts: string;
  /** The whole condition over `b`. */
  whole: string;
  parameters: unknown[];
  needs: Needs;
}

/**
 * SQL that counts every line of a condition in one pass: how many it alone matches, and how many are left behind it.
 */
export function previewSql(condition: Condition, context: ConditionContext, firstParameter: number): PreviewSql {
  const writer = new ConditionWriter(context, firstParameter);
  const leaves: string[] = [];
  const lines: PreviewLine[] = [];
  const alone: string[] = [];
  const after: string[] = [];
  const add = (one: Condition, depth: number, joined: PreviewLine['joined'], before: string): string => {
    const index = lines.push({ depth, joined, text: headOf(one) }) - 1;
    const test = testOf(one, depth);
    alone[index] = test;
    after[index] = before === '' ? test : `(${before} ${joined === 'or' ? 'OR' : 'AND'} ${test})`;
    return test;
  };
  const testOf = (one: Condition, depth: number): string => {
    if (one.kind === 'and' || one.kind === 'or') return chain(one, depth + 1);
    if (one.kind === 'not' && (one.part.kind === 'and' || one.part.kind === 'or'))
      return `(NOT ${chain(one.part, depth + 1)})`;
    return `b.p${leaves.push(writer.write(one)) - 1}`;
  };
  const chain = (one: Condition & { kind: 'and' | 'or' }, depth: number): string => {
    let so = '';
    one.parts.forEach((part, index) => {
      const test = add(part, depth, index === 0 ? null : one.kind, so);
      so = so === '' ? test : `(${so} ${one.kind === 'and' ? 'AND' : 'OR'} ${test})`;
    });
    return so;
  };
  const whole = add(condition, 0, null, '');
  const counts = [...alone, ...after].map((test) => `count(*) FILTER (WHERE ${test})::int`).join(', ');
  return {
    lines,
    leaves: leaves.map((leaf, index) => `coalesce(${leaf}, false) AS p${index}`).join(', '),
    counts,
    whole,
    parameters: writer.parameters,
    needs: writer.needs,
  };
}

function headOf(condition: Condition): string {
  if (condition.kind === 'and') return 'all of these';
  if (condition.kind === 'or') return 'any of these';
  if (condition.kind === 'not' && condition.part.kind === 'and') return 'not all of these';
  return condition.kind === 'not' && condition.part.kind === 'or' ? 'none of these' : line(condition);
}
