import type { Logger } from 'pino';
import { watchBrake } from '../../operations/campaigns/brake.ts';
import type { Deps } from '../../operations/deps.ts';
import { startLoop, type Loop } from './loop.ts';

const EVERY_MS = 2000;

/** Watches the figures of campaigns under way, and stops what has passed its limit. */
export function startBrake(deps: Deps, log: Logger): Loop {
  return startLoop(log, 'brake', async () => {
    await watchBrake(deps);
    return EVERY_MS;
  });
}
