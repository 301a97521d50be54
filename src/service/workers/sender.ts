import type { Logger } from 'pino';
import { sendPass, type SendPass } from '../../operations/campaigns/send-campaign.ts';
import { moveOn } from '../../operations/campaigns/move-on.ts';
import type { Relay } from '../../operations/relay/relay.ts';
import type { Deps } from '../../operations/deps.ts';
import { listSendingCampaigns, setTrouble } from '../../store/statements/campaigns.ts';
import type { ProcessId } from '../process-identity.ts';
import { startLoop, type Loop } from './loop.ts';

const IDLE_MS = 300;
/** Wait after the relay was in trouble; grows with each time in a row. */
const TROUBLE_MS = 1000;
const LONGEST_TROUBLE_MS = 30_000;

/** Sends whatever campaign is in state sending, a claim of recipients at a time, campaigns in turn. */
export function startSender(deps: Deps, relay: Relay, processId: ProcessId, retrySeconds: number, log: Logger): Loop {
  let troubles = 0;
  return startLoop(log, 'sender', async (stopping) => {
    const results: SendPass[] = [];
    await moveOn(deps).catch((error: Error) =>
      log.error({ err: error }, 'a campaign could not be moved on and will be tried again'),
    );
    for (const campaignId of await listSendingCampaigns(deps.database)) {
      const pass = sendPass(deps, relay, { retrySeconds, stopping }, processId, campaignId);
      // One campaign that fails keeps no other from its turn.
      results.push(
        await pass.catch(async (error: Error): Promise<SendPass> => {
          log.error({ err: error, campaign: campaignId }, 'a campaign could not be sent on and will be tried again');
          await setTrouble(deps.database, campaignId, `it failed: ${error.message}`).catch(() => undefined);
          return 'waiting';
        }),
      );
    }
    if (results.includes('trouble')) return Math.min(LONGEST_TROUBLE_MS, TROUBLE_MS * 2 ** troubles++);
    troubles = 0;
    return results.includes('more') ? 0 : IDLE_MS;
  });
}
