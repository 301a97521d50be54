import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { DEFAULT_SUNSET_RULE, type SunsetRule } from '../../src/core/rules/sunset-ladder.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign, recordCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { callBackFromSends } from '../../src/operations/marks/call-back.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { previewSunsetRule } from '../../src/operations/rules/sunset-rule.ts';
import { catchUp } from '../../src/operations/tallies/catch-up.ts';
import { inTransaction, overWholeSet } from '../../src/store/database.ts';
import { settleAbandonedDeliveries } from '../../src/store/statements/deliveries.ts';
import { compareMailed } from '../../src/store/statements/mailed.ts';
import { countStages, findDecidedStage } from '../../src/store/statements/sunset-stages.ts';
import { makeDeps } from '../support/database.ts';
import { shortDraft } from '../support/parts.ts';
import { DAY, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

const SEED = Number(process.env['AVENDEL_TEST_SEED'] ?? 20_261_201);
const PROCESS = '00000000-0000-4000-8000-000000000001';
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 12);
});
afterAll(() => deps.close());

let campaigns = 0;

/** Starts a campaign to everybody. */
async function start(): Promise<number> {
  const { id } = await createCampaign(deps, shortDraft(world, `Campaign ${(campaigns += 1)}`));
  const { willGet } = await preflightCampaign(deps, id);
  await startCampaign(deps, id, { expected: willGet, actor: 'Rosa Lindgard' });
  return id;
}

/** Sends a campaign to everybody; what the relay says of each is `outcomes`, in turn. */
async function send(outcomes: Handover[]): Promise<number> {
  const id = await start();
  let turn = 0;
  const handOver = () => Promise.resolve(outcomes[turn++ % outcomes.length]!);
  const pass = () =>
    sendPass(deps, { connections: 2, handOver }, { retrySeconds: 0, stopping: () => false }, () => PROCESS, id);
  for (let passes = 0; passes < 12 && (await pass()) !== 'ended'; passes++);
  return id;
}

const ACCEPTED: Handover = { outcome: 'accepted', reply: '250 ok' };
const OUTCOMES: Handover[] = [
  ACCEPTED,
  { outcome: 'refused', reply: '550 5.7.1 blocked by our policy' },
  { outcome: 'uncertain', reply: 'the line went dead' },
  { outcome: 'again', reply: '451 4.7.1 later', trouble: false },
  { outcome: 'again', reply: '421 the relay closes', trouble: true },
];

const rowOf = async (contact: number): Promise<{ ever: number; kept: number; lost: number } | undefined> => {
  const [row] = await deps.database.query<{ ever: number; kept: number; lost: number }[]>(
    'SELECT ever, cardinality(at) AS kept, cardinality(lost_at) AS lost FROM mailed WHERE contact_id = $1',
    [world.contactIds[contact]],
  );
  return row;
};

/** So many campaigns that another system sent, a week ago. */
async function pastOnes(name: string, count: number): Promise<{ id: number; at: number }[]> {
  const at = deps.now().getTime() - 7 * DAY;
  const all = [];
  for (let number = 0; number < count; number++) {
    const draft = { ...shortDraft(world, `${name} ${number}`), startedAt: new Date(at) };
    all.push({ id: (await recordCampaign(deps, draft)).id, at });
  }
  return all;
}

async function expectSame(): Promise<void> {
  expect(await compareMailed(deps.database)).toMatchObject({ differing: 0, sample: [] });
}

