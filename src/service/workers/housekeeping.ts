import type { Logger } from 'pino';
import type { Deps } from '../../operations/deps.ts';
import { settleAbandonedDeliveries } from '../../store/statements/deliveries.ts';
import { findDeadProcesses, forgetProcesses } from '../../store/statements/processes.ts';
import { startLoop, type Loop } from './loop.ts';

const EVERY_MS = 2000;

/** Mends what processes that died have left behind: their claims go back to waiting, or become uncertain. */
export function startHousekeeping(deps: Deps, log: Logger): Loop {
  return startLoop(log, 'housekeeping', async () => {
    const dead = await findDeadProcesses(deps.database);
    if (dead.length > 0) {
      const settled = await settleAbandonedDeliveries(deps.database, dead);
      await forgetProcesses(deps.database, dead);
      log.warn({ dead: dead.length, ...settled }, 'settled what a stopped process left behind');
    }
    return EVERY_MS;
  });
}
