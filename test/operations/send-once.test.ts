import { afterAll, expect, test } from '@jest/globals';
import { callBackFromSends } from '../../src/operations/marks/call-back.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld } from '../support/world.ts';
import { shortDraft } from '../support/parts.ts';

const CONTACTS = 180;
const PROCESSES = ['00000000-0000-4000-8000-000000000001', '00000000-0000-4000-8000-000000000002'];
const deps = await makeDeps();
const world = await makeSmallWorld(deps, CONTACTS);
afterAll(() => deps.close());

test('invariant 6, once: whoever is called back and claimed again while a send goes on gets it once', async () => {
  for (let round = 0; round < 12; round++) {
    const campaign = await createCampaign(deps, shortDraft(world, `Round ${round}`));
    await startCampaign(deps, campaign.id, { expected: CONTACTS, actor: 'Rosa Lindgard' });
    const handed: string[] = [];
    const handOver = async ({ to }: { to: string }) => {
      handed.push(to);
      await new Promise((resolve) => setTimeout(resolve, 1));
      return { outcome: 'accepted' as const, reply: '250 ok' };
    };
    let sending = true;
    const recalling = (async () => {
      while (sending) {
        await callBackFromSends(deps, 'all');
        await new Promise((resolve) => setTimeout(resolve, 4));
      }
    })();
    // Two processes, as the called back are then claimed by either.
    const process = async (id: string): Promise<void> => {
      for (let so = 'more'; so !== 'ended';)
        so = await sendPass(
          deps,
          { connections: 8, handOver },
          { retrySeconds: 1, stopping: () => false },
          () => id,
          campaign.id,
        );
    };
    await Promise.all(PROCESSES.map(process));
    sending = false;
    await recalling;
    expect([...handed].sort()).toEqual([...world.addresses].sort());
    expect(await findLedger(deps, campaign.id)).toMatchObject({ accepted: CONTACTS, uncertain: 0, waiting: 0 });
  }
});
