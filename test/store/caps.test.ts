import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import fc from 'fast-check';
import pg from 'pg';
import { findFullCap, type CapRule } from '../../src/core/rules/cap.ts';
import { createCap, endCap, lookAtCaps } from '../../src/operations/campaigns/caps.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign, getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { lookAtLedger } from '../../src/operations/campaigns/look-at-ledger.ts';
import { listPreflightContacts, preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { inTransaction } from '../../src/store/database.ts';
import { judgedMessage } from '../../src/operations/campaigns/judged-message.ts';
import { claimDeliveries, passGate } from '../../src/store/statements/deliveries.ts';
import { DECIDING_SQL, JUDGE_PICKED_CTES, messageParameters } from '../../src/store/statements/eligibility.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { makeShop, shortDraft } from '../support/parts.ts';
import { importText, makeSmallWorld, type SmallWorld } from '../support/world.ts';

const SEED = Number(process.env['AVENDEL_TEST_SEED'] ?? 20_261_201);
const PROCESSES = ['00000000-0000-4000-8000-000000000001', '00000000-0000-4000-8000-000000000002'];
const actor = 'Rosa Lindgard';
const CONTACTS = 60;
const ACCEPTED: Handover = { outcome: 'accepted', reply: '250 ok' };
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let shop: { brandId: number; listId: number };
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, CONTACTS);
  const brand = await makeShop(deps);
  const list = await createList(deps, { brandId: brand.id, name: 'Shop Notes', optIn: 'single' });
  await importText(deps, list.id, ['address', ...world.addresses].join('\n'));
  shop = { brandId: brand.id, listId: list.id };
});
afterAll(() => deps.close());

/** Whatever was sent is long ago, and nothing is capped. */
async function afresh(): Promise<void> {
  for (const { id } of await lookAtCaps(deps, {})) await endCap(deps, id, actor);
  await deps.database.query(`UPDATE campaign SET state = 'cancelled' WHERE state IN ('sending', 'paused')`);
  await deps.database.query(
    `UPDATE delivery SET state = 'uncertain', claim_id = NULL, process_id = NULL WHERE state = 'claimed'`,
  );
  const before = (column: string): string => `${column} = ${column} - interval '400 days'`;
  await deps.database.query(`UPDATE delivery SET ${before('handed_at')}, ${before('accepted_at')}`);
  await deps.database.query('DELETE FROM mailed');
}

let made = 0;
async function draft(more: Parameters<typeof shortDraft>[0] & object = world, extra: object = {}): Promise<number> {
  return (await createCampaign(deps, { ...shortDraft(more, `Campaign ${(made += 1)}`), ...extra })).id;
}

async function start(id: number): Promise<number> {
  await startCampaign(deps, id, { expected: (await preflightCampaign(deps, id)).willGet, actor });
  return id;
}

/** Sends until nobody can be picked any more, as a process of this number. */
async function send(id: number, answer: () => Promise<Handover> = () => Promise.resolve(ACCEPTED), process = 0) {
  const handed: string[] = [];
  const handOver = ({ to }: { to: string }): Promise<Handover> => (handed.push(to), answer());
  const settings = { retrySeconds: 0, stopping: () => false };
  const pass = () => sendPass(deps, { connections: 4, handOver }, settings, () => PROCESSES[process], id);
  for (let so = await pass(); so === 'more'; so = await pass());
  return handed;
}

/** Lets everybody who waits be looked at again now, as after a minute. */
const aMinuteLater = () => deps.database.query(`UPDATE delivery SET not_before = now() WHERE not_before > now()`);

const reasonsOf = async (id: number) =>
  Object.fromEntries((await findLedger(deps, id)).reasons.map(({ reason, contacts }) => [reason, contacts]));

/** How many messages of these brands each contact was handed within these days. */
async function most(brands: number[], days: number): Promise<number> {
  const [row] = await deps.database.query<{ most: number }[]>(
    `SELECT coalesce(max(n), 0)::int AS most FROM (SELECT d.contact_id, count(*) AS n FROM delivery d JOIN campaign k ON k.id = d.campaign_id
       WHERE k.brand_id = ANY ($1::int[]) AND k.purpose = 'marketing' AND d.state IN ('accepted', 'uncertain', 'claimed') AND d.handed_at > now() - $2 * interval '24 hours' GROUP BY 1) n`,
    [brands, days],
  );
  return row!.most;
}

