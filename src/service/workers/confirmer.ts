import type { Logger } from 'pino';
import { sendConfirmations } from '../../operations/permission/confirm.ts';
import type { Relay } from '../../operations/campaigns/relay.ts';
import type { Deps } from '../../operations/deps.ts';
import { startLoop, type Loop } from './loop.ts';

const LOOK_EVERY_MS = 2000;

/** Asks those who signed up to confirm, reminds them, and ends what nobody confirmed in time. */
export function startConfirmer(deps: Deps, relay: Relay, log: Logger): Loop {
  return startLoop(log, 'confirmer', async () => ((await sendConfirmations(deps, relay)) > 0 ? 0 : LOOK_EVERY_MS));
}
