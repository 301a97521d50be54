import { inTransaction, overWholeSet } from '../../store/database.ts';
import { compareActivity, replaceActivityOf } from '../../store/statements/events.ts';
import type { Deps } from '../deps.ts';

export interface RebuiltActivity {
  /** Rows of activity there are. */
  rows: number;
  /** Contacts whose activity was not what their events say; mended. There must be none. */
  differing: number;
  sample: number[];
}

/** Contacts mended in one transaction. */
const BATCH = 1000;
const SAMPLE = 20;

/** Derives all activity from the events, reports what differed, and puts it right. */
export async function rebuildActivity(deps: Deps): Promise<RebuiltActivity> {
  const { rows, differing } = await overWholeSet(deps.database, (sql) => compareActivity(sql));
  for (let at = 0; at < differing.length; at += BATCH)
    await inTransaction(deps.database, (sql) => replaceActivityOf(sql, differing.slice(at, at + BATCH)));
  return { rows, differing: differing.length, sample: differing.slice(0, SAMPLE) };
}
