import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { takeEventsAside } from '../../src/operations/events/events-aside.ts';
import { saveProxyList } from '../../src/operations/events/proxy-list.ts';
import { rebuildActivity } from '../../src/operations/events/rebuild-activity.ts';
import { recordEvents, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { previewRejudging } from '../../src/operations/events/rejudge-acts.ts';
import { takeEvents } from '../../src/operations/events/take-events.ts';
import { judgeAutomated, previewAutomated } from '../../src/operations/rules/automated-addresses.ts';
import { listEventsAside } from '../../src/store/statements/events-aside.ts';
import { makeDeps } from '../support/database.ts';
import { readMarks } from '../support/marks.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { applyAutomated, rejudgeActs, undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaigns: { id: number; at: number }[];

beforeEach(async () => {
  deps = await makeDeps();
  // Their numbers stand on both sides of where the rule of automated addresses begins another statement.
  await deps.database.query(`SELECT setval('contact_id_seq', 4997)`);
  world = await makeSmallWorld(deps, 6);
  campaigns = await makePastCampaigns(deps, world, 4);
  const to = [0, 1, 2, 3, 4, 5];
  await recordEvents(
    deps,
    campaigns.flatMap((campaign) => to.map((contact) => outside(world, 'sent', contact, campaign, campaign.at))),
  );
});
afterEach(() => deps.close());

const click = (contact: number, campaign: number, link: number, after: number): IncomingEvent =>
  outside(world, 'clicked', contact, campaigns[campaign]!, campaigns[campaign]!.at + after, {
    link,
    userAgent: 'Mozilla/5.0 Mail',
  });
const open = (contact: number, campaign: number, after: number, detail = {}): IncomingEvent =>
  outside(world, 'opened', contact, campaigns[campaign]!, campaigns[campaign]!.at + after, {
    userAgent: 'Mozilla/5.0 Mail',
    ...detail,
  });
const opened = async (): Promise<unknown> =>
  deps.database.query(
    'SELECT contact_id::int AS contact, opened_human AS human FROM activity WHERE opened_any > 0 ORDER BY 1',
  );
const reasons = async (contact: number): Promise<string[]> =>
  (await checkAddress(deps, world.addresses[contact]!)).brands[0]!.reasons;
const by = { expected: null, reason: 'the month', actor: 'Rosa Lindgard', actorKind: 'person' as const };

test('Machines do not engage: an address that only a machine reads is marked for review, a person behind a scanner never', async () => {
  // 0: a scanner on three campaigns. 1: the same scanner, and a person who clicks. 2: opens without end. 3: two
  // campaigns only.
  const scans = [0, 1, 2].flatMap((campaign) => [0, 1].map((contact) => click(contact, campaign, 0, 500)));
  const person = [0, 1, 2].map((campaign) => click(1, campaign, 2, 3_600_000));
  const endless = Array.from({ length: 51 }, (_, index) => open(2, 3, 10_000 + index * 1000));
  await recordEvents(deps, [...scans, ...person, ...endless, click(3, 0, 0, 500), click(3, 1, 0, 500)]);
  const preview = await previewAutomated(deps);
  expect(preview).toMatchObject({
    toMark: 2,
    toClear: 0,
    sample: [
      { address: world.addresses[0], because: 'a machine acted on 3 campaigns, no act by a person' },
      { address: world.addresses[2], because: '51 opens in 90 days, no act by a person' },
    ],
  });
  const before = await readMarks(deps);
  await expect(applyAutomated(deps, { ...by, expected: 5 })).rejects.toMatchObject({ code: 'count-moved' });
  await applyAutomated(deps, { ...by, expected: 2 });
  expect(await reasons(0)).toEqual([]);
  // Switched on, the mark holds back; a person's word is above the rule's, and so is a person's act.
  const stopping = await applyAutomated(deps, { ...by, rule: { stops: true } });
  expect({ counts: stopping.counts, marked: await reasons(0), person: await reasons(1) }).toEqual({
    counts: { marked: 0, cleared: 0, heldBack: 2, lifted: 0 },
    marked: ['machine'],
    person: [],
  });
  await judgeAutomated(deps, {
    addresses: [world.addresses[2]!],
    as: 'person',
    reason: 'wrote to us',
    actor: 'Rosa Lindgard',
  });
  expect(await reasons(2)).toEqual([]);
  await recordEvents(deps, [click(0, 3, 1, 40_000), click(0, 3, 2, 400_000)]);
  expect((await applyAutomated(deps, by)).counts).toEqual({ marked: 0, cleared: 1, heldBack: 0, lifted: 1 });
  expect([await reasons(0), await reasons(2)]).toEqual([[], []]);
  await expect(
    judgeAutomated(deps, {
      addresses: [world.addresses[4]!, 'nobody@x.example'],
      as: 'machine',
      reason: 'x',
      actor: 'Rosa Lindgard',
    }),
  ).rejects.toThrow('Not a contact: nobody@x.example');
  const onlyMachines = await judgeAutomated(deps, {
    addresses: [world.addresses[4]!],
    as: 'machine',
    reason: 'a ticket system',
    actor: 'Rosa Lindgard',
  });
  expect(await reasons(4)).toEqual(['machine']);
  await undoRun(deps, onlyMachines.id, 'a person after all', 'Rosa Lindgard');
  expect(await readMarks(deps)).toEqual(before);
});

test('past opens are judged anew when the list of proxies changes: previewed, as a run, undone to the same activity', async () => {
  const network = '203.0.113.9';
  await recordEvents(deps, [
    open(0, 0, 60_000, { network }),
    open(0, 1, 60_000, { network }),
    open(1, 0, 60_000),
    outside(world, 'opened', 2, null, campaigns[0]!.at, { network }),
  ]);
  expect(await previewRejudging(deps)).toMatchObject({ acts: 0, contacts: 0, moves: [], sample: [] });
  await saveProxyList(deps, { networks: ['203.0.113.0/24'], agents: [] }, 'Rosa Lindgard');
  const before = await opened();
  expect(await previewRejudging(deps)).toMatchObject({
    acts: 3,
    contacts: 2,
    moves: [{ kind: 'opened', from: 'human (person)', to: 'unknown (prefetch)', acts: 3 }],
  });
  expect(await opened()).toEqual(before);
  await expect(rejudgeActs(deps, { expect: 9, reason: 'a new proxy', actor: 'Rosa Lindgard' })).rejects.toMatchObject({
    code: 'count-moved',
  });
  const run = await rejudgeActs(deps, { expect: 3, reason: 'a new proxy', actor: 'Rosa Lindgard' });
  expect(run.counts).toEqual({ acts: 3, contacts: 2 });
  expect(await opened()).toEqual(
    [0, 1, 2].map((contact) => ({ contact: world.contactIds[contact], human: contact === 1 ? 1 : 0 })),
  );
  expect(await previewRejudging(deps)).toMatchObject({ acts: 0 });
  await undoRun(deps, run.id, 'their readers are real', 'Rosa Lindgard');
  expect(await opened()).toEqual(before);
  expect(await rebuildActivity(deps)).toMatchObject({ differing: 0 });
});

test('events of an address that is no contact are kept aside once, and recorded once it is one', async () => {
  const visit = (address: string, day: number) => ({
    kind: 'visited' as const,
    at: new Date(campaigns[0]!.at + day * DAY).toISOString(),
    source: 'shop',
    externalId: `${address} ${day}`,
    address,
    brandId: world.brandId,
  });
  const events = [
    visit('Later@quillmail.example', 1),
    visit('later@quillmail.example', 2),
    visit(world.addresses[0]!, 1),
    visit('never@quillmail.example', 400),
    visit('no address', 1),
  ];
  const taken = await takeEvents(deps, events, 'keep');
  expect(taken).toMatchObject({ recorded: 1, aside: 2, refused: [{ line: 4 }, { line: 5 }] });
  expect(await takeEvents(deps, events, 'keep')).toMatchObject({ recorded: 0, aside: 0 });
  expect(await takeEventsAside(deps)).toEqual({ recorded: 0, refused: [] });
  await importText(deps, world.listId, 'address\nlater@quillmail.example');
  expect(await takeEventsAside(deps)).toEqual({ recorded: 2, refused: [] });
  expect(await listEventsAside(deps.database, { address: null, known: false }, 0, 10)).toEqual([]);
  expect(
    await deps.database.query(
      `SELECT visited FROM activity a JOIN contact c ON c.id = a.contact_id WHERE c.address = 'later@quillmail.example'`,
    ),
  ).toEqual([{ visited: 2 }]);
});
