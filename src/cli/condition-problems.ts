import { Refusal } from '../client/send.ts';
import type { ConditionProblem } from '../shared/contract/conditions.ts';
import { UsageError } from './usage-error.ts';

/** Does something with a condition; when it cannot be used, shows the places in its text. */
export async function withCondition<T>(text: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const problems =
      error instanceof Refusal ? (error.problem['problems'] as ConditionProblem[] | undefined) : undefined;
    if (!problems) throw error;
    throw new UsageError(problems.map((problem) => describeProblem(text, problem)).join('\n\n'));
  }
}

/** The line of the text in which a problem is, marked below, and what is wrong. */
export function describeProblem(text: string, { from, to, message }: ConditionProblem): string {
  if (to === 0 || text === '') return message;
  const start = text.lastIndexOf('\n', from - 1) + 1;
  const end = text.indexOf('\n', from) < 0 ? text.length : text.indexOf('\n', from);
  const shown = text.slice(start, end).slice(0, 200);
  const marks = '^'.repeat(Math.max(1, Math.min(to, end) - from));
  return `${shown}\n${' '.repeat(Math.min(200, from - start))}${marks.slice(0, 200)}\n${message}`;
}
