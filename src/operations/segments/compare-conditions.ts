import { formatCondition } from '../../core/conditions/format-condition.ts';
import type { Condition } from '../../core/conditions/tree.ts';
import { countMailable, countMatching } from '../../store/statements/conditions.ts';
import type { Deps } from '../deps.ts';
import { checkCondition } from './condition-context.ts';
import { withinTime } from './within-time.ts';

export interface ComparedCondition {
  /** In its canonical form. */
  condition: string;
  matching: number;
  /** Of these, those whom nothing of `without` matches. */
  left: number;
  /** Of these, who may get marketing of the brand now. */
  mailable: number;
}

/** Counts several conditions side by side, each less the same others: how an audience grows as it is widened. */
export async function compareConditions(
  deps: Deps,
  { brandId, conditions, without }: { brandId: number; conditions: string[]; without: string[] },
): Promise<ComparedCondition[]> {
  const others: Condition[] = [];
  for (const text of without) others.push((await checkCondition(deps, brandId, text)).condition);
  const compared: ComparedCondition[] = [];
  for (const text of conditions) {
    const { condition } = await checkCondition(deps, brandId, text);
    const rest: Condition = {
      kind: 'and',
      parts: [condition, ...others.map((part): Condition => ({ kind: 'not', part }))],
    };
    // Read again as a whole: so it knows every name that stands in any part of it.
    const whole = await checkCondition(deps, brandId, formatCondition(rest.parts.length === 1 ? condition : rest));
    compared.push(
      await withinTime(deps, async (sql) => ({
        condition: formatCondition(condition),
        matching: await countMatching(sql, condition, whole.context),
        left: await countMatching(sql, whole.condition, whole.context),
        mailable: await countMailable(sql, whole.condition, whole.context),
      })),
    );
  }
  return compared;
}
