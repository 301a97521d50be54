import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { previewSunsetRule } from '../../src/operations/rules/sunset-rule.ts';
import { addEntries, liftByPerson } from '../../src/operations/suppression/keep-entries.ts';
import { listJournal } from '../../src/store/statements/journal.ts';
import { makeDeps } from '../support/database.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, applyBounceRule, applySunsetRule, undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaigns: { id: number; at: number }[];

beforeEach(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 8);
  campaigns = await makePastCampaigns(deps, world, 40);
});
afterEach(() => deps.close());

const everythingTo = (contact: number) =>
  campaigns.map((campaign) => outside(world, 'sent', contact, campaign, campaign.at));
const snapshot = async (): Promise<unknown> => [
  await deps.database.query(
    'SELECT id, deliverability, deliverability_since, deliverability_cause FROM contact ORDER BY id',
  ),
  await deps.database.query(
    `SELECT contact_id, brand_id, stage, since FROM contact_stage WHERE stage <> 'new' ORDER BY 1, 2`,
  ),
  await deps.database.query('SELECT value, list_id FROM suppression_entry WHERE lifted_at IS NULL ORDER BY 1, 2'),
  await deps.database.query('SELECT contact_id, list_id, state, since FROM subscription ORDER BY 1, 2'),
];
const sunset = (expected: number | null = null) =>
  applySunsetRule(deps, {
    brandId: world.brandId,
    expected,
    reason: 'test',
    actor: 'Rosa Lindgard',
    actorKind: 'person',
  });
const reasonsOf = async (contact: number): Promise<string[]> =>
  (await checkAddress(deps, world.addresses[contact]!)).brands[0]!.reasons;

test('invariant 8, silence needs words: only who was written to goes to sunset, and the preview says so beforehand', async () => {
  await recordEvents(deps, [
    ...everythingTo(0),
    ...everythingTo(1),
    outside(world, 'clicked', 1, campaigns[39]!, campaigns[39]!.at + DAY / 2, { link: 1, userAgent: 'Mail' }),
  ]);
  const preview = await previewSunsetRule(deps, world.brandId);
  expect(preview).toMatchObject({
    moving: 2,
    toSunset: 1,
    sample: [
      { contactId: world.contactIds[0], to: 'sunset' },
      { contactId: world.contactIds[1], to: 'engaged' },
    ],
  });
  const run = await sunset(2);
  expect(run.counts).toEqual({ moved: 2, 'to sunset': 1, 'to engaged': 1 });
  expect(await reasonsOf(0)).toEqual(['sunset']);
  expect(await reasonsOf(2)).toEqual([]);
});

test('an engagement ends silence at once and lifts the sunset entry; it lifts nothing else', async () => {
  await recordEvents(deps, [
    ...everythingTo(0),
    outside(world, 'complained', 0, campaigns[0]!, campaigns[0]!.at + DAY),
  ]);
  await sunset();
  expect(await reasonsOf(0)).toEqual(['complained', 'sunset']);
  await recordEvents(deps, [outside(world, 'purchased', 0, null, deps.now().getTime() - 1000)]);
  expect(await reasonsOf(0)).toEqual(['complained']);
});

test('a count that moved since the preview is asked for again, and nothing changes', async () => {
  await recordEvents(deps, everythingTo(0));
  const before = await snapshot();
  await expect(sunset(7)).rejects.toMatchObject({ code: 'count-moved', extra: { expected: 7, now: 1 } });
  expect(await snapshot()).toEqual(before);
});

