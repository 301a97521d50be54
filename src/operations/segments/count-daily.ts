import { dayOf } from '../../core/time/days.ts';
import { countMailable } from '../../store/statements/conditions.ts';
import { countMatchingKept, keepCount, listSegmentsToCount } from '../../store/statements/snapshots.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkCondition } from './condition-context.ts';
import { withinTime } from './within-time.ts';

/**
 * Counts every segment that has no count yet for today in its brand's zone. One that can no longer be worked out, or
 * takes too long, is passed over, and one that fails keeps no other from its turn. Returns how many were counted.
 */
export async function countSegmentsDaily(deps: Deps, log: (error: unknown, segment: number) => void): Promise<number> {
  let counted = 0;
  for (const { id, brandId, name, condition: text, zone, countedOn } of await listSegmentsToCount(deps.database)) {
    const day = dayOf(deps.now().getTime(), zone);
    if (countedOn === day) continue;
    try {
      const { condition, context } = await checkCondition(deps, brandId, text, name);
      await withinTime(deps, async (sql) => {
        const mailable = await countMailable(sql, condition, context);
        await keepCount(sql, { segmentId: id, day, matching: await countMatchingKept(sql), mailable });
      });
      counted++;
    } catch (error) {
      if (!(error instanceof Problem)) log(error, id);
    }
  }
  return counted;
}