describe('what reached each contact', () => {
  test('a comparison finds a row that says otherwise than the ledger', async () => {
    await send([ACCEPTED]);
    await expectSame();
    const spoiled = world.contactIds[3]!;
    await deps.database.query('UPDATE mailed SET ever = ever + 1 WHERE contact_id = $1', [spoiled]);
    expect(await compareMailed(deps.database)).toMatchObject({ differing: 1, sample: [spoiled] });
    await deps.database.query('UPDATE mailed SET ever = ever - 1 WHERE contact_id = $1', [spoiled]);
    await deps.database.query('DELETE FROM mailed WHERE contact_id = $1', [spoiled]);
    expect(await compareMailed(deps.database)).toMatchObject({ differing: 1, sample: [spoiled] });
    await deps.database.query(`UPDATE catching_up SET upto = 0, finished_at = NULL WHERE what = 'mailed'`);
    while (await catchUp(deps));
    await expectSame();
  });

  test('is what the ledger says, whatever the relay answered, bounced late or twice, or was told from elsewhere', async () => {
    const past = await makePastCampaigns(deps, world, 3);
    const told = fc.record({
      contact: fc.nat(11),
      campaign: fc.nat(2),
      kind: fc.constantFrom('sent' as const, 'bounced' as const),
      wait: fc.constantFrom(0, 500, -DAY, DAY),
    });
    const step = fc.oneof(
      fc.record({ sent: fc.array(fc.constantFrom(...OUTCOMES), { minLength: 1, maxLength: 5 }) }),
      fc.record({ told: fc.array(told, { minLength: 1, maxLength: 8 }) }),
      fc.record({ bounced: fc.nat(11), twice: fc.boolean() }),
    );
    let latest = 1;
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 5 }), async (steps) => {
        for (const one of steps) {
          if ('sent' in one) latest = await send(one.sent);
          else if ('told' in one)
            await recordEvents(
              deps,
              one.told.map(({ contact, campaign, kind, wait }) =>
                outside(world, kind, contact, past[campaign]!, past[campaign]!.at + wait, { class: 'block' }),
              ),
            );
          else
            for (let times = one.twice ? 2 : 1; times > 0; times--)
              await recordEvents(deps, [
                outside(world, 'bounced', one.bounced, { id: latest }, deps.now().getTime() + times, {
                  class: 'block',
                }),
              ]);
        }
        await expectSame();
      }),
      { numRuns: 15, seed: SEED },
    );
    const lost = await deps.database.query<{ n: number }[]>(
      `SELECT count(*)::int AS n FROM mailed WHERE lost_at <> '{}' AND at <> '{}'`,
    );
    expect(lost[0]!.n).toBeGreaterThan(0);
  });

  test('stays so while people are called back, again and again, from two campaigns that go out at once', async () => {
    let sending = true;
    const recalling = (async () => {
      while (sending) {
        await callBackFromSends(deps, 'all');
        await new Promise((resolve) => setTimeout(resolve, 2));
      }
    })();
    try {
      for (let round = 0; round < 6; round++) await Promise.all([send(OUTCOMES.slice(0, 4)), send([ACCEPTED])]);
    } finally {
      sending = false;
      await recalling;
    }
    await expectSame();
  });

  test('messages and bounces of another system that are told at once wait for each other, and never in a circle', async () => {
    const deadlocks = async (): Promise<number> => {
      await deps.database.query('SELECT pg_stat_force_next_flush()');
      const [row] = await deps.database.query<{ n: number }[]>(
        'SELECT deadlocks::int AS n FROM pg_stat_database WHERE datname = current_database()',
      );
      return row!.n;
    };
    const told = await pastOnes('Told at once', 12);
    const before = await deadlocks();
    const everybody = world.contactIds.map((_, contact) => contact);
    const batch = (kind: 'sent' | 'bounced', campaign: { id: number; at: number }, order: number[]) =>
      recordEvents(
        deps,
        order.map((contact) => outside(world, kind, contact, campaign, campaign.at + contact, { class: 'block' })),
      );
    await recordEvents(
      deps,
      everybody.map((contact) => outside(world, 'sent', contact, told[0]!, told[0]!.at)),
    );
    for (let at = 1; at < told.length; at++)
      await Promise.all([
        batch('sent', told[at]!, everybody),
        batch('bounced', told[at - 1]!, [...everybody].reverse()),
        batch('bounced', told[0]!, everybody),
      ]);
    await expectSame();
    expect((await deadlocks()) - before).toBe(0);
  });

  test('what a process left behind when it died is uncertain, and no longer counts as having reached anybody', async () => {
    const before = await rowOf(0);
    const { id } = await createCampaign(deps, shortDraft(world, 'Left behind'));
    await deps.database.query(
      `INSERT INTO delivery (campaign_id, contact_id, address, state, claim_id, process_id, handed_at) VALUES ($1, $2, 'x@x.example', 'claimed', gen_random_uuid(), gen_random_uuid(), now())`,
      [id, world.contactIds[0]],
    );
    await deps.database.query(`UPDATE mailed SET ever = ever + 1 WHERE contact_id = $1`, [world.contactIds[0]]);
    await inTransaction(deps.database, settleAbandonedDeliveries);
    expect(await rowOf(0)).toMatchObject({ ever: before!.ever, lost: before!.lost + 1 });
    await expectSame();
  });
});

