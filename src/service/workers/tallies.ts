import type { Logger } from 'pino';
import type { Deps } from '../../operations/deps.ts';
import { catchUp } from '../../operations/tallies/catch-up.ts';
import { makeFolding } from '../../operations/tallies/fold-tallies.ts';
import { startLoop, type Loop } from './loop.ts';

const LOOK_EVERY_MS = 5000;

/** Takes in what was stored before this version, a piece at a time, until all is. */
export function startCatchingUp(deps: Deps, log: Logger): Loop {
  return startLoop(log, 'catching up', async () => ((await catchUp(deps)) ? 0 : LOOK_EVERY_MS));
}

const FOLD_EVERY_MS = 250;

/** Folds what has changed into the tallies; of several processes one does. */
export function startFolding(deps: Deps, log: Logger): Loop {
  const fold = makeFolding(deps);
  return startLoop(log, 'folding of tallies', async () => {
    await fold();
    return FOLD_EVERY_MS;
  });
}
