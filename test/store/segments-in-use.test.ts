import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { createCampaign, changeCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { exportContacts } from '../../src/operations/contacts/export-contacts.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { DEFAULT_SUNSET_RULE } from '../../src/core/rules/sunset-ladder.ts';
import { previewSunsetRule } from '../../src/operations/rules/sunset-rule.ts';
import { overFilter } from '../../src/operations/segments/within-time.ts';
import { listJournal } from '../../src/store/statements/journal.ts';
import { findSunsetRule } from '../../src/store/statements/rules.ts';
import { checkCondition } from '../../src/operations/segments/condition-context.ts';
import { overWholeSet } from '../../src/store/database.ts';
import { countMatching } from '../../src/store/statements/conditions.ts';
import { compareConditions } from '../../src/operations/segments/compare-conditions.ts';
import { countSegmentsDaily } from '../../src/operations/segments/count-daily.ts';
import { createSegment, changeSegment, removeSegment } from '../../src/operations/segments/keep-segments.ts';
import {
  compareSnapshots,
  freezeSegment,
  listSnapshotChange,
  removeSnapshot,
} from '../../src/operations/segments/snapshots.ts';
import { previewCondition } from '../../src/operations/segments/work-out.ts';
import { fullFilter } from '../../src/store/statements/contacts.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { listCounts } from '../../src/store/statements/snapshots.ts';
import { makeDeps } from '../support/database.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { applyAct, applySunsetRule, undoRun } from '../support/runs.ts';

const fail = (error: unknown): void => {
  throw error;
};
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let readers: number;
const actor = 'Rosa Lindgard';

/** Forty contacts: the first ten clicked yesterday, the next ten forty days ago; one at a mistyped domain. */
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 40);
  const campaigns = await makePastCampaigns(deps, world, 8);
  const now = deps.now().getTime();
  await recordEvents(deps, [
    ...world.contactIds.flatMap((_, contact) => campaigns.map((one) => outside(world, 'sent', contact, one, one.at))),
    ...Array.from({ length: 10 }, (_, contact) =>
      outside(world, 'clicked', contact, campaigns[7]!, now - DAY / 2, { link: 1 }),
    ),
    ...Array.from({ length: 10 }, (_, index) =>
      outside(world, 'clicked', 10 + index, campaigns[1]!, now - 40 * DAY, { link: 1 }),
    ),
  ]);
  await deps.database.query(`INSERT INTO contact (address) VALUES ('someone@lanternpots.example')`);
  readers = (
    await createSegment(deps, {
      brandId: world.brandId,
      name: 'Readers',
      condition: 'clicked in the last 30 days',
      actor,
    })
  ).id;
});
afterAll(() => deps.close());

const where = (condition: string) => fullFilter({ brandId: world.brandId, where: condition });
const draft = (name: string, more: object) =>
  createCampaign(deps, {
    brandId: world.brandId,
    name,
    purpose: 'marketing',
    subject: 'The sky',
    html: '<p>x</p>',
    text: '',
    listIds: [],
    leftOutListIds: [],
    segmentIds: [],
    leftOutSegmentIds: [],
    ...more,
  });