describe('caps', () => {
  test('who has had as many as the cap allows is held back, in preflight and at the gate, by the messages that fill it', async () => {
    await afresh();
    const first = await start(await draft());
    await send(first);
    const second = await start(await draft());
    const third = await draft();
    await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
    // Started before there was a cap: the gate asks.
    expect(await send(second)).toEqual([]);
    expect(await reasonsOf(second)).toEqual({ capped: CONTACTS });
    const { willGet, reasons } = await preflightCampaign(deps, third);
    expect({ willGet, reasons: reasons.map(({ reason, by, contacts }) => [reason, by, contacts]) }).toEqual({
      willGet: 0,
      reasons: [['capped', null, CONTACTS]],
    });
    const name = (await getCampaign(deps, first)).name;
    const by = { messages: 1, days: 7, of: 'brand', by: [{ campaignId: first, name, at: expect.any(Date) }] };
    const [listed] = await listPreflightContacts(deps, third, { reason: 'capped' }, 0, 1);
    expect(listed).toMatchObject({ address: world.addresses[0], cappedBy: by, leftOutBy: null });
    const { rows } = await lookAtLedger(deps, second, { reason: 'capped' }, 0, 1);
    expect(rows[0]).toMatchObject({ address: world.addresses[0], cappedBy: by });
    const [verdict] = (await checkAddress(deps, world.addresses[0]!)).brands;
    expect(verdict).toMatchObject({ eligible: true, reasons: [], capped: by });
    expect(verdict!.capped!.until.getTime() - verdict!.capped!.by[0]!.at.getTime()).toBe(7 * 86_400_000);
    await expect(startCampaign(deps, third, { expected: 0, actor })).rejects.toThrow('held back');
  });

  test('service messages neither count nor are stopped', async () => {
    await afresh();
    await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
    const service = { purpose: 'service' as const, statement: 'The dome is closed on the evening of each ticket.' };
    expect(await send(await start(await draft(world, service)))).toHaveLength(CONTACTS);
    expect(await send(await start(await draft()))).toHaveLength(CONTACTS);
    expect(await send(await start(await draft(world, service)))).toHaveLength(CONTACTS);
    expect((await preflightCampaign(deps, await draft())).willGet).toBe(0);
  });

  test('what was refused, put off or called back gives its place back; what nobody knows of keeps it', async () => {
    await afresh();
    await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
    const answers: Handover[] = [
      { outcome: 'refused', reply: '554 5.7.1 not now' },
      { outcome: 'uncertain', reply: 'the line went dead' },
    ];
    let turn = 0;
    await send(await start(await draft()), () => Promise.resolve(answers[turn++ % 2]!));
    const { willGet, reasons } = await preflightCampaign(deps, await draft());
    expect([willGet, reasons.find(({ reason }) => reason === 'capped')?.contacts]).toEqual([
      CONTACTS / 2,
      CONTACTS / 2,
    ]);
  });

  test('nobody who had a message in the last days is one field of a campaign', async () => {
    await afresh();
    const half = new Set(world.contactIds.slice(0, CONTACTS / 2));
    await send(await start(await draft()));
    await deps.database.query(
      `UPDATE mailed SET at = ARRAY[now() - interval '5 days 1 hour'] WHERE contact_id = ANY ($1::bigint[])`,
      [[...half]],
    );
    const rested = await start(await draft(world, { restDays: 5 }));
    expect(await reasonsOf(rested)).toEqual({ capped: CONTACTS / 2 });
    expect(await send(rested)).toHaveLength(CONTACTS / 2);
    const { rows } = await lookAtLedger(deps, rested, { reason: 'capped' }, 0, 1);
    expect(rows[0]!.cappedBy).toMatchObject({ messages: 1, days: 5, of: 'campaign' });
    // Others are not held back by it.
    expect((await preflightCampaign(deps, await draft())).willGet).toBe(CONTACTS);
  });

  test('invariant 11, one truth: over generated messages and caps the sets, the gate and core say the same', async () => {
    await afresh();
    const other = await draft(shop);
    const at = fc.integer({ min: 0, max: 40 * 24 });
    const message = fc.record({ contact: fc.nat(11), brand: fc.boolean(), lost: fc.boolean(), hours: at });
    const cap = fc.record({
      messages: fc.integer({ min: 1, max: 4 }),
      days: fc.integer({ min: 1, max: 35 }),
      of: fc.constantFrom('own', 'other', 'all'),
    });
    let [capped, free] = [0, 0];
    await fc.assert(
      fc.asyncProperty(
        fc.array(message, { maxLength: 60 }),
        fc.uniqueArray(cap, { maxLength: 3, selector: ({ of, days }) => `${of} ${days}` }),
        fc.option(fc.integer({ min: 1, max: 30 })),
        async (messages, given, restDays) => {
          await afresh();
          const id = await draft(world, { restDays });
          const caps: CapRule[] = given.map(({ messages: n, days, of }) => ({
            messages: n,
            days,
            brandId: of === 'all' ? null : of === 'own' ? world.brandId : shop.brandId,
          }));
          for (const one of caps) await createCap(deps, { ...one, actor });
          // A second away from whole hours: no message is as old as a cap is long.
          await deps.database.query(
            `INSERT INTO mailed (contact_id, brand_id, ever, campaigns, at, lost_campaigns, lost_at)
             SELECT contact_id, brand_id, count(*) FILTER (WHERE NOT lost),
               coalesce(array_agg($5::int) FILTER (WHERE NOT lost), '{}'), coalesce(array_agg(at ORDER BY at) FILTER (WHERE NOT lost), '{}'),
               coalesce(array_agg($5::int) FILTER (WHERE lost), '{}'), coalesce(array_agg(at ORDER BY at) FILTER (WHERE lost), '{}')
             FROM (SELECT contact_id, brand_id, lost, now() - hours * interval '1 hour' + interval '30 minutes' AS at FROM unnest($1::bigint[], $2::int[], $3::boolean[], $4::int[]) u (contact_id, brand_id, lost, hours)) u GROUP BY 1, 2`,
            [
              messages.map((one) => world.contactIds[one.contact]),
              messages.map((one) => (one.brand ? world.brandId : shop.brandId)),
              messages.map((one) => one.lost),
              messages.map((one) => one.hours),
              other,
            ],
          );
          const campaign = await getCampaign(deps, id);
          const own = restDays === null ? [] : [{ messages: 1, days: restDays, brandId: world.brandId }];
          const counted = caps.filter(({ brandId }) => brandId !== shop.brandId);
          const expected = world.contactIds.slice(0, 12).filter((_, contact) => {
            const theirs = messages.filter((one) => one.contact === contact);
            return findFullCap(
              [...counted, ...own],
              theirs.map(({ brand, hours }) => ({
                campaignId: other,
                brandId: brand ? world.brandId : shop.brandId,
                at: 1_800_000_000_000 - hours * 3_600_000 + 1_800_000,
              })),
              1_800_000_000_000,
            );
          });
          const bySet = await listPreflightContacts(deps, id, { reason: 'capped' }, 0, 500);
          expect(bySet.map(({ contactId }) => contactId)).toEqual(expected);
          const byGate = await inTransaction(deps.database, (sql) =>
            sql.query<{ id: number }[]>(
              `WITH picked AS (SELECT unnest($6::bigint[]) AS contact_id, false AS by_segment), ${JUDGE_PICKED_CTES}
               SELECT contact_id::float8 AS id FROM judged j WHERE ${DECIDING_SQL} = 'capped' ORDER BY 1`,
              [...messageParameters(judgedMessage(campaign, [])), world.contactIds],
            ),
          );
          expect(byGate.map((row) => row.id)).toEqual(expected);
          capped += expected.length;
          free += 12 - expected.length;
        },
      ),
      { numRuns: 60, seed: SEED },
    );
    expect([capped > 60, free > 60]).toEqual([true, true]);
  });
});