describe('invariant 12, undo', () => {
  test('a run of the ladder, of the bounce rule, of entries, of a lift and of an import are each put back exactly', async () => {
    await recordEvents(deps, [
      ...everythingTo(0),
      ...[36, 37, 38].map((index) =>
        outside(world, 'bounced', 3, campaigns[index]!, campaigns[index]!.at + 60_000, { class: 'soft' }),
      ),
    ]);
    await deps.database.query(`UPDATE contact SET deliverability = 'deliverable'`);
    await deps.database.query('DELETE FROM suppression_entry');
    const list = await ownSuppressionList(deps, 'Do not write', 'everything');
    const acts: (() => Promise<number>)[] = [
      async () => (await sunset()).id,
      async () =>
        (await applyBounceRule(deps, { expected: null, reason: 'test', actor: 'Rosa Lindgard', actorKind: 'person' }))
          .id,
      async () =>
        (
          await addEntries(deps, {
            listId: list.id,
            values: world.addresses.slice(0, 5),
            reason: 'test',
            expiresAt: null,
            actor: 'Rosa Lindgard',
          })
        ).runId,
      async () =>
        (await importText(deps, world.listId, 'address\nfresh@quillmail.example\nreader1@lanternpost.example')).runId!,
    ];
    for (const act of acts) {
      const before = await snapshot();
      const runId = await act();
      const after = await snapshot();
      expect(after).not.toEqual(before);
      const undone = await undoRun(deps, runId, 'test', 'Rosa Lindgard');
      expect(undone.restored).toBeGreaterThan(0);
      const [contacts, ...rest] = (await snapshot()) as unknown[][];
      expect(rest).toEqual((before as unknown[][]).slice(1));
      expect(contacts!.slice(0, 8)).toEqual((before as unknown[][])[0]!.slice(0, 8));
      await expect(undoRun(deps, runId, 'again', 'Rosa Lindgard')).rejects.toMatchObject({ code: 'wrong-state' });
    }
  });

  test('what something changed again since is left as it is, and listed', async () => {
    await recordEvents(deps, [...everythingTo(0), ...everythingTo(1)]);
    const run = await sunset();
    await recordEvents(deps, [outside(world, 'purchased', 1, null, deps.now().getTime() - 1000)]);
    const undone = await undoRun(deps, run.id, 'test', 'Rosa Lindgard');
    expect(undone).toMatchObject({ restored: 2, leftAlone: 2 });
    expect(undone.movedOn.map((row) => row.address)).toEqual([world.addresses[1], world.addresses[1]]);
    expect(await reasonsOf(0)).toEqual([]);
  });
});

test('invariant 7, blocks are ours: block bounces leave no mark and no entry', async () => {
  await recordEvents(
    deps,
    campaigns.map((campaign) => outside(world, 'bounced', 0, campaign, campaign.at + 60_000, { class: 'block' })),
  );
  await applyBounceRule(deps, { expected: null, reason: 'test', actor: 'rule', actorKind: 'rule' });
  expect(await reasonsOf(0)).toEqual([]);
});

test('invariant 9, machines do not engage: a scanner keeps nobody from sunset', async () => {
  const scans = campaigns.flatMap((campaign) =>
    [0, 1, 2].map((link) =>
      outside(world, 'clicked', 0, campaign, campaign.at + 500 + link, { link, userAgent: 'Mail' }),
    ),
  );
  await recordEvents(deps, [...everythingTo(0), ...scans]);
  await sunset();
  expect(await reasonsOf(0)).toEqual(['sunset']);
});

test('invariant 3, evidence: every mark and entry names its cause in the journal, and a person can lift all but a complaint', async () => {
  await recordEvents(deps, [
    ...everythingTo(0),
    outside(world, 'bounced', 1, campaigns[3]!, campaigns[3]!.at + 1000, { class: 'hard', reply: '550 no such user' }),
    outside(world, 'complained', 2, campaigns[3]!, campaigns[3]!.at + 1000),
  ]);
  await sunset();
  const journal = await listJournal(deps.database, {}, Number.MAX_SAFE_INTEGER, 500);
  const marks = journal.filter((row) => row.subject !== 'subscription');
  expect(marks.map((row) => row.subject).sort()).toEqual(['deliverability', 'entry', 'entry', 'entry', 'stage']);
  for (const row of marks) expect(Object.keys(row.cause).length).toBeGreaterThan(0);
  const check = async (contact: number) => (await checkAddress(deps, world.addresses[contact]!)).entries[0]!;
  expect((await check(1)).evidence).toMatchObject({ events: [expect.any(String)] });
  await liftByPerson(deps, [(await check(0)).id, (await check(1)).id], 'wrote to us', 'Rosa Lindgard');
  expect([await reasonsOf(0), await reasonsOf(1)]).toEqual([[], []]);
  await expect(liftByPerson(deps, [(await check(2)).id], 'please', 'Rosa Lindgard')).rejects.toMatchObject({
    code: 'not-liftable',
  });
  await recordEvents(deps, [outside(world, 'bounced', 1, campaigns[9]!, campaigns[9]!.at, { class: 'block' })]);
  expect(await reasonsOf(1)).toEqual([]);
});

