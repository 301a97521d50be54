import type { Logger } from 'pino';
import { sendConfirmations } from '../../operations/consent/confirm.ts';
import type { Relays } from '../../operations/relay/relay.ts';
import type { Deps } from '../../operations/deps.ts';
import { startLoop, type Loop } from './loop.ts';

const LOOK_EVERY_MS = 2000;

/** Asks those who signed up to confirm, reminds them, and ends what nobody confirmed in time. */
export function startConfirmer(deps: Deps, relays: Relays, log: Logger): Loop {
  return startLoop(log, 'confirmer', async () => {
    const due = await sendConfirmations(
      deps,
      (brandId) => relays.asOne(brandId),
      (err, signUp) => log.error({ err, signUp }, 'somebody could not be asked to confirm and will be later'),
    );
    return due > 0 ? 0 : LOOK_EVERY_MS;
  });
}
