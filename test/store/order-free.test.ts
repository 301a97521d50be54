import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Deps } from '../../src/operations/deps.ts';
import { recordEvents, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { rebuildActivity } from '../../src/operations/events/rebuild-activity.ts';
import { compareActivity } from '../../src/store/statements/events.ts';
import { makeDeps } from '../support/database.ts';
import { DAY, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

/** One seed for everybody, so that a run can be repeated; another one explores further. */
const SEED = Number(process.env['AVENDEL_TEST_SEED'] ?? 20_261_123);
const TABLES = [
  'hard_bounce',
  'event',
  'event_key',
  'activity',
  'journal',
  'suppression_entry',
  'contact_stage',
  'delivery',
];

describe('invariant 4, order-free', () => {
  let deps: Awaited<ReturnType<typeof makeDeps>>;
  let world: SmallWorld;
  let campaigns: { id: number; at: number }[];

  beforeAll(async () => {
    deps = await makeDeps();
    world = await makeSmallWorld(deps, 3);
    campaigns = await makePastCampaigns(deps, world, 6);
  });
  afterAll(() => deps.close());

  const story = (): fc.Arbitrary<IncomingEvent[]> => {
    const one = fc.record({
      contact: fc.nat(2),
      campaign: fc.nat(5),
      what: fc.nat(12),
      after: fc.constantFrom(500, 3000, 40_000, 90_000, DAY),
    });
    return fc
      .array(one, { minLength: 3, maxLength: 14 })
      .map((picks) =>
        picks.flatMap(({ contact, campaign, what, after }) => tell(contact, campaigns[campaign]!, what, after)),
      );
  };

  function tell(contact: number, campaign: { id: number; at: number }, what: number, after: number): IncomingEvent[] {
    const event = (kind: IncomingEvent['kind'], wait: number, detail = {}): IncomingEvent =>
      outside(world, kind, contact, campaign, campaign.at + wait, detail);
    const sent = event('sent', 0);
    switch (what) {
      case 0:
        return [sent, event('bounced', after, { class: 'hard' })];
      case 1:
      case 2:
      case 3:
        return [sent, event('bounced', after, { class: 'soft' })];
      case 4:
        return [sent, event('clicked', after, { link: 1, userAgent: 'Mail' }), event('visited', after + 1500)];
      case 5:
        return [
          sent,
          event('clicked', after, { link: 0, userAgent: 'Mail' }),
          event('clicked', after + 900, { link: 2, userAgent: 'Mail' }),
          event('visited', after + 1200),
        ];
      case 6:
        return [sent, event('opened', after, { userAgent: 'Mail' })];
      case 7:
        return [sent, event('complained', after)];
      case 8:
        return [event('unsubscribed', after, { lists: [world.listId] })];
      case 9:
        return [event('unsubscribed', after, {})];
      case 10:
        return [event('subscribed', after, { lists: [world.listId] })];
      case 11:
        return [event('confirmed', after, { lists: [world.listId] })];
      default:
        return [sent, event('delivered', after)];
    }
  }

  test('any permutation and repetition of the same events, in batches of any size, gives the same activity, marks and counts', async () => {
    const told = story().chain((events) =>
      fc.tuple(
        fc.constant(events),
        fc.shuffledSubarray([...events, ...events.slice(0, 3)], {
          minLength: Math.min(3, events.length) + events.length,
        }),
        fc.integer({ min: 1, max: 5 }),
      ),
    );
    await fc.assert(
      fc.asyncProperty(told, async ([events, shuffled, size]) => {
        const [one, other] = [
          await outcome(deps, world, [events]),
          await outcome(deps, world, inBatches(shuffled, size)),
        ];
        expect(other).toEqual(one);
      }),
      { numRuns: 40, seed: SEED },
    );
  });

  test('activity derived anew from the events differs in no row', async () => {
    expect((await rebuildActivity(deps)).differing).toBe(0);
  });
});

function inBatches<T>(items: T[], size: number): T[][] {
  return Array.from({ length: Math.ceil(items.length / size) }, (_, index) =>
    items.slice(index * size, (index + 1) * size),
  );
}

/** What stands at the end, after a fresh start: everything but instants of recording and numbers of rows. */
async function outcome(deps: Deps, world: SmallWorld, batches: IncomingEvent[][]): Promise<unknown> {
  const { database } = deps;
  await database.query(`TRUNCATE ${TABLES.join(', ')}`);
  await database.query(
    `UPDATE contact SET deliverability = 'deliverable', deliverability_since = NULL, deliverability_cause = NULL`,
  );
  await database.query(`UPDATE subscription SET state = 'subscribed', since = '2025-01-01', source = 'import 1'`);
  for (const batch of batches) await recordEvents(deps, batch);
  const [differing, activity, acts, contacts, entries, subscriptions, deliveries] = [
    (await compareActivity(database)).differing.length,
    await database.query('SELECT * FROM activity ORDER BY contact_id'),
    await database.query('SELECT id, kind, actor, actor_reason FROM event ORDER BY id'),
    await database.query(`SELECT id, deliverability, deliverability_cause->>'cause' AS cause FROM contact ORDER BY id`),
    await database.query(`SELECT list_id, value FROM suppression_entry WHERE lifted_at IS NULL ORDER BY 1, 2`),
    await database.query('SELECT contact_id, list_id, state, since FROM subscription ORDER BY 1, 2'),
    await database.query(
      'SELECT campaign_id, contact_id, accepted_at, bounced, trapped_at FROM delivery ORDER BY 1, 2',
    ),
  ] as unknown[];
  expect(differing).toBe(0);
  expect(world.contactIds.length).toBe(3);
  return { activity, acts, contacts, entries, subscriptions, deliveries };
}

test('activity that is not what the events say is found and put right, whatever is wrong with it', async () => {
  const deps = await makeDeps();
  try {
    const world = await makeSmallWorld(deps, 3);
    await recordEvents(
      deps,
      world.contactIds.flatMap((_, contact) => [
        outside(world, 'visited', contact, null, deps.now().getTime()),
        outside(world, 'purchased', contact, null, deps.now().getTime()),
      ]),
    );
    const right: unknown = await deps.database.query('SELECT * FROM activity ORDER BY contact_id');
    await deps.database.query('UPDATE activity SET visited = visited + 1 WHERE contact_id = $1', [world.contactIds[0]]);
    await deps.database.query('DELETE FROM activity WHERE contact_id = $1', [world.contactIds[1]]);
    await deps.database.query('INSERT INTO activity (contact_id, brand_id) VALUES ($1, $2)', [
      world.contactIds[2]! + 1000,
      world.brandId,
    ]);
    expect(await rebuildActivity(deps)).toMatchObject({ rows: 4, differing: 3 });
    expect(await deps.database.query('SELECT * FROM activity ORDER BY contact_id')).toEqual(right);
    expect(await rebuildActivity(deps)).toEqual({ rows: 3, differing: 0, sample: [] });
  } finally {
    await deps.close();
  }
});
