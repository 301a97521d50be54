import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { inTransaction, overWholeSet } from '../../src/store/database.ts';
import { findDeliverabilityFacts } from '../../src/store/statements/marks.ts';
import { changeSubscriptions } from '../../src/store/statements/subscriptions.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { DAY, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

/** Of a base that has just come in, the server has no statistics: what it takes for a few are thousands. */
const PEOPLE = 3000;
const ENTRIES = 5000;
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaign: { id: number; at: number };

beforeAll(async () => {
  deps = await makeDeps();
  await deps.database.query(
    'ALTER TABLE contact SET (autovacuum_enabled = off); ALTER TABLE suppression_entry SET (autovacuum_enabled = off)',
  );
  world = await makeSmallWorld(deps, PEOPLE);
  [campaign] = (await makePastCampaigns(deps, world, 1)) as [typeof campaign];
  const list = await ownSuppressionList(deps, 'Own', 'marketing');
  const values = Array.from({ length: ENTRIES }, (_, index) => `stranger${index}@hearthmail.example`);
  await addEntries(deps, { listId: list.id, values, reason: 'asked', expiresAt: null, actor: 'test' });
});
afterAll(() => deps.close());

const count = async (text: string): Promise<number> => {
  const [row] = await deps.database.query<{ n: number }[]>(`SELECT count(*)::int AS n FROM ${text}`);
  return row!.n;
};
const everybody = (kind: 'bounced' | 'unsubscribed', detail = {}) =>
  world.contactIds.map((_, contact) => outside(world, kind, contact, campaign, campaign.at + 60_000, detail));

test('however many count everybody at once, connections are left for what a stranger waits for', async () => {
  let open = (): void => undefined;
  const gate = new Promise<void>((resolve) => (open = resolve));
  const begun: number[] = [];
  const counting = Array.from({ length: 12 }, (_, number) =>
    overWholeSet(deps.database, async (sql, next) => {
      begun.push(number);
      if (number === 0) next();
      await gate;
      await sql.query('SELECT 1');
    }),
  );
  // The pool has eight. The first lets another begin.
  await until(async () => (await count('contact')) === PEOPLE && begun.length === 5);
  open();
  await Promise.all(counting);
  expect(begun.sort((a, b) => a - b)).toEqual([...counting.keys()]);
});

describe('thousands at once, on a base that has just come in', () => {
  test('each bounce is counted once and journaled with what was', async () => {
    const bounced = everybody('bounced', { class: 'soft' });
    expect(await recordEvents(deps, bounced)).toEqual({ recorded: PEOPLE, repeated: 0 });
    expect(await recordEvents(deps, bounced)).toEqual({ recorded: 0, repeated: PEOPLE });
    expect(await count(`contact WHERE deliverability = 'doubtful'`)).toBe(PEOPLE);
    expect(
      await count(
        `journal WHERE subject = 'deliverability' AND before->>'deliverability' = 'deliverable' AND after->>'deliverability' = 'doubtful'`,
      ),
    ).toBe(PEOPLE);
  });

  test('what was lifted of them is looked up by their address: no entry of others is read', async () => {
    const [before, after] = await inTransaction(deps.database, async (sql) => {
      const read = async (): Promise<unknown> =>
        sql.query(
          `SELECT seq_tup_read, idx_tup_fetch FROM pg_stat_xact_user_tables WHERE relname = 'suppression_entry'`,
        );
      const earlier = await read();
      expect(await findDeliverabilityFacts(sql, world.contactIds)).toHaveLength(PEOPLE);
      return [earlier, await read()];
    });
    expect(after).toEqual(before);
  });

  test('an act on a filter and its undo leave everybody as they were', async () => {
    const filter = {
      brandId: world.brandId,
      part: '7@',
    };
    const act = { act: 'unsubscribe' as const, brandId: world.brandId, filter };
    const { willChange } = await previewAct(deps, act);
    expect(willChange).toBe(PEOPLE / 10);
    const run = await applyAct(deps, { ...act, expect: willChange, reason: 'they asked', actor: 'Rosa Lindgard' });
    expect(run.counts).toEqual({ unsubscribed: PEOPLE / 10 });
    expect(await count(`subscription WHERE state = 'unsubscribed'`)).toBe(PEOPLE / 10);
    expect(
      await count(
        `suppression_entry e JOIN suppression_list l ON l.id = e.list_id WHERE l.built_in = 'opt-out' AND e.lifted_at IS NULL`,
      ),
    ).toBe(PEOPLE / 10);
    await undoRun(deps, run.id, 'a slip', 'Rosa Lindgard');
    expect(await count(`subscription WHERE state = 'subscribed'`)).toBe(PEOPLE);
  });

  test('each who leaves leaves once, journaled with what was; of two changes in one instant leaving wins, and an older one changes nothing', async () => {
    await recordEvents(deps, everybody('unsubscribed'));
    expect(await count(`subscription WHERE state = 'unsubscribed'`)).toBe(PEOPLE);
    expect(
      await count(
        `journal WHERE subject = 'subscription' AND contact_id IS NOT NULL AND before->>'state' = 'subscribed' AND after->>'state' = 'unsubscribed' AND run_id IS NULL`,
      ),
    ).toBe(PEOPLE);

    const [contactId] = world.contactIds as [number];
    const change = (state: 'subscribed' | 'unsubscribed', at: number) => ({
      contactId,
      listId: world.listId,
      state,
      at,
      source: 'test',
      cause: {},
    });
    const by = { actorKind: 'rule' as const, actor: 'test', runId: null };
    const later = deps.now().getTime() + DAY;
    const inOrder = [change('unsubscribed', later), change('subscribed', later)];
    // They are off already: it is kept that they say so themselves once more, and nothing else changes.
    expect(await changeSubscriptions(deps.database, inOrder, by)).toBe(1);
    for (const changes of [
      inOrder,
      [...inOrder].reverse(),
      [change('subscribed', later - 1000), change('subscribed', 0)],
    ])
      expect(await changeSubscriptions(deps.database, changes, by)).toBe(0);
    expect(
      await changeSubscriptions(deps.database, [change('subscribed', later), change('subscribed', later + 1)], by),
    ).toBe(1);
    expect(await count(`subscription WHERE contact_id = ${contactId} AND state = 'subscribed'`)).toBe(1);
    const joining = [
      { ...change('subscribed', later + DAY), state: 'pending' as const },
      change('subscribed', later + DAY),
    ];
    const rejoining = [
      change('subscribed', later + 2 * DAY),
      { ...change('subscribed', later + 2 * DAY), state: 'pending' as const },
    ];
    for (const changes of [joining, rejoining]) {
      await changeSubscriptions(deps.database, changes, by);
      expect(await count(`subscription WHERE contact_id = ${contactId} AND state = 'subscribed'`)).toBe(1);
    }
  });
});
