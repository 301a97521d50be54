import { DEFAULT_RETENTION, type Retention, type RetentionState, type Swept } from '../../shared/retention.ts';
import { withExclusiveLock } from '../../store/statements/processes.ts';
import {
  listEventMonths,
  sweepActs,
  sweepFile,
  sweepRawReturns,
  sweepSignUps,
  sweepUnmatched,
} from '../../store/statements/retention.ts';
import { findSetting, saveSetting, saveSettingParts } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';

const SETTING = 'retention';
const LAST_SWEEP = 'retention swept';
const DAY_MS = 86_400_000;
/** Bytes of a return that is just being taken in are nobody's for a moment. */
const JUST_NOW_MS = 3_600_000;
/**
 * Each night the months are gone through that an act can have become too old in since the last; on the first of a month
 * all are, for what came in late.
 */
const LOOKED_BACK_MS = 40 * DAY_MS;

/** Class of the advisory lock of a sweep. */
const SWEEP_LOCKS = 73_010;

/** For how long things are kept, and what the last sweep took away. */
export async function findRetention({ database }: Pick<Deps, 'database'>): Promise<RetentionState> {
  const kept = await findSetting<Partial<Retention>>(database, SETTING);
  return { ...DEFAULT_RETENTION, ...kept, swept: (await findSetting<Swept>(database, LAST_SWEEP)) ?? null };
}

/** Changes the parts that are named, and answers all of it. What is too old then goes with the next sweep. */
export async function saveRetention(deps: Deps, change: Partial<Retention>, actor: string): Promise<RetentionState> {
  await saveSettingParts(deps.database, SETTING, change, actor);
  return findRetention(deps);
}

/**
 * Takes away what is too old, in pieces that each hold nothing for long. What reports need stays: who acted, when, on
 * which link, and how it was judged. Says what went; nothing when another process is at it.
 */
export async function sweepRetention(deps: Deps): Promise<Swept | undefined> {
  const runner = deps.database.createQueryRunner();
  let swept: Swept | undefined;
  try {
    await withExclusiveLock(runner, SWEEP_LOCKS, 0, async () => void (swept = await sweep(deps)));
  } finally {
    await runner.release();
  }
  return swept;
}

async function sweep(deps: Deps): Promise<Swept> {
  const { database } = deps;
  const now = deps.now();
  const { networkDays, rawReturnDays, unmatchedDays, fileDays, swept: last } = await findRetention(deps);
  const ago = (days: number): Date => new Date(now.getTime() - days * DAY_MS);
  const unmatched = await inPieces(() => sweepUnmatched(database, ago(unmatchedDays)));
  const swept: Swept = {
    at: now.toISOString(),
    acts: await sweepAllActs(deps, ago(networkDays), last),
    signUps: await inPieces(() => sweepSignUps(database, ago(networkDays))),
    unmatched,
    rawReturns: await inPieces(() =>
      sweepRawReturns(database, ago(rawReturnDays), new Date(now.getTime() - JUST_NOW_MS)),
    ),
    files: await inPieces(async () => ((await sweepFile(database, ago(fileDays))) ? 1 : 0)),
  };
  await saveSetting(database, LAST_SWEEP, swept, 'the retention sweep');
  return swept;
}

async function sweepAllActs({ database, now }: Deps, before: Date, last: Swept | null): Promise<number> {
  const everything = last === null || now().getUTCDate() === 1;
  const since = everything ? new Date(0) : new Date(before.getTime() - LOOKED_BACK_MS);
  let acts = 0;
  for (const month of await listEventMonths(database, since, before))
    for (let from: number | null = 0; from !== null;) {
      const piece = await sweepActs(database, month, from, before);
      acts += piece.acts;
      from = piece.next;
    }
  return acts;
}

async function inPieces(piece: () => Promise<number>): Promise<number> {
  let all = 0;
  for (let some = await piece(); some > 0; some = await piece()) all += some;
  return all;
}