describe('an entry that is asked for again', () => {
  const value = () => world.addresses[0]!;
  const enter = (listId: number, values: string[], expiresAt: string | null = null) =>
    addEntries(deps, { listId, values, reason: 'their lawyer asked', expiresAt, actor: 'Jonas Aldermore' });
  const standing = async (listId: number): Promise<{ value: string; until: Date | null }[]> =>
    deps.database.query(
      `SELECT value, expires_at AS until FROM suppression_entry WHERE list_id = $1 AND lifted_at IS NULL ORDER BY 1`,
      [listId],
    );
  const makeOwnList = async () => (await ownSuppressionList(deps, 'Do not write', 'everything')).id;
  const LATER = '2099-01-01T00:00:00.000Z';

  test('stands on when the run that entered it first is undone, of a contact and of nobody', async () => {
    const listId = await makeOwnList();
    const many = { act: 'suppress' as const, addresses: [value()], suppressionListId: listId };
    const run = await applyAct(deps, { ...many, expect: 1, reason: 'a test', actor: 'Rosa Lindgard' });
    const domain = await enter(listId, ['campusnet.example']);
    expect(await enter(listId, [value(), 'campusnet.example', 'new@campusnet.example'])).toMatchObject({
      entered: 1,
      known: 2,
    });
    expect(await undoRun(deps, run.id, 'a mistake', 'Rosa Lindgard')).toMatchObject({ restored: 0, leftAlone: 1 });
    expect(await undoRun(deps, domain.runId, 'a mistake', 'Rosa Lindgard')).toMatchObject({
      restored: 0,
      leftAlone: 1,
    });
    expect((await standing(listId)).map((row) => row.value)).toEqual(
      [value(), 'campusnet.example', 'new@campusnet.example'].sort(),
    );
    expect(await reasonsOf(0)).toContain('suppressed');
  });

  test('stands as long as the longer of both asks; the undo of the later ask gives it the end that it had', async () => {
    const listId = await makeOwnList();
    await enter(listId, [value()], LATER);
    await enter(listId, [value()], '2098-01-01T00:00:00Z');
    expect((await standing(listId))[0]!.until?.toISOString()).toBe(LATER);
    const forGood = await enter(listId, [value()]);
    expect(await standing(listId)).toEqual([{ value: value(), until: null }]);
    await undoRun(deps, forGood.runId, 'a mistake', 'Rosa Lindgard');
    expect((await standing(listId))[0]!.until?.toISOString()).toBe(LATER);
  });

  test('at the same time as the undo: it stands, whichever came first', async () => {
    const listId = await makeOwnList();
    for (let times = 0; times < 12; times++) {
      const many = { act: 'suppress' as const, addresses: [world.addresses[times % 8]!], suppressionListId: listId };
      const run = await applyAct(deps, { ...many, expect: 1, reason: 'a test', actor: 'Rosa Lindgard' });
      const elsewhere = await enter(listId, [`place${times}.example`]);
      const asks = [many.addresses[0]!, `place${times}.example`];
      await Promise.all([
        undoRun(deps, run.id, 'a mistake', 'Rosa Lindgard'),
        undoRun(deps, elsewhere.runId, 'a mistake', 'Rosa Lindgard'),
        enter(listId, asks),
      ]);
      const stand = (await standing(listId)).map((row) => row.value);
      expect(stand).toEqual(expect.arrayContaining(asks));
      const lifted = await deps.database.query<{ id: number }[]>(
        'SELECT id::float8 AS id FROM suppression_entry WHERE list_id = $1 AND lifted_at IS NULL',
        [listId],
      );
      await liftByPerson(
        deps,
        lifted.map(({ id }) => id),
        'the next time',
        'Rosa Lindgard',
      );
    }
  });
});