describe('invariant 13, cap', () => {
  test.each([
    ['of a brand', 2, 1],
    ['of all brands', 3, 2],
  ])(
    'nobody gets more than a cap %s allows, with five campaigns, two processes each, and every kind of answer',
    async (whose, messages, brands) => {
      const random: Handover[] = [
        ...[ACCEPTED, ACCEPTED, ACCEPTED],
        { outcome: 'refused', reply: '554 5.7.1 not now' },
        { outcome: 'uncertain', reply: 'the line went dead' },
        { outcome: 'again', reply: '451 4.7.1 later', trouble: false },
      ];
      for (let round = 0; round < 4; round++) {
        await afresh();
        const all: number[] = [];
        for (let number = 0; number < 5; number++)
          all.push(await start(await draft(brands === 2 && number % 2 === 1 ? shop : world)));
        // It comes when all of them are ready to go: none has judged by it.
        await createCap(deps, { brandId: whose === 'of a brand' ? world.brandId : null, messages, days: 7, actor });
        // All compete at once, as if each had waited its hour for the one before it.
        await deps.database.query(
          `UPDATE delivery SET yielding_since = now() - interval '61 minutes' WHERE campaign_id = ANY ($1::int[])`,
          [all],
        );
        let turn = round;
        const answer = async (): Promise<Handover> => {
          await new Promise((resolve) => setTimeout(resolve, 1));
          return random[(turn += 7) % random.length]!;
        };
        const handed: string[] = [];
        for (let times = 0; times < 8; times++) {
          const lines = all.flatMap((id) => [send(id, answer, 0), send(id, answer, 1)]);
          handed.push(...(await Promise.all(lines)).flat());
          await aMinuteLater();
        }
        expect(await most([world.brandId, ...(brands === 2 ? [shop.brandId] : [])], 7)).toBe(messages);
        expect(handed.length).toBeGreaterThanOrEqual(CONTACTS * messages);
        for (const id of all) {
          const ledger = await findLedger(deps, id);
          expect(ledger).toMatchObject({ waiting: 0, onTheirWay: 0, audience: CONTACTS, agrees: true });
          expect(ledger.heldBack).toBe(ledger.reasons.find(({ reason }) => reason === 'capped')?.contacts ?? 0);
        }
        // Whoever has room was not held back: each was capped only by as many messages as the cap allows.
        const [row] = await deps.database.query<{ short: number }[]>(
          `SELECT count(*)::int AS short FROM delivery WHERE state = 'held-back' AND campaign_id = ANY ($1::int[]) AND json_array_length((capped_by->'by')::json) < $2`,
          [all, messages],
        );
        expect(row!.short).toBe(0);
      }
    },
  );

  test.each([
    ['of a brand', 2, 1],
    ['of all brands', 2, 2],
  ])(
    'five gates that have judged before any of them takes the place: a cap %s lets %i pass',
    async (whose, messages, brands) => {
      await afresh();
      await createCap(deps, { brandId: whose === 'of a brand' ? world.brandId : null, messages, days: 7, actor });
      const contactId = world.contactIds[0]!;
      const gates: (() => Promise<number[]>)[] = [];
      for (let number = 0; number < 5; number++) {
        const of = brands === 2 && number % 2 === 1 ? shop : world;
        const id = await start(await draft(of));
        await deps.database.query(
          `UPDATE delivery SET yielding_since = now() - interval '61 minutes' WHERE campaign_id = $1`,
          [id],
        );
        const message = judgedMessage(await getCampaign(deps, id), []);
        const claim = await claimDeliveries(deps.database, message, randomUUID(), PROCESSES[0]!, 500, [], []);
        const theirs = claim.claimed.filter((one) => one.contactId === contactId);
        expect(theirs).toHaveLength(1);
        gates.push(() => passGate(deps.database, message, theirs, whose === 'of all brands'));
      }
      for (const { brandId } of [world, shop])
        await deps.database.query('INSERT INTO mailed (contact_id, brand_id) VALUES ($1, $2)', [contactId, brandId]);
      // Somebody has the contact's row, and the contact: each of the five waits for them with what it knows by then.
      const holder = new pg.Client({ connectionString: deps.url });
      await holder.connect();
      await holder.query('BEGIN');
      await holder.query(
        `SELECT ${whose === 'of a brand' ? '1' : `pg_advisory_xact_lock(7300004, hashint8(contact_id))`} FROM mailed WHERE contact_id = $1 FOR UPDATE`,
        [contactId],
      );
      const passing = Promise.all(gates.map((gate) => gate()));
      const waiting = async (): Promise<boolean> => {
        const { rows } = await holder.query<{ n: number }>(
          `SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
        );
        return rows[0]!.n === 5;
      };
      await until(waiting);
      await holder.query('COMMIT');
      await holder.end();
      expect((await passing).flat()).toHaveLength(messages);
      expect(await most([world.brandId, shop.brandId], 7)).toBe(messages);
    },
  );

  test('of two that compete for the last place the one of higher priority gets it, else the one that started first', async () => {
    for (const [priorities, winner] of [
      [[3, 2], 1],
      [[3, 3], 0],
      [[2, 3], 0],
    ] as const) {
      await afresh();
      const both: number[] = [];
      for (const priority of priorities) both.push(await start(await draft(world, { priority })));
      await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
      const loser = both[1 - winner]!;
      // However often it is its turn, it waits: the other has not had its own yet.
      expect(await send(loser)).toEqual([]);
      await aMinuteLater();
      expect(await send(loser)).toEqual([]);
      expect(await findLedger(deps, loser)).toMatchObject({ waiting: CONTACTS, heldBack: 0 });
      expect(await send(both[winner]!)).toHaveLength(CONTACTS);
      await aMinuteLater();
      expect(await send(loser)).toEqual([]);
      expect(await reasonsOf(loser)).toEqual({ capped: CONTACTS });
    }
  });

  test('it waits for an hour at most, and not at all while there is room for both', async () => {
    await afresh();
    const first = await start(await draft());
    const second = await start(await draft());
    await createCap(deps, { brandId: world.brandId, messages: 2, days: 7, actor });
    expect(await send(second)).toHaveLength(CONTACTS);
    const third = await start(await draft());
    expect(await send(third)).toEqual([]);
    await deps.database.query(
      `UPDATE delivery SET not_before = now(), yielding_since = now() - interval '61 minutes' WHERE campaign_id = $1`,
      [third],
    );
    expect(await send(third)).toHaveLength(CONTACTS);
    await aMinuteLater();
    expect(await send(first)).toEqual([]);
    expect(await reasonsOf(first)).toEqual({ capped: CONTACTS });
  });

  test('whoever is capped by a message whose answer is still out waits for it', async () => {
    await afresh();
    const [one, two] = [await start(await draft()), await start(await draft())];
    await createCap(deps, { brandId: world.brandId, messages: 1, days: 7, actor });
    let letGo = (): void => undefined;
    const held = new Promise<void>((resolve) => (letGo = resolve));
    let out = 0;
    let answered = (): void => undefined;
    const four = new Promise<void>((resolve) => (answered = resolve));
    const sending = send(one, async () => {
      if ((out += 1) === 4) answered();
      await held;
      return { outcome: 'refused', reply: '554 5.7.1 not now' };
    });
    await four;
    await send(two, undefined, 1);
    // Nobody is held back for good by what may yet give its place back.
    expect(await reasonsOf(two)).toEqual({});
    letGo();
    await sending;
    await aMinuteLater();
    expect(await send(two, undefined, 1)).not.toHaveLength(0);
    expect(await reasonsOf(two)).toEqual({});
  });
});

describe('keeping caps', () => {
  test('one for the same days replaces the one before, which stays on record; the same again changes nothing', async () => {
    await afresh();
    const cap = { brandId: world.brandId, messages: 2, days: 7, actor };
    const first = await createCap(deps, cap);
    expect((await createCap(deps, cap)).id).toBe(first.id);
    const second = await createCap(deps, { ...cap, messages: 3 });
    expect((await lookAtCaps(deps, { brandId: world.brandId })).map(({ id }) => id)).toEqual([second.id]);
    const ended = (await lookAtCaps(deps, { ended: true })).find(({ id }) => id === first.id);
    expect(ended).toMatchObject({ messages: 2, endedBy: actor, endedAt: expect.any(Date) });
    await endCap(deps, second.id, actor);
    await expect(endCap(deps, second.id, actor)).rejects.toThrow('has ended already');
    await expect(createCap(deps, { ...cap, brandId: 999 })).rejects.toThrow('There is no brand 999');
  });

  test('made at once by several, one is in effect', async () => {
    await afresh();
    const caps = [1, 2, 3, 4, 5].map((messages) =>
      createCap(deps, { brandId: world.brandId, messages, days: 7, actor }),
    );
    const settled = await Promise.allSettled(caps);
    expect(settled.some(({ status }) => status === 'fulfilled')).toBe(true);
    expect(await lookAtCaps(deps, { brandId: world.brandId })).toHaveLength(1);
  });

  test('there is none while what was sent before is still being counted', async () => {
    await afresh();
    await deps.database.query(`UPDATE catching_up SET finished_at = NULL WHERE what = 'mailed'`);
    await expect(createCap(deps, { brandId: null, messages: 2, days: 7, actor })).rejects.toThrow(
      'still being counted',
    );
    const id = await draft(world, { restDays: 3 });
    await expect(startCampaign(deps, id, { expected: CONTACTS, actor })).rejects.toThrow('still being counted');
    await deps.database.query(`UPDATE catching_up SET finished_at = now() WHERE what = 'mailed'`);
  });
});
