import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { recordCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { rebuildActivity } from '../../src/operations/events/rebuild-activity.ts';
import { recordEvents, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { beginRejudging, previewRejudging } from '../../src/operations/events/rejudge-acts.ts';
import { saveProxyList } from '../../src/operations/events/proxy-list.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import { compareActivity } from '../../src/store/statements/events.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makeSmallWorld } from '../support/world.ts';
import { makeShop } from '../support/parts.ts';

const CONTACTS = 300;
const ROUNDS = 60;
const actor = 'Rosa Lindgard';
const deps = await makeDeps();
deps.clock.now = new Date();
const world = await makeSmallWorld(deps, CONTACTS);
let campaigns: { id: number; brandId: number }[];

beforeAll(async () => {
  const shop = await makeShop(deps);
  const notes = await createList(deps, { brandId: shop.id, name: 'Shop Notes', optIn: 'single' });
  await importText(deps, notes.id, `address\n${world.addresses.join('\n')}`);
  campaigns = [];
  for (const [brandId, listId] of [
    [world.brandId, world.listId],
    [shop.id, notes.id],
  ] as const) {
    const draft = {
      brandId,
      name: 'The sky',
      purpose: 'marketing' as const,
      subject: 's',
      html: '',
      text: '',
      listIds: [listId],
      leftOutListIds: [],
      segmentIds: [],
      leftOutSegmentIds: [],
    };
    campaigns.push({
      id: (await recordCampaign(deps, { ...draft, startedAt: new Date(Date.now() - 3_600_000) })).id,
      brandId,
    });
  }
});
afterAll(() => deps.close());

/** Numbers that look random and are the same each time (Park and Miller, 1988). */
function makeRandom(seed: number): (below: number) => number {
  let state = seed;
  return (below) => (state = (state * 48_271) % 2_147_483_647) % below;
}

test('feeders, judging anew, its undo and deriving activity beside each other lose no event, and none fails', async () => {
  let recorded = 0;
  let number = 0;
  const kinds = ['opened', 'clicked', 'clicked', 'sent', 'bounced', 'complained', 'unsubscribed', 'purchased'] as const;
  const feeder = async (seed: number): Promise<void> => {
    const random = makeRandom(seed);
    for (let round = 0; round < ROUNDS; round++) {
      const events = Array.from({ length: 40 }, (): IncomingEvent => {
        const { id, brandId } = campaigns[random(2)]!;
        const kind = kinds[random(random(6) === 0 ? kinds.length : 3)]!;
        const detail = {
          userAgent: random(2) === 0 ? 'Mail' : 'Glance proxy',
          network: '203.0.113.5',
          link: 1 + random(3),
          url: 'https://larkfield.example',
          ...(kind === 'bounced' ? { class: 'soft' as const } : {}),
        };
        return {
          kind,
          at: Date.now() - random(3_000_000),
          source: 'elsewhere',
          externalId: `${++number}`,
          contactId: world.contactIds[random(CONTACTS)]!,
          brandId,
          campaignId: id,
          detail,
        };
      });
      const { recorded: fresh } = await recordEvents(deps, events);
      recorded += fresh;
    }
  };
  let feeding = true;
  const judge = async (): Promise<void> => {
    for (let turn = 0; feeding; turn++) {
      await saveProxyList(deps, { networks: [], agents: turn % 2 === 0 ? ['glance'] : [] }, actor);
      const { acts } = await previewRejudging(deps);
      // The count moves while events come in; how many are judged is no matter here.
      const id = await beginRejudging(deps, { expect: acts, reason: 'a test', actor }).catch(() => undefined);
      if (id === undefined) continue;
      await workThrough(deps, id);
      if (turn % 3 === 0) await workThrough(deps, await beginUndo(deps, id, 'a test', actor));
    }
  };
  const derive = async (): Promise<void> => {
    while (feeding) expect(await rebuildActivity(deps)).toMatchObject({ differing: 0 });
  };
  const others = [judge(), derive()];
  const fed = await Promise.allSettled([1, 2, 3].map((seed) => feeder(seed * 7919)));
  feeding = false;
  await Promise.all(others);
  expect(fed.flatMap((one) => (one.status === 'rejected' ? [String(one.reason)] : []))).toEqual([]);
  expect(recorded).toBe(3 * ROUNDS * 40);
  expect(await deps.database.query('SELECT count(*)::int AS n FROM event')).toEqual([{ n: recorded }]);
  expect((await compareActivity(deps.database)).differing).toEqual([]);
});