describe('a ladder that reads it', () => {
  let many: { id: number; at: number }[];
  const rule = (messages: number): SunsetRule => ({
    ...DEFAULT_SUNSET_RULE,
    steps: [{ stage: 'sunset', days: 1, messages }],
    grace: { days: 0, messages: 0 },
    engagingActs: ['clicked'],
  });

  beforeAll(async () => {
    await deps.close();
    deps = await makeDeps();
    world = await makeSmallWorld(deps, 12);
    many = await makePastCampaigns(deps, world, 40);
    const sent = (contact: number, campaign: { id: number; at: number }) =>
      outside(world, 'sent', contact, campaign, campaign.at);
    // The first gets all forty, the second the last five, the third all of which three bounce, the fourth clicks.
    await recordEvents(deps, many.map((one) => sent(0, one)).reverse());
    for (const one of many.slice(-5)) await recordEvents(deps, [sent(1, one)]);
    await recordEvents(
      deps,
      many.flatMap((one) => [sent(2, one), sent(3, one)]),
    );
    await recordEvents(deps, [
      ...many.slice(-3).map((one) => outside(world, 'bounced', 2, one, one.at + 9000, { class: 'block' })),
      outside(world, 'clicked', 3, many[34]!, many[34]!.at + 60_000, { link: 1, userAgent: 'Mail' }),
    ]);
  });

  test('the last 32 are kept, of whoever got more; one that bounced makes room for an older', async () => {
    expect(await rowOf(0)).toEqual({ ever: 40, kept: 32, lost: 0 });
    expect(await rowOf(1)).toEqual({ ever: 5, kept: 5, lost: 0 });
    expect(await rowOf(2)).toEqual({ ever: 37, kept: 32, lost: 3 });
    await expectSame();
  });

  test.each([1, 5, 6, 32, 33, 37, 38, 40, 41])(
    'of those who are silent with %i messages it finds as many as a look at each alone',
    async (messages) => {
      const now = deps.now();
      const alone = await Promise.all(
        world.contactIds.map((id) => findDecidedStage(deps.database, world.brandId, rule(messages), now, id)),
      );
      const asked = await overWholeSet(deps.database, (sql) =>
        countStages(sql, world.brandId, rule(messages), now, 'all'),
      );
      const atSunset = alone.filter((one) => one!.stage === 'sunset').length;
      expect(asked.find(({ to }) => to === 'sunset')?.contacts ?? 0).toBe(atSunset);
      expect(atSunset).toBe([40, 5, 37, 5].filter((silent) => silent >= messages).length);
    },
  );

  test('a preview says how many messages there were, and not only as many as are kept', async () => {
    const { sample } = await previewSunsetRule(deps, world.brandId, rule(5));
    const messages = new Map(sample.map((one) => [one.contactId, one.messages]));
    expect([0, 1, 2, 3].map((contact) => messages.get(world.contactIds[contact]!))).toEqual([40, 5, 37, 5]);
  });

  test('one that is on its way counts once it is accepted, and not before', async () => {
    const id = await start();
    const silentWith = async (messages: number): Promise<number> =>
      (
        await overWholeSet(deps.database, (sql) =>
          countStages(sql, world.brandId, rule(messages), new Date(Date.now() + 2 * DAY), 'all'),
        )
      ).find(({ to }) => to === 'sunset')?.contacts ?? 0;
    const before = await silentWith(6);
    let during = -1;
    const handOver = async (): Promise<Handover> => {
      if (during < 0) during = await silentWith(6);
      return ACCEPTED;
    };
    // One at a time, so that nobody has been answered when the first looks.
    await sendPass(deps, { connections: 1, handOver }, { retrySeconds: 0, stopping: () => false }, () => PROCESS, id);
    expect(during).toBe(before);
    expect(await silentWith(6)).toBe(before + 2);
  });

  test('while the past is still being taken in, the ledger is asked, and finds the same', async () => {
    const asked = () =>
      overWholeSet(deps.database, (sql) => countStages(sql, world.brandId, rule(5), deps.now(), 'all'));
    const before = await asked();
    await deps.database.query('TRUNCATE mailed');
    await deps.database.query(`UPDATE catching_up SET upto = 0, finished_at = NULL WHERE what = 'mailed'`);
    expect(await asked()).toEqual(before);
    // One of an older version still runs: it would hand over without keeping it.
    await deps.database.query(`INSERT INTO service_process (id, lock_key) VALUES (gen_random_uuid(), 0)`);
    expect(await catchUp(deps)).toBe(false);
    await deps.database.query('DELETE FROM service_process');
    await Promise.all([send([ACCEPTED]), catchUp(deps), catchUp(deps)]);
    while (await catchUp(deps));
    await expectSame();
  });
});
