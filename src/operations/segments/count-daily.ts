import dayjs from 'dayjs';
import timezone from 'dayjs/plugin/timezone.js';
import utc from 'dayjs/plugin/utc.js';
import { countMailable } from '../../store/statements/conditions.ts';
import { countMatchingKept, keepCount, listSegmentsToCount } from '../../store/statements/snapshots.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { checkCondition } from './condition-context.ts';
import { withinTime } from './within-time.ts';

dayjs.extend(utc);
dayjs.extend(timezone);

/**
 * Counts every segment that has no count yet for today in its brand's zone. One that can no longer be worked out, or
 * takes too long, is passed over. Returns how many were counted.
 */
export async function countSegmentsDaily(deps: Deps): Promise<number> {
  let counted = 0;
  for (const { id, brandId, name, condition: text, zone, countedOn } of await listSegmentsToCount(deps.database)) {
    const day = dayjs(deps.now()).tz(zone).format('YYYY-MM-DD');
    if (countedOn === day) continue;
    try {
      const { condition, context } = await checkCondition(deps, brandId, text, name);
      await withinTime(deps, async (sql) => {
        const mailable = await countMailable(sql, condition, context);
        await keepCount(sql, { segmentId: id, day, matching: await countMatchingKept(sql), mailable });
      });
      counted++;
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
    }
  }
  return counted;
}
