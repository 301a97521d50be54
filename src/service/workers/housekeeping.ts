import type { Logger } from 'pino';
import { FORGOTTEN_AFTER_MS } from '../../core/access/sign-in-wait.ts';
import { KEYS_LOOKED_FOR_MS, refreshTokenKeys } from '../../operations/accounts/token-keys.ts';
import type { Deps } from '../../operations/deps.ts';
import { inTransaction } from '../../store/database.ts';
import { settleAbandonedDeliveries } from '../../store/statements/deliveries.ts';
import { sweepIdempotent } from '../../store/statements/idempotency.ts';
import { sweepSignInTries } from '../../store/statements/sign-in-tries.ts';
import { findDeadProcesses, forgetProcesses } from '../../store/statements/processes.ts';
import { startLoop, type Loop } from './loop.ts';

const EVERY_MS = 2000;
const SWEEP_MS = 3_600_000;

/** Mends what processes that died have left behind: their claims go back to waiting, or become uncertain. */
export function startHousekeeping(deps: Deps, log: Logger): Loop {
  let nextSweep = 0;
  let nextKeys = Date.now() + KEYS_LOOKED_FOR_MS;
  return startLoop(log, 'housekeeping', async () => {
    const dead = await findDeadProcesses(deps.database);
    const settled = await inTransaction(deps.database, settleAbandonedDeliveries);
    if (dead.length > 0) await forgetProcesses(deps.database, dead);
    if (dead.length + settled.requeued + settled.uncertain > 0)
      log.warn({ dead: dead.length, ...settled }, 'settled what a stopped process left behind');
    if (Date.now() >= nextSweep) {
      await sweepIdempotent(deps.database);
      await sweepSignInTries(deps.database, new Date(deps.now().getTime() - FORGOTTEN_AFTER_MS));
      nextSweep = Date.now() + SWEEP_MS;
    }
    if (Date.now() >= nextKeys) {
      await refreshTokenKeys(deps);
      nextKeys = Date.now() + KEYS_LOOKED_FOR_MS;
    }
    return EVERY_MS;
  });
}
