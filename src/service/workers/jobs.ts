import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { makeImportTries } from '../../operations/imports/try-imports.ts';
import type { Deps } from '../../operations/deps.ts';
import { sweepRetention } from '../../operations/organisation/retention.ts';
import { applyRulesOnSchedule, type LogFailure } from '../../operations/runs/apply-on-schedule.ts';
import { makeRunTries } from '../../operations/runs/work-through.ts';
import { countSegmentsDaily } from '../../operations/segments/count-daily.ts';
import { listUnfinishedImports } from '../../store/statements/imports.ts';
import { withExclusiveLock } from '../../store/statements/processes.ts';
import { listOpenRuns } from '../../store/statements/run-work.ts';
import { startLoop, type Loop } from './loop.ts';

/** Class of the advisory locks that say "this import is being worked on". */
const IMPORT_LOCKS = 73_004;
const LOOK_EVERY_MS = 250;
const RULES_QUEUE = 'apply-rules';
/** Nightly, when the rules have been applied. */
const SWEEP_QUEUE = 'retention';
const SWEEP_CRON = '45 4 * * *';
const COUNT_QUEUE = 'count-segments';
/** Every hour: a segment is counted once a day, soon after midnight in its brand's zone. */
const COUNT_CRON = '7 * * * *';

/**
 * Works imports through, one at a time in this process. An import is held by an advisory lock, which PostgreSQL lets go
 * of when the process dies; so another process, or this one started again, goes on at once.
 */
export function startImporter(deps: Deps, log: Logger): Loop {
  const tryImport = makeImportTries(deps, (id, err) =>
    log.error({ err, import: id }, 'an import stopped and will be tried again'),
  );
  return startLoop(log, 'importer', async () => {
    for (const id of await listUnfinishedImports(deps.database)) {
      const runner = deps.database.createQueryRunner();
      try {
        await withExclusiveLock(runner, IMPORT_LOCKS, id, async () => void (await tryImport(id)));
      } finally {
        await runner.release();
      }
    }
    return LOOK_EVERY_MS;
  });
}

/**
 * Works on runs over many, a piece of each in turn, so that a short one need not wait for a long one's end. A run whose
 * process has died goes on here.
 */
export function startRunner(deps: Deps, log: Logger): Loop {
  const tryPiece = makeRunTries(deps, (id, err) =>
    log.error({ err, run: id }, 'a piece of a run failed and will be tried again'),
  );
  return startLoop(log, 'runner', async (stopping) => {
    let goesOn = false;
    for (const id of await listOpenRuns(deps.database)) {
      if (stopping()) break;
      if ((await tryPiece(id)) === 'on') goesOn = true;
    }
    return goesOn ? 0 : LOOK_EVERY_MS;
  });
}

/** Applies the rules on their schedule, and counts segments daily; the queue sees to it that one process does, once. */
export async function startSchedule(
  deps: Deps,
  databaseUrl: string,
  cron: string,
  log: Logger,
): Promise<{ stop(): Promise<void> }> {
  const boss = new PgBoss({ connectionString: databaseUrl, schema: 'jobs', max: 2, application_name: 'avendel jobs' });
  boss.on('error', (error) => log.error({ err: error }, 'the job queue reports an error'));
  await boss.start();
  await boss.createQueue(RULES_QUEUE);
  // A pass over millions takes hours: it is neither taken for dead meanwhile nor begun again when it has failed.
  await boss.schedule(RULES_QUEUE, cron, undefined, { expireInHours: 23, retryLimit: 0 });
  const logFailure: LogFailure = (err, rule, brandId) =>
    log.error({ err, rule, brandId }, 'a rule could not be applied on schedule');
  await boss.work(RULES_QUEUE, async () => {
    if (!(await applyRulesOnSchedule(deps, logFailure)))
      log.warn('the rules are still being applied; this turn is passed over');
  });
  await boss.createQueue(COUNT_QUEUE);
  await boss.schedule(COUNT_QUEUE, COUNT_CRON);
  await boss.work(COUNT_QUEUE, () =>
    countSegmentsDaily(deps, (err, segment) => log.error({ err, segment }, 'a segment could not be counted')),
  );
  await boss.createQueue(SWEEP_QUEUE);
  await boss.schedule(SWEEP_QUEUE, SWEEP_CRON, undefined, { expireInHours: 23, retryLimit: 0 });
  await boss.work(SWEEP_QUEUE, async () => {
    await sweepRetention(deps).catch((err: unknown) => log.error({ err }, 'what is too old could not be taken away'));
  });
  // What was due while nothing ran is counted now.
  await boss.send(COUNT_QUEUE, {});
  return { stop: () => boss.stop({ graceful: true, timeout: 5000 }) };
}
