import type { Logger } from 'pino';
import { sendPass, type SendPass } from '../../operations/campaigns/send-campaign.ts';
import { moveOn } from '../../operations/campaigns/move-on.ts';
import type { Relays } from '../../operations/relay/relay.ts';
import type { Deps } from '../../operations/deps.ts';
import { listSendingCampaigns, setTrouble } from '../../store/statements/campaigns.ts';
import type { ProcessId } from '../process-identity.ts';
import { startLoop, type Loop } from './loop.ts';

const IDLE_MS = 300;
/** Sends whatever campaign is in state sending, a claim of recipients at a time, campaigns in turn. */
export function startSender(deps: Deps, relays: Relays, processId: ProcessId, retrySeconds: number, log: Logger): Loop {
  return startLoop(log, 'sender', async (stopping) => {
    const results: SendPass[] = [];
    await moveOn(deps).catch((error: Error) =>
      log.error({ err: error }, 'a campaign could not be moved on and will be tried again'),
    );
    for (const { id, brandId } of await listSendingCampaigns(deps.database)) {
      const turn = async (): Promise<SendPass> => {
        // Where all of them rest after trouble, the campaign waits, and no campaign of another brand with it.
        const relay = (await relays.ofBrand(brandId)).find(({ rests }) => !rests);
        return relay ? sendPass(deps, relay, { retrySeconds, stopping }, processId, id) : 'waiting';
      };
      // One campaign that fails keeps no other from its turn.
      results.push(
        await turn().catch(async (error: Error): Promise<SendPass> => {
          log.error({ err: error, campaign: id }, 'a campaign could not be sent on and will be tried again');
          await setTrouble(deps.database, id, `it failed: ${error.message}`).catch(() => undefined);
          return 'waiting';
        }),
      );
    }
    return results.includes('more') ? 0 : IDLE_MS;
  });
}
