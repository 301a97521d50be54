import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { listCampaigns } from '../../src/operations/campaigns/list-campaigns.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { reportCampaign } from '../../src/operations/campaigns/report-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { recordEvents, recordEventsWithin, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { previewRejudging } from '../../src/operations/events/rejudge-acts.ts';
import { saveProxyList } from '../../src/operations/events/proxy-list.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { catchUp } from '../../src/operations/tallies/catch-up.ts';
import { checkTallies } from '../../src/operations/tallies/check-tallies.ts';
import { makeFolding } from '../../src/operations/tallies/fold-tallies.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { inTransaction } from '../../src/store/database.ts';
import { countByDay } from '../../src/store/statements/today.ts';
import { makeDeps } from '../support/database.ts';
import { makeShop, shortDraft } from '../support/parts.ts';
import { applyAct, rejudgeActs, undoRun } from '../support/runs.ts';
import { DAY, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

const SEED = Number(process.env['AVENDEL_TEST_SEED'] ?? 20_261_202);
const PROCESS = '00000000-0000-4000-8000-000000000001';
const CONTACTS = 12;
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let past: { id: number; at: number }[];
/** A base of its own: whoever complains gets no further message. */
async function begin(): Promise<void> {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, CONTACTS);
  past = await makePastCampaigns(deps, world, 3);
}
beforeAll(begin);
afterAll(() => deps.close());

const ACCEPTED: Handover = { outcome: 'accepted', reply: '250 ok' };
const REFUSED: Handover = { outcome: 'refused', reply: '550 5.7.1 blocked by our policy' };
const OUTCOMES: Handover[] = [
  ACCEPTED,
  ACCEPTED,
  REFUSED,
  { outcome: 'uncertain', reply: 'the line went dead' },
  { outcome: 'again', reply: '451 4.7.1 later', trouble: false },
];

let campaigns = 0;
async function send(outcomes: Handover[]): Promise<{ id: number; at: number }> {
  const { id } = await createCampaign(deps, shortDraft(world, `Campaign ${(campaigns += 1)}`));
  const { willGet } = await preflightCampaign(deps, id);
  await startCampaign(deps, id, { expected: willGet, actor: 'Rosa Lindgard' });
  let turn = 0;
  const handOver = () => Promise.resolve(outcomes[turn++ % outcomes.length]!);
  const pass = () =>
    sendPass(deps, { connections: 2, handOver }, { retrySeconds: 0, stopping: () => false }, () => PROCESS, id);
  for (let passes = 0; passes < 12 && (await pass()) !== 'ended'; passes++);
  return { id, at: deps.now().getTime() };
}

async function expectSame(): Promise<void> {
  const checked = await checkTallies(deps);
  expect({ ...checked, tallies: checked.tallies.sample }).toMatchObject({
    tallies: [],
    messages: { differing: 0, sample: [] },
    mailed: { differing: 0, sample: [] },
  });
}

const fold = async (): Promise<void> => {
  const folding = makeFolding(deps);
  while ((await folding()) > 0);
};

describe('invariant 19, tally', () => {
  test('a check finds a tally, a message and a row of mailed that say otherwise than the ledger and the events', async () => {
    const campaign = await send([ACCEPTED]);
    await recordEvents(deps, [
      outside(world, 'clicked', 1, campaign, campaign.at + 60_000, { link: 1, userAgent: 'Mail' }),
    ]);
    await fold();
    await expectSame();
    await deps.database.query(`UPDATE campaign_tally SET n = n + 1 WHERE campaign_id = $1 AND figure = 'accepted'`, [
      campaign.id,
    ]);
    expect((await checkTallies(deps)).tallies.sample).toEqual([
      `campaign ${campaign.id} wave 1 accepted 0h: ${CONTACTS + 1} instead of ${CONTACTS}`,
    ]);
    await deps.database.query(`UPDATE campaign_tally SET n = n - 1 WHERE campaign_id = $1 AND figure = 'accepted'`, [
      campaign.id,
    ]);
    await deps.database.query('UPDATE delivery SET clicked_at = NULL WHERE campaign_id = $1', [campaign.id]);
    const { tallies, messages } = await checkTallies(deps);
    // The ledger's change was tallied; it is the ledger that says otherwise than the events.
    expect(tallies.differing).toBe(0);
    expect(messages.sample).toEqual([world.contactIds[1]]);
    await deps.database.query('UPDATE delivery SET clicked_at = clicked_any_at WHERE campaign_id = $1', [campaign.id]);
    await expectSame();
  });

  const kinds: [IncomingEvent['kind'], IncomingEvent['detail']][] = [
    ['sent', {}],
    ['opened', { userAgent: 'Mail' }],
    ['opened', { userAgent: 'Tollgate-LinkScanner/4 (bot)' }],
    ['clicked', { link: 1, userAgent: 'Mail' }],
    ['clicked', { link: 2, userAgent: 'Mail' }],
    ['clicked', { link: 0, userAgent: 'Mail' }],
    ['bounced', { class: 'block' }],
    ['bounced', { class: 'soft' }],
    ['complained', {}],
    ['unsubscribed', { lists: [] }],
  ];
  const act = fc.record({
    contact: fc.nat(CONTACTS - 1),
    campaign: fc.nat(3),
    what: fc.nat(kinds.length - 1),
    after: fc.constantFrom(0, 300, 900, 40_000, 3 * 3_600_000, DAY, -DAY),
  });

  test('tallies are what ledger and events say, whatever comes late, twice, in which order, from people or machines', async () => {
    const step = fc.oneof(
      {
        weight: 1,
        arbitrary: fc.record({ sent: fc.array(fc.constantFrom(...OUTCOMES), { minLength: 1, maxLength: 5 }) }),
      },
      {
        weight: 3,
        arbitrary: fc.record({ acts: fc.array(act, { minLength: 1, maxLength: 12 }), twice: fc.boolean() }),
      },
      { weight: 1, arbitrary: fc.constant({ folded: true }) },
    );
    let latest = await send([ACCEPTED]);
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 6 }), async (steps) => {
        for (const one of steps) {
          if ('sent' in one) latest = await send(one.sent);
          else if ('folded' in one) await fold();
          else {
            const events = one.acts.map(({ contact, campaign, what, after }) => {
              const of = campaign < past.length ? past[campaign]! : latest;
              return outside(world, kinds[what]![0], contact, of, of.at + after, kinds[what]![1]);
            });
            await recordEvents(deps, events);
            if (one.twice) await recordEvents(deps, [...events].reverse());
          }
        }
        await expectSame();
      }),
      { numRuns: 25, seed: SEED },
    );
  });

  test('also where acts are judged anew, by a run and by its undo', async () => {
    const campaign = await send([ACCEPTED]);
    await recordEvents(deps, [
      outside(world, 'opened', 2, campaign, campaign.at + 60_000, { userAgent: 'Lanternpost-Fetcher/2' }),
      outside(world, 'opened', 3, campaign, campaign.at + 60_000, { userAgent: 'Mail' }),
    ]);
    const opened = async () => (await reportCampaign(deps, campaign.id)).opened;
    expect(await opened()).toEqual({ human: 2, any: 2 });
    await saveProxyList(deps, { networks: [], agents: ['Lanternpost-Fetcher'] }, 'Rosa Lindgard');
    const { acts } = await previewRejudging(deps);
    const run = await rejudgeActs(deps, { expect: acts, reason: 'a proxy', actor: 'Rosa Lindgard' });
    expect(await opened()).toEqual({ human: 1, any: 2 });
    await expectSame();
    await undoRun(deps, run.id, 'no proxy after all', 'Rosa Lindgard');
    expect(await opened()).toEqual({ human: 2, any: 2 });
    await expectSame();
  });

  test('what is judged anew at one brand leaves alone what is being recorded at another', async () => {
    await deps.close();
    await begin();
    const shop = await makeShop(deps);
    const list = await createList(deps, { brandId: shop.id, name: 'Offers', optIn: 'single' });
    const other = { ...world, brandId: shop.id, listId: list.id };
    const [theirs] = await makePastCampaigns(deps, other, 1);
    const ours = past[0]!;
    const click = (at: number, link: number) =>
      outside(world, 'clicked', 0, ours, ours.at + at, { link, userAgent: 'Mail' });
    await recordEvents(deps, [
      outside(world, 'sent', 0, ours, ours.at),
      outside(other, 'sent', 0, theirs!, theirs!.at),
      click(60_000, 1),
    ]);
    let judging: Promise<unknown> | undefined;
    await inTransaction(deps.database, async (sql) => {
      await recordEventsWithin(deps, sql, [
        outside(other, 'opened', 0, theirs!, theirs!.at + 60_000, { userAgent: 'Mail' }),
      ]);
      // The trap link: the click before becomes a machine's, and is noted anew.
      judging = recordEvents(deps, [click(60_500, 0)]);
      await new Promise((resolve) => setTimeout(resolve, 300));
    });
    await judging;
    const clicked = (await reportCampaign(deps, ours.id)).clicked;
    expect(clicked).toEqual({ human: 0, any: 1 });
    expect((await reportCampaign(deps, theirs!.id)).opened).toEqual({ human: 1, any: 1 });
    await expectSame();
  });

  test('of two events that bear one name in one batch the first counts, as if they had come one after the other', async () => {
    const campaign = await send([ACCEPTED]);
    const click = (after: number, link: number): IncomingEvent => ({
      ...outside(world, 'clicked', 5, campaign, campaign.at + after, { link, userAgent: 'Mail' }),
      externalId: `a click of campaign ${campaign.id}`,
    });
    const batch = [click(90_000, 1), click(60_000, 2), click(120_000, 1)];
    expect(await recordEvents(deps, batch)).toEqual({ recorded: 1, repeated: 2 });
    const named = (source: string, externalId: string) => ({
      ...outside(world, 'visited', 6, null, campaign.at),
      source,
      externalId,
    });
    expect(await recordEvents(deps, [named('shop\nmap', 'a'), named('shop', 'map\na')])).toEqual({
      recorded: 2,
      repeated: 0,
    });
    const many = Array.from({ length: 600 }, (_, index) => ({
      ...outside(world, 'visited', 5, null, campaign.at + index),
      externalId: `a visit of campaign ${campaign.id}, ${Math.floor(index / 2)}`,
    }));
    expect(await recordEvents(deps, many)).toEqual({ recorded: 300, repeated: 300 });
    const stored = await deps.database.query<{ kind: string; at: number }[]>(
      `SELECT kind, (extract(epoch FROM min(occurred_at)) * 1000)::float8 AS at FROM event
       WHERE external_id = ANY ($1) GROUP BY 1 ORDER BY 1`,
      [[batch[0]!.externalId, many[0]!.externalId]],
    );
    expect(stored).toEqual([
      { kind: 'clicked', at: campaign.at + 90_000 },
      { kind: 'visited', at: campaign.at },
    ]);
    expect((await reportCampaign(deps, campaign.id)).clicked).toEqual({ human: 1, any: 1 });
    await expectSame();
  });

  test('erasing somebody changes no count', async () => {
    const campaign = await send([ACCEPTED, REFUSED]);
    await recordEvents(deps, [
      outside(world, 'clicked', 4, campaign, campaign.at + 60_000, { link: 1, userAgent: 'Mail' }),
    ]);
    const before = await reportCampaign(deps, campaign.id);
    await applyAct(deps, {
      act: 'erase',
      addresses: [world.addresses[4]!],
      expect: 1,
      reason: 'they asked',
      actor: 'Rosa Lindgard',
    });
    expect(await reportCampaign(deps, campaign.id)).toEqual(before);
    await expectSame();
  });

  test('folding by several at once, while events come in, counts each change once', async () => {
    await deps.close();
    await begin();
    const campaign = await send([ACCEPTED]);
    const foldings = [makeFolding(deps), makeFolding(deps), makeFolding(deps)];
    let recording = true;
    const folding = foldings.map(async (one) => {
      while (recording) await one();
    });
    try {
      for (let round = 0; round < 25; round++)
        await Promise.all(
          [0, 1, 2].map((lane) =>
            recordEvents(deps, [
              outside(world, 'opened', (round + lane) % CONTACTS, campaign, campaign.at + round * 1000 + lane, {
                userAgent: 'Mail',
              }),
              outside(world, 'clicked', (round * lane) % CONTACTS, campaign, campaign.at + 70_000 + round, {
                link: 1,
                userAgent: 'Mail',
              }),
            ]),
          ),
        );
    } finally {
      recording = false;
      await Promise.all(folding);
    }
    await fold();
    const [left] = await deps.database.query<{ n: number }[]>('SELECT count(*)::int AS n FROM tally_change');
    expect(left!.n).toBe(0);
    await expectSame();
  });
});

