import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { applyRulesOnSchedule } from '../../src/operations/runs/apply-on-schedule.ts';
import { freezeSegment, removeSnapshot } from '../../src/operations/segments/snapshots.ts';
import { createSegment } from '../../src/operations/segments/keep-segments.ts';
import { liftByPerson } from '../../src/operations/suppression/keep-entries.ts';
import { lookAtToday } from '../../src/operations/health/today.ts';
import { findSunsetRule, saveSunsetRule } from '../../src/store/statements/rules.ts';
import { makeDeps } from '../support/database.ts';
import { applySunsetRule } from '../support/runs.ts';
import { until } from '../support/service.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { makeShop } from '../support/parts.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let observatory: SmallWorld;
let shop: SmallWorld;
let sentBy: Map<SmallWorld, { id: number; at: number }[]>;
const actor = 'Rosa Lindgard';

/** Two brands that have written to the same six people for long; nobody has answered either. */
beforeEach(async () => {
  deps = await makeDeps();
  deps.clock.now = new Date();
  observatory = await makeSmallWorld(deps, 6);
  const brand = await makeShop(deps);
  const notes = await createList(deps, { brandId: brand.id, name: 'Shop Notes', optIn: 'single' });
  await importText(
    deps,
    notes.id,
    ['address,joined', ...observatory.addresses.map((one) => `${one},2025-01-01`)].join('\n'),
  );
  shop = { ...observatory, brandId: brand.id, listId: notes.id };
  sentBy = new Map();
  for (const world of [observatory, shop]) {
    const campaigns = await makePastCampaigns(deps, world, 40);
    sentBy.set(world, campaigns);
    await recordEvents(
      deps,
      [0, 1, 2].flatMap((contact) => campaigns.map((one) => outside(world, 'sent', contact, one, one.at))),
    );
  }
});
afterEach(() => deps.close());

const brandOf = async (contact: number, world: SmallWorld) =>
  (await checkAddress(deps, world.addresses[contact]!)).brands.find(({ brandId }) => brandId === world.brandId)!;
const stageOf = async (contact: number, world: SmallWorld): Promise<string> => (await brandOf(contact, world)).stage;
const cover = async (world: SmallWorld, covers: string): Promise<void> => {
  const { rule } = await findSunsetRule(deps.database, world.brandId);
  await saveSunsetRule(deps.database, world.brandId, { ...rule, covers }, actor);
};
const failures: unknown[][] = [];
const onSchedule = (): Promise<boolean> =>
  applyRulesOnSchedule(deps, (error, what, brandId) => failures.push([(error as Error).message, what, brandId]));

describe('one rule that fails keeps no other from its turn', () => {
  test('a ladder whose coverage cannot be worked out is logged and stands on Today, and the next brand has its turn', async () => {
    await cover(observatory, 'in snapshot "Gone"');
    failures.length = 0;
    expect(await onSchedule()).toBe(true);
    expect(failures).toEqual([[expect.stringMatching(/Gone/), 'The sunset rule', observatory.brandId]]);
    expect([await stageOf(0, observatory), await stageOf(0, shop)]).toEqual(['new', 'sunset']);
    // Today shows it, of that brand alone, and all else that it shows.
    expect(await lookAtToday(deps, observatory.brandId)).toMatchObject({
      ladder: null,
      troubles: [{ what: 'The sunset rule', detail: expect.stringMatching(/Gone/) as unknown }],
      mayBeWrittenTo: { covered: 6 },
    });
    expect((await lookAtToday(deps, shop.brandId)).troubles).toEqual([]);
    // What people do is recorded all the same.
    expect(await recordEvents(deps, [outside(observatory, 'purchased', 0, null, Date.now())])).toMatchObject({
      recorded: 1,
    });
    // Once it can be worked out again it is gone from there.
    await cover(observatory, 'everyone');
    await onSchedule();
    expect((await lookAtToday(deps, observatory.brandId)).troubles).toEqual([]);
    expect(await stageOf(1, observatory)).toBe('sunset');
  });

  test('a pass that goes on is not begun a second time beside itself', async () => {
    // Held up in its middle, so that the others surely come while it goes on.
    const lock = deps.database.createQueryRunner();
    await lock.startTransaction();
    await lock.query('LOCK TABLE bounce_rule');
    const first = onSchedule();
    await until(async () => {
      const waiting: unknown[] = await deps.database.query(
        `SELECT 1 FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
      );
      return waiting.length > 0;
    });
    expect(await Promise.all([onSchedule(), onSchedule()])).toEqual([false, false]);
    await lock.commitTransaction();
    await lock.release();
    expect(await first).toBe(true);
    expect(await deps.database.query(`SELECT count(*)::int AS n FROM run WHERE kind = 'sunset rule'`)).toEqual([
      { n: 2 },
    ]);
  });

  test('a snapshot that a ladder’s coverage names cannot be deleted', async () => {
    const segment = await createSegment(deps, {
      brandId: observatory.brandId,
      name: 'Readers',
      description: '',
      tags: [],
      condition: 'everyone',
      reason: 'a test',
      actor,
    });
    const snapshot = await freezeSegment(deps, { segmentId: segment.id, name: 'Then', actor });
    await cover(observatory, 'in snapshot "Then"');
    await expect(removeSnapshot(deps, snapshot.id)).rejects.toMatchObject({
      code: 'wrong-state',
      detail: expect.stringMatching(/the ladder of its brand/) as unknown,
    });
    await cover(observatory, 'everyone');
    await removeSnapshot(deps, snapshot.id);
  });
});

const applyLadder = () =>
  applySunsetRule(deps, {
    brandId: observatory.brandId,
    expected: null,
    reason: 'a test',
    actor,
    actorKind: 'person',
  });

describe('what is done at one brand moves nobody on another brand’s ladder', () => {
  test('lifting a sunset entry of one brand leaves the other brand’s stages as they are', async () => {
    await applyLadder();
    expect([await stageOf(0, observatory), await stageOf(0, shop)]).toEqual(['sunset', 'new']);
    const entry = (await checkAddress(deps, observatory.addresses[0]!)).entries.find(
      ({ builtIn }) => builtIn === 'sunset',
    )!;
    await liftByPerson(deps, [entry.id], 'she wrote to us', actor);
    expect([await stageOf(0, observatory), await stageOf(0, shop)]).toEqual(['engaged', 'new']);
  });

  test('an engagement moves only whom the ladder covers', async () => {
    await applyLadder();
    await cover(observatory, `address is one of ("${observatory.addresses[1]!}")`);
    const last = sentBy.get(observatory)!.at(-1)!;
    const clicks = [0, 1].map((contact) =>
      outside(observatory, 'clicked', contact, last, last.at + DAY / 2, { link: 1, userAgent: 'Mail' }),
    );
    await recordEvents(deps, clicks);
    // Whom it does not cover it does not call engaged; they only stop being at sunset by a rule that is not theirs.
    expect([await stageOf(0, observatory), await stageOf(1, observatory)]).toEqual(['new', 'engaged']);
    expect((await brandOf(0, observatory)).reasons).toEqual([]);
  });
});