describe('an audience by segments', () => {
  test('takes in and leaves out; who has no permission is held back; used segments are not deleted', async () => {
    await importText(deps, world.listId, `address\n${world.addresses[0]}`);
    await recordEvents(deps, [
      outside(world, 'unsubscribed', 1, null, deps.now().getTime() - 1000, { lists: [world.listId] }),
    ]);
    const out = await createSegment(deps, {
      brandId: world.brandId,
      name: 'Not these',
      condition: `address is one of ("${world.addresses[2]}", "${world.addresses[3]}")`,
      actor,
    });
    const campaign = await draft('By segment', { segmentIds: [readers], leftOutSegmentIds: [out.id] });
    const { audience, willGet, reasons } = await preflightCampaign(deps, campaign.id);
    expect({ audience, willGet, held: reasons.map(({ reason, contacts }) => [reason, contacts]) }).toEqual({
      audience: 10,
      willGet: 7,
      held: [
        ['unsubscribed', 1],
        ['left-out', 2],
      ],
    });
    await expect(removeSegment(deps, out.id)).rejects.toThrow('used by “By segment”');
    await expect(draft('Both', { segmentIds: [readers], leftOutSegmentIds: [readers] })).rejects.toThrow(
      'both taken in and left out',
    );
    await expect(draft('Nobody', {})).rejects.toThrow('No list and no segment');
    await expect(changeCampaign(deps, campaign.id, { segmentIds: [999] }, 'test')).rejects.toThrow(
      'Segment 999 is not one of',
    );
  });

  test('invariant 1, gate: whom a segment leaves out by the time of their message gets none', async () => {
    const late = await createSegment(deps, { brandId: world.brandId, name: 'Bought', condition: 'purchased', actor });
    const campaign = await draft('Late buyers', { listIds: [world.listId], leftOutSegmentIds: [late.id] });
    const { willGet } = await preflightCampaign(deps, campaign.id);
    await startCampaign(deps, campaign.id, { expected: willGet, actor: 'Rosa Lindgard' });
    await recordEvents(deps, [outside(world, 'purchased', 5, null, deps.now().getTime() - 1000, { what: 'a map' })]);
    const handed: string[] = [];
    const relay = {
      connections: 2,
      handOver: ({ to }: { to: string }) => (
        handed.push(to),
        Promise.resolve({ outcome: 'accepted' as const, reply: '250 ok' })
      ),
    };
    const processId = '00000000-0000-4000-8000-000000000001';
    const pass = () => sendPass(deps, relay, { retrySeconds: 1, stopping: () => false }, () => processId, campaign.id);
    while ((await pass()) === 'more');
    expect(handed).toHaveLength(willGet - 1);
    expect(handed).not.toContain(world.addresses[5]);
    expect((await findLedger(deps, campaign.id)).reasons).toContainEqual({
      reason: 'left-out',
      by: { kind: 'segment', id: late.id, name: 'Bought' },
      contacts: 1,
    });
    // A segment that can no longer be worked out pauses the send; it is not passed over.
    const other = await draft('Broken', { listIds: [world.listId], leftOutSegmentIds: [late.id] });
    await startCampaign(deps, other.id, {
      expected: (await preflightCampaign(deps, other.id)).willGet,
      actor: 'Rosa Lindgard',
    });
    await deps.database.query(`UPDATE segment SET condition = 'on list "Gone"' WHERE id = $1`, [late.id]);
    expect(
      await sendPass(
        deps,
        relay as unknown as Parameters<typeof sendPass>[1],
        { retrySeconds: 1, stopping: () => false },
        () => processId,
        other.id,
      ),
    ).toBe('ended');
    const [paused] = await deps.database.query<{ state: string; because: string }[]>(
      'SELECT state, paused_because AS because FROM campaign WHERE id = $1',
      [other.id],
    );
    expect(paused).toMatchObject({ state: 'paused', because: expect.stringContaining('There is no list “Gone”') });
    await deps.database.query(`UPDATE segment SET condition = 'purchased' WHERE id = $1`, [late.id]);
  });
});

test('a condition chooses whom an act concerns and what is exported; the act is undone as any other', async () => {
  const filter = { brandId: world.brandId, where: 'segment "Readers" and not purchased' };
  const preview = await previewAct(deps, { act: 'tag', tag: 'keen', filter });
  expect(preview).toMatchObject({ willChange: 9, already: 0 });
  const run = await applyAct(deps, { act: 'tag', tag: 'keen', filter, expect: 9, reason: 'a test', actor });
  expect(run.counts).toEqual({ tagged: 9 });
  let text = '';
  for await (const piece of exportContacts(deps, {
    filter: where('tagged "keen"'),
    format: 'jsonl',
    columns: ['address'],
  }))
    text += piece;
  expect(text.trim().split('\n')).toHaveLength(9);
  for await (const piece of exportContacts(deps, { filter: where('everyone'), format: 'csv', columns: ['address'] }))
    if (piece !== '') break;
  await undoRun(deps, run.id, 'a test', actor);
  expect((await previewCondition(deps, { brandId: world.brandId, condition: 'tagged "keen"' })).matching).toBe(0);
  await expect(previewAct(deps, { act: 'archive', filter: { ...filter, where: 'tagged' } })).rejects.toMatchObject({
    code: 'bad-condition',
  });
});

