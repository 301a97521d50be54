import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { moveOn } from '../../src/operations/campaigns/move-on.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import type { Deps } from '../../src/operations/deps.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { shortDraft } from './parts.ts';
import { importText, makeSmallWorld, type SmallWorld } from './world.ts';

/** Processes that send. */
export const PROCESSES = ['00000000-0000-4000-8000-000000000001', '00000000-0000-4000-8000-000000000002'] as const;
export const ACCEPTED: Handover = { outcome: 'accepted', reply: '250 ok' };

/** A brand with a list of as many readers at lanternpost.example as at another receiving domain. */
export async function makeTwoDomains(deps: Deps, each: number, other: string): Promise<SmallWorld> {
  const world = await makeSmallWorld(deps, each);
  const rows = Array.from({ length: each }, (_, index) => `reader${index}@${other},Reader ${index},2025-01-01`);
  await importText(deps, world.listId, ['address,name,joined', ...rows].join('\n'));
  return world;
}

let made = 0;

/** Starts a campaign to everybody on the list. */
export async function startTo(deps: Deps, world: SmallWorld, extra: object = {}): Promise<number> {
  const { id } = await createCampaign(deps, { ...shortDraft(world, `To all ${(made += 1)}`), ...extra });
  const { willGet } = await preflightCampaign(deps, id);
  await startCampaign(deps, id, { expected: willGet, actor: 'Rosa Lindgard' });
  return id;
}

/** One turn of the sender over a campaign, with a relay that answers so: whom it handed over, in order of address. */
export async function turnOf(
  deps: Deps,
  id: number,
  answer: (to: string) => Handover | Promise<Handover> = () => ACCEPTED,
  process: string = PROCESSES[0],
): Promise<string[]> {
  const handed: string[] = [];
  const handOver = async ({ to }: { to: string }): Promise<Handover> => (handed.push(to), answer(to));
  const settings = { retrySeconds: 60, stopping: () => false };
  await moveOn(deps);
  await sendPass(deps, { connections: 4, handOver }, settings, () => process, id);
  return handed.sort();
}
