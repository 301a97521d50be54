import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { DEFAULT_BOUNCE_RULE } from '../../src/core/rules/bounce-count.ts';
import { DEFAULT_SCORE_RULE } from '../../src/core/rules/score.ts';
import { DEFAULT_SUNSET_RULE } from '../../src/core/rules/sunset-ladder.ts';
import { changeCampaign, createCampaign, getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { changeList, createList } from '../../src/operations/organisation/set-up.ts';
import { Problem } from '../../src/operations/problem.ts';
import { beginBounces } from '../../src/operations/rules/bounce-rule.ts';
import { saveScoreRule } from '../../src/operations/scores/score-rule.ts';
import { beginSunset } from '../../src/operations/rules/sunset-rule.ts';
import { changeSegment, createSegment, getSegment } from '../../src/operations/segments/keep-segments.ts';
import { ListEntity } from '../../src/store/entities/organisation.ts';
import { findSunsetRule, findVersionedBounceRule } from '../../src/store/statements/rules.ts';
import { listScoreRules } from '../../src/store/statements/scores.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld } from '../support/world.ts';

/** Of two who change the same thing from the same version, the second changes nothing and is told. */
const deps = await makeDeps();
const world = await makeSmallWorld(deps, 3);
afterAll(() => deps.close());

const actor = 'Rosa Lindgard';
const NONE = { purpose: 'marketing' as const, text: '', leftOutListIds: [], segmentIds: [], leftOutSegmentIds: [] };

interface Thing {
  /** Makes one, and says at which version it stands. */
  make: () => Promise<number>;
  /** Changes it in the `n`th way, from a version or from whatever it is. */
  change: (n: number, version?: number) => Promise<unknown>;
  version: () => Promise<number>;
  /** Whose change stands. */
  stands: () => Promise<number>;
}

let id = 0;
const findList = () => deps.database.getRepository(ListEntity).findOneByOrFail({ id });
const THINGS: Record<string, Thing> = {
  draft: {
    make: async () => {
      const made = await createCampaign(deps, {
        brandId: world.brandId,
        name: 'Once',
        subject: '0',
        html: '<p>x</p>',
        listIds: [world.listId],
        ...NONE,
      });
      id = made.id;
      return 1;
    },
    change: (n, version) => changeCampaign(deps, id, { subject: `${n}`, version }, actor),
    version: async () => (await getCampaign(deps, id)).version,
    stands: async () => Number((await getCampaign(deps, id)).subject),
  },
  segment: {
    make: async () => {
      const made = await createSegment(deps, { brandId: world.brandId, name: 'Some', condition: 'everyone', actor });
      id = made.id;
      return made.version;
    },
    change: (n, version) => changeSegment(deps, id, { description: `${n}`, version, reason: 'a test', actor }),
    version: async () => (await getSegment(deps, id)).version,
    stands: async () => Number((await getSegment(deps, id)).description),
  },
  list: {
    make: async () => {
      const made = await createList(deps, { brandId: world.brandId, name: 'Another', optIn: 'single' });
      id = made.id;
      return made.version;
    },
    change: (n, version) => changeList(deps, id, { expireDays: n, version }, actor),
    version: async () => (await findList()).version,
    stands: async () => (await findList()).expireDays,
  },
  ladder: {
    make: async () => (await findSunsetRule(deps.database, world.brandId)).version,
    change: (n, version) =>
      beginSunset(deps, {
        brandId: world.brandId,
        rule: { ...DEFAULT_SUNSET_RULE, grace: { days: n, messages: 4 } },
        version,
        expected: null,
        reason: 'a test',
        actor,
        actorKind: 'person',
      }),
    version: async () => (await findSunsetRule(deps.database, world.brandId)).version,
    stands: async () => (await findSunsetRule(deps.database, world.brandId)).rule.grace.days,
  },
  'bounce rule': {
    make: async () => (await findVersionedBounceRule(deps.database)).version,
    change: (n, version) =>
      beginBounces(deps, {
        rule: { ...DEFAULT_BOUNCE_RULE, count: n },
        version,
        expected: null,
        reason: 'a test',
        actor,
        actorKind: 'person',
      }),
    version: async () => (await findVersionedBounceRule(deps.database)).version,
    stands: async () => (await findVersionedBounceRule(deps.database)).rule.count,
  },
};

describe.each(Object.entries(THINGS))('a %s', (_name, { make, change, version, stands }) => {
  let seen: number;
  beforeAll(async () => {
    seen = await make();
  });

  test('that was changed since it was looked at is not changed again from there', async () => {
    await change(11, seen);
    await expect(change(12, seen)).rejects.toMatchObject({ code: 'changed-meanwhile', extra: { version: seen + 1 } });
    expect(await stands()).toBe(11);
    await change(13, await version());
    expect(await stands()).toBe(13);
  });

  test('that two change at the same moment is changed by one of them, and the other is told', async () => {
    for (let round = 0; round < 6; round++) {
      const from = await version();
      const both = await Promise.allSettled([change(20, from), change(30, from)]);
      const refused = both.flatMap((one) => (one.status === 'rejected' ? [one.reason as Problem] : []));
      expect(refused.map(({ code }) => code)).toEqual(['changed-meanwhile']);
      expect(await stands()).toBe(both[0].status === 'fulfilled' ? 20 : 30);
    }
  });

  test('changes also for whoever says no version', async () => {
    await change(41);
    expect(await stands()).toBe(41);
  });
});

test('a score that two change at the same moment is changed by one of them, and the other is told', async () => {
  const save = (points: number, version: number) =>
    saveScoreRule(deps, {
      brandId: world.brandId,
      rule: { ...DEFAULT_SCORE_RULE, joining: { points, days: 30 } },
      version,
      reason: 'a test',
      actor,
    });
  const both = await Promise.allSettled([save(1, 0), save(2, 0)]);
  expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  const told = both.find((one) => one.status === 'rejected')!;
  expect(told.reason).toMatchObject({ code: 'changed-meanwhile', extra: { version: 1, changedBy: actor } });
  expect(await listScoreRules(deps.database, world.brandId)).toHaveLength(1);
});

test('what was left as it was in a change of a segment stays as somebody else has it by now', async () => {
  const { id: segment } = await createSegment(deps, {
    brandId: world.brandId,
    name: 'Both',
    condition: 'everyone',
    actor,
  });
  await Promise.all([
    changeSegment(deps, segment, { tags: ['moon'], reason: 'one', actor }),
    changeSegment(deps, segment, { description: 'of both', reason: 'other', actor }),
  ]);
  expect(await getSegment(deps, segment)).toMatchObject({ tags: ['moon'], description: 'of both', version: 3 });
});