test('side by side: an audience widened, each time less the same others', async () => {
  const conditions = [30, 60, 90].map((days) => `clicked in the last ${days} days`);
  const compared = await compareConditions(deps, {
    brandId: world.brandId,
    conditions,
    without: ['purchased', 'left any list'],
  });
  expect(compared.map(({ matching, left, mailable }) => [matching, left, mailable])).toEqual([
    [10, 8, 8],
    [20, 18, 18],
    [20, 18, 18],
  ]);
});

test('snapshots: who came and who left since, and one is said to be old; one that is used is not deleted', async () => {
  const before = await freezeSegment(deps, { segmentId: readers, name: 'Then', actor });
  expect(before).toMatchObject({ contacts: 10, condition: 'clicked in the last 30 days', takenBy: actor });
  await expect(freezeSegment(deps, { segmentId: readers, name: 'Then', actor })).rejects.toMatchObject({
    code: 'name-taken',
  });
  await recordEvents(deps, [outside(world, 'clicked', 30, null, deps.now().getTime() - 1000, { link: 2 })]);
  expect(await compareSnapshots(deps, before.id, null)).toMatchObject({ came: 1, left: 0, stayed: 10 });
  expect(await listSnapshotChange(deps, before.id, null, 'came', 0, 10)).toMatchObject([
    { address: world.addresses[30] },
  ]);
  await changeSegment(deps, readers, {
    condition: 'clicked in the last 30 days and not purchased',
    reason: 'a test',
    actor,
  });
  const after = await freezeSegment(deps, { segmentId: readers, name: 'Now', actor });
  expect(await compareSnapshots(deps, before.id, after.id)).toMatchObject({ came: 1, left: 1, stayed: 9 });
  const asked = (condition: string) => previewCondition(deps, { brandId: world.brandId, condition });
  expect((await asked('in snapshot "Then" and in snapshot "Now"')).matching).toBe(9);
  await deps.database.query('UPDATE snapshot SET taken_at = $2 WHERE id = $1', [
    before.id,
    new Date(deps.now().getTime() - 12.5 * DAY),
  ]);
  const { warnings } = await asked('in snapshot "Then"');
  expect(warnings).toMatchObject([{ code: 'stale', message: expect.stringContaining('frozen 12 days ago') }]);
  const user = await createSegment(deps, {
    brandId: world.brandId,
    name: 'Of then',
    condition: 'in snapshot "Then"',
    actor,
  });
  await expect(removeSnapshot(deps, before.id)).rejects.toThrow('used by “Of then”');
  await removeSegment(deps, user.id);
  await removeSnapshot(deps, before.id);
  const left = await deps.database.query<unknown[]>('SELECT FROM snapshot_member WHERE snapshot_id = $1', [before.id]);
  expect(left).toEqual([]);
});

test('who may be mailed, mistyped domains and lists of any name are parts; matches are broken down; a day has one count', async () => {
  const asked = (condition: string) => previewCondition(deps, { brandId: world.brandId, condition });
  const all = await asked('may be mailed or may not be mailed');
  expect(all.matching).toBe(41);
  const able = await asked('may be mailed');
  expect(able.mailable).toBe(able.matching);
  expect((await asked('may not be mailed')).matching).toBe(41 - able.matching);
  expect((await asked('left any list')).matching).toBe(1);
  const slips = await asked('domain looks mistyped');
  expect(slips).toMatchObject({
    matching: 1,
    domains: [{ domain: 'lanternpots.example', contacts: 1 }],
    stages: [{ stage: 'new', contacts: 1 }],
  });
  expect(slips.sample[0]!.because).toBe('lanternpots.example looks like a slip');
  expect(await countSegmentsDaily(deps, fail)).toBeGreaterThan(1);
  expect(await countSegmentsDaily(deps, fail)).toBe(0);
  const [today] = await listCounts(deps.database, readers, 30);
  expect(today!.matching).toBeGreaterThanOrEqual(today!.mailable);
  expect(today!.mailable).toBeGreaterThan(5);
});