describe('pages read them', () => {
  test('a report, the list of campaigns and the days of a brand say what happened', async () => {
    const campaign = await send([ACCEPTED, ACCEPTED, REFUSED]);
    const events = (kind: IncomingEvent['kind'], contacts: number[], detail: IncomingEvent['detail'] = {}) =>
      contacts.map((contact) => outside(world, kind, contact, campaign, campaign.at + 3_600_000, detail));
    const { ledger } = await reportCampaign(deps, campaign.id);
    const took = await deps.database.query<{ n: number }[]>(
      `SELECT array_position($2::bigint[], contact_id) - 1 AS n FROM delivery WHERE campaign_id = $1 AND state = 'accepted' ORDER BY 1`,
      [campaign.id, world.contactIds],
    );
    const [first, second, third] = took.map(({ n }) => n);
    await recordEvents(deps, [
      ...events('opened', [first!, second!], { userAgent: 'Mail' }),
      ...events('clicked', [first!], { link: 1, userAgent: 'Mail' }),
      ...events('bounced', [third!], { class: 'block' }),
      ...events('complained', [second!]),
    ]);
    const report = await reportCampaign(deps, campaign.id);
    expect(report).toMatchObject({
      opened: { human: 2, any: 2 },
      clicked: { human: 1, any: 1 },
      bounced: { hard: 0, soft: 0, block: 1, any: 1 },
      refusedAs: { hard: 0, block: ledger.refused, any: ledger.refused },
      complained: 1,
      delivered: ledger.accepted - 1,
    });
    expect(report.ledger.agrees).toBe(true);
    expect(report.domains).toEqual([
      {
        domain: 'lanternpost.example',
        accepted: ledger.accepted,
        refused: ledger.refused,
        bounced: 1,
        opened: 2,
        clicked: 1,
        complained: 1,
      },
    ]);
    const [head] = await listCampaigns(deps, { brandId: world.brandId }, campaign.id + 1, 1);
    expect(head).toMatchObject({ audience: ledger.audience, accepted: ledger.accepted, waiting: 0 });
    const since = new Date(deps.now().getTime() - 400 * DAY);
    const days = await countByDay(deps.database, world.brandId, since, 'UTC');
    const [counted] = await deps.database.query<{ accepted: number; bounced: number; complained: number }[]>(
      `SELECT count(*) FILTER (WHERE state IN ('accepted', 'refused'))::int AS accepted, count(bounced)::int AS bounced, count(complained_at)::int AS complained
       FROM delivery WHERE day IS NOT NULL AND state <> 'uncertain'`,
    );
    const sum = (of: (day: (typeof days)[number]) => number): number => days.reduce((all, day) => all + of(day), 0);
    expect(sum((day) => day.accepted)).toBe(counted!.accepted);
    expect(sum((day) => day.complained)).toBeGreaterThanOrEqual(counted!.complained);
    expect(days.map(({ day }) => day)).toEqual([...days.map(({ day }) => day)].sort());
  });

  test('a message sent near midnight counts on the day of the brand’s zone', async () => {
    await deps.database.query(`UPDATE brand SET zone = 'Pacific/Auckland' WHERE id = $1`, [world.brandId]);
    const campaign = await send([ACCEPTED]);
    await deps.database.query(`UPDATE brand SET zone = 'UTC' WHERE id = $1`, [world.brandId]);
    const [row] = await deps.database.query<{ same: boolean }[]>(
      `SELECT bool_and(day = (handed_at AT TIME ZONE 'Pacific/Auckland')::date) AS same FROM delivery WHERE campaign_id = $1 AND state = 'accepted'`,
      [campaign.id],
    );
    expect(row!.same).toBe(true);
  });

  test('whoever few have as their domain is counted among the others, once fifty are larger', async () => {
    await deps.database.query(
      `INSERT INTO contact (address) SELECT 'p' || n || '@d' || lpad((n / 2)::text, 2, '0') || '.example' FROM generate_series(0, 99) n`,
    );
    await deps.database.query(
      `INSERT INTO contact (address) VALUES ('only@a-small-one.example'); INSERT INTO subscription (contact_id, list_id, state, since, source) SELECT id, ${world.listId}, 'subscribed', now(), 'import 1' FROM contact WHERE id NOT IN (SELECT contact_id FROM subscription) AND erased_at IS NULL`,
    );
    const campaign = await send([ACCEPTED]);
    const rows = await deps.database.query<{ domain: string; n: number }[]>(
      `SELECT domain, count(*)::int AS n FROM delivery WHERE campaign_id = $1 AND state = 'accepted' AND domain IN ('other', 'a-small-one.example', 'lanternpost.example') GROUP BY 1 ORDER BY 1`,
      [campaign.id],
    );
    expect(rows.map(({ domain }) => domain)).toEqual(['lanternpost.example', 'other']);
    await expectSame();
  });
});

describe('what was stored before', () => {
  test('is taken in beside what goes on, once, and comes out as what was counted all along', async () => {
    await fold();
    const said = async (): Promise<unknown> =>
      Promise.all((await listCampaigns(deps, {}, 1_000_000, 500)).map(({ id }) => reportCampaign(deps, id)));
    const before = await said();
    // As a version before left it: nothing is noted on the messages, and nothing tallied.
    await deps.database.query(
      `ALTER TABLE delivery DISABLE TRIGGER USER;
       UPDATE delivery SET tallied = false, day = NULL, source = NULL, list_id = NULL, stage = NULL, opened_at = NULL, opened_any_at = NULL, clicked_at = NULL,
         clicked_any_at = NULL, complained_at = NULL, unsubscribed_at = NULL, hard_at = NULL, soft_at = NULL, block_at = NULL;
       ALTER TABLE delivery ENABLE TRIGGER USER;
       TRUNCATE campaign_tally, campaign_domain_tally, day_tally, tally_change;
       UPDATE catching_up SET upto = 0, finished_at = NULL WHERE what = 'tallies'`,
    );
    expect((await checkTallies(deps)).catchingUp).toMatchObject([{ what: 'tallies', upto: 0 }]);
    await Promise.all([catchUp(deps), catchUp(deps), fold()]);
    while (await catchUp(deps));
    expect(await said()).toEqual(before);
    expect((await checkTallies(deps)).catchingUp).toEqual([]);
    await expectSame();
  });
});