test('a ladder covers whom a condition matches: the others stay new and come off sunset; its circle is refused; a journal is read for some', async () => {
  await deps.database.query(`UPDATE contact SET joined_at = $1`, [new Date(deps.now().getTime() - 400 * DAY)]);
  const rule = {
    ...DEFAULT_SUNSET_RULE,
    steps: [
      { stage: 'fading' as const, days: 20, messages: 1 },
      { stage: 'dormant' as const, days: 30, messages: 2 },
      { stage: 'sunset' as const, days: 35, messages: 3 },
    ],
  };
  const apply = (covers: string | null) =>
    applySunsetRule(deps, {
      brandId: world.brandId,
      rule: { ...rule, covers },
      expected: null,
      reason: 'a test',
      actor,
      actorKind: 'person',
    });
  const sunset = async (): Promise<number> =>
    (await previewCondition(deps, { brandId: world.brandId, condition: 'stage is sunset and suppressed on "Sunset"' }))
      .matching;
  await apply(null);
  const all = await sunset();
  expect(all).toBeGreaterThan(10);
  await createSegment(deps, {
    brandId: world.brandId,
    name: 'Low numbers',
    condition: world.addresses
      .slice(0, 25)
      .map((address) => `address is "${address}"`)
      .join(' or '),
    actor,
  });
  const { toSunset, moving } = await previewSunsetRule(deps, world.brandId, {
    ...rule,
    covers: 'not segment "Low numbers"',
  });
  expect({ toSunset, moving: moving > 0 }).toEqual({ toSunset: 0, moving: true });
  const run = await apply('not segment "Low numbers"');
  const left = await sunset();
  expect(left).toBeLessThan(all);
  expect(
    (await previewCondition(deps, { brandId: world.brandId, condition: 'segment "Low numbers" and not stage is new' }))
      .matching,
  ).toBe(0);
  const [low] = await deps.database.query<{ id: number }[]>(`SELECT id FROM segment WHERE name = 'Low numbers'`);
  await expect(removeSegment(deps, low!.id)).rejects.toThrow('the ladder of its brand');
  await changeSegment(deps, low!.id, { name: 'The first', reason: 'a test', actor });
  expect((await findSunsetRule(deps.database, world.brandId)).rule.covers).toBe('not segment "The first"');
  await expect(previewSunsetRule(deps, world.brandId, { ...rule, covers: 'silent for 30 days' })).rejects.toThrow(
    'cannot hang on stage',
  );
  const journal = (condition: string | null) =>
    overFilter(deps, where(condition ?? 'everyone'), (sql) =>
      listJournal(sql, { runId: run.id, matching: true }, 1e12, 1000),
    );
  const ofOne = await journal(`address is "${world.addresses[22]}"`);
  expect(new Set(ofOne.map(({ address }) => address))).toEqual(new Set([world.addresses[22]]));
  expect((await journal(null)).length).toBeGreaterThan(ofOne.length);
  await undoRun(deps, run.id, 'a test', actor);
  expect(await sunset()).toBe(all);
});

test('days of silence are days of 24 hours, whatever zone the session of the server is in', async () => {
  const now = deps.now().getTime();
  await deps.database.query('UPDATE contact SET joined_at = $2 WHERE id = $1', [
    world.contactIds[35],
    new Date(now - 45 * DAY),
  ]);
  const { condition, context } = await checkCondition(
    deps,
    world.brandId,
    `silent for 45 days with at least 3 messages and address is "${world.addresses[35]}"`,
  );
  // The clocks of Lord Howe Island and London change between then and now, in opposite directions.
  for (const zone of ['UTC', 'Europe/London', 'Australia/Lord_Howe']) {
    const matching = await overWholeSet(deps.database, async (sql) => {
      await sql.query(`SELECT set_config('timezone', $1, true)`, [zone]);
      return countMatching(sql, condition, context);
    });
    expect([zone, matching]).toEqual([zone, 1]);
  }
});
