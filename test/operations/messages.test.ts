import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { standardFields, type WrittenMessage } from '../../src/core/message/compile-message.ts';
import { startCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import {
  changeCampaign,
  createCampaign,
  getCampaign,
  withProblems,
} from '../../src/operations/campaigns/edit-campaign.ts';
import { moveOn } from '../../src/operations/campaigns/move-on.ts';
import { listPreflightContacts, preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { scheduleCampaign } from '../../src/operations/campaigns/schedule-campaign.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { checkTyped } from '../../src/operations/messages/check-typed.ts';
import { previewMessage, previewTyped } from '../../src/operations/messages/preview-message.ts';
import { sendTests } from '../../src/operations/messages/send-tests.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { createSegment } from '../../src/operations/segments/keep-segments.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import type { TypedMessage } from '../../src/shared/contract/messages.ts';
import { makeDeps } from '../support/database.ts';
import { ownSuppressionList, shortDraft } from '../support/parts.ts';
import { importText, makeSmallWorld, type SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const STATEMENT = 'Whoever holds a ticket has to know that the evening is moved.';
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let typed: TypedMessage;
beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 8);
  typed = {
    brandId: world.brandId,
    purpose: 'marketing',
    statement: '',
    format: 'html',
    subject: 'For [[first_name else "you"]]',
    previewLine: '',
    html: '<p>Seat [[seat else "any"]], and <a href="https://larkfield.example/a">more to read</a></p>',
    text: '',
    countLinks: false,
    listIds: [world.listId],
    leftOutListIds: [],
    segmentIds: [],
    leftOutSegmentIds: [],
  };
});
afterAll(() => deps.close());

describe('for how many a field is empty', () => {
  /** Names as people write them, and as they type them at a form. */
  const NAMES = [
    'Ada Brandt',
    '',
    ' ',
    '  ',
    'Dr. Marr',
    'J.R. Hale',
    'visit x.example',
    'www. com',
    '//evil',
    'a@b',
    'Zoë Ånd',
    'שרה לוי',
    'محمد',
    'иван.рф',
    'A'.repeat(60),
    'A'.repeat(61),
    'Ada.',
    '.com',
    'x.co',
    'x.c',
    '3.14',
    '🔭 Ada',
    '\t',
    'O’Neill-Marr',
  ];

  test('is counted as the message is written: of each name that anybody has', async () => {
    const rows = NAMES.map((_, index) => `named${index}@quillmail.example,,2025-01-01`);
    await importText(deps, world.listId, ['address,name,joined', ...rows].join('\n'));
    for (const [index, name] of NAMES.entries())
      await deps.database.query(`UPDATE contact SET name = $1, attributes = $2 WHERE address = $3`, [
        name,
        JSON.stringify(index % 3 === 0 ? {} : { seat: index % 3 === 1 ? '' : 'B 4' }),
        `named${index}@quillmail.example`,
      ]);
    const { findings, readers } = await checkTyped(deps, typed);
    const nameless = NAMES.filter((name) => (standardFields('a@b.example', name)['first_name'] ?? '').trim() === '');
    const unnamed = await deps.database.query<{ n: number }[]>(
      `SELECT count(*)::int AS n FROM contact WHERE address NOT LIKE 'named%' AND coalesce(name, '') = ''`,
    );
    const seatless = NAMES.filter((_, index) => index % 3 !== 2).length + (readers - NAMES.length);
    expect(nameless.length).toBeGreaterThan(8);
    expect(findings.filter(({ code }) => code === 'lacking').map(({ title, advice }) => [title, advice])).toEqual([
      [`${nameless.length + unnamed[0]!.n} have no first name`, 'They read “you”.'],
      [`${seatless} have no seat`, 'They read “any”.'],
    ]);
  });

  test('of those alone whom it is for: left-out lists and segments, the archived and those who left do not count', async () => {
    const all = (await checkTyped(deps, typed)).readers;
    const named = await createSegment(deps, {
      brandId: world.brandId,
      name: 'Of quillmail',
      condition: 'domain is "quillmail.example"',
      actor,
    });
    const without = { ...typed, leftOutSegmentIds: [named.id] };
    expect((await checkTyped(deps, without)).readers).toBe(all - NAMES.length);
    const within = { ...typed, listIds: [], segmentIds: [named.id] };
    expect((await checkTyped(deps, within)).readers).toBe(NAMES.length);
    // Taken in twice, counted once.
    expect((await checkTyped(deps, { ...typed, segmentIds: [named.id] })).readers).toBe(all);
    await expect(checkTyped(deps, { ...typed, segmentIds: [named.id + 9] })).rejects.toThrow();
    expect((await checkTyped(deps, { ...typed, subject: 'x', html: '<p>No field at all in here</p>' })).readers).toBe(
      all,
    );
  });
});

describe('a draft that cannot be sent', () => {
  test('says so when it is kept, whatever it lacks', async () => {
    const draft = {
      ...shortDraft(world, 'Unfit'),
      subject: '',
      html: '<a href="x">read</a>',
      purpose: 'service' as const,
    };
    const { problems, id } = await withProblems(deps, await createCampaign(deps, draft));
    expect(problems.map(({ field, code }) => `${field} ${code}`)).toEqual([
      'statement no-statement',
      'subject no-subject',
      'html broken-link',
    ]);
    await expect(startCampaign(deps, id, { expected: 32, actor })).rejects.toThrow('needs a statement');
    await changeCampaign(deps, id, { purpose: 'marketing', subject: 's', html: '<p>x</p>' }, actor);
    expect((await withProblems(deps, await getCampaign(deps, id))).problems).toEqual([]);
  });
});

describe('a preview', () => {
  test('of what is typed is what leaves once it is kept, byte for byte but for tokens', async () => {
    const draft = { ...typed, name: 'Seen', previewLine: 'Before [[first_name else "all"]]' };
    const { id } = await createCampaign(deps, draft);
    const bare = (text: string | null): string | undefined => text?.replace(/[a-z2-7]{39}/g, 'TOKEN');
    for (const address of ['named0@quillmail.example', 'named2@quillmail.example', undefined]) {
      const [seen, kept] = [await previewTyped(deps, draft, address), await previewMessage(deps, id, address)];
      expect(bare(seen.message.html)).toBe(bare(kept.message.html));
      expect(bare(seen.message.text)).toBe(bare(kept.message.text));
      expect(seen.message.subject).toBe(kept.message.subject);
    }
    await expect(previewTyped(deps, draft, 'nobody')).rejects.toThrow('is not an address');
    await expect(previewTyped(deps, draft, 'nobody@larkfield.example')).rejects.toThrow('nobody@larkfield.example');
  });
});

describe('a test message', () => {
  let handed: WrittenMessage[];
  let answer: Handover;
  const relay = {
    connections: 1,
    handOver: async (message: WrittenMessage) => (handed.push(message), Promise.resolve(answer)),
  };
  const counts = async (): Promise<unknown> =>
    deps.database.query(
      `SELECT (SELECT count(*) FROM event) AS events, (SELECT count(*) FROM delivery) AS deliveries, (SELECT coalesce(sum(n), 0)::int FROM tries_in_hour WHERE key = 'test messages') AS tests`,
    );
  beforeEach(async () => {
    handed = [];
    answer = { outcome: 'accepted', reply: '250 ok' };
    await deps.database.query(`DELETE FROM tries_in_hour`);
  });

  test('goes to each address with the data of the contact that is named, and is counted nowhere', async () => {
    const to = ['rosa@larkfield.example', 'tom@larkfield.example'];
    const before = (await counts()) as [object];
    const { tests } = await sendTests(deps, relay, typed, { to, address: 'named0@quillmail.example', by: actor });
    expect(tests).toEqual(to.map((one) => ({ to: one, outcome: 'accepted', reply: '250 ok' })));
    expect(handed.map(({ to: one, subject }) => [one, subject])).toEqual(to.map((one) => [one, 'Test: For Ada']));
    expect(new Set(handed.map(({ messageId }) => messageId)).size).toBe(2);
    expect(await counts()).toEqual([{ ...before[0], tests: 2 }]);
  });

  test('goes to nobody if one of them is on a list that stops everything, and says which', async () => {
    const list = await ownSuppressionList(deps, 'Nothing at all', 'everything');
    await addEntries(deps, {
      listId: list.id,
      values: ['tom@larkfield.example'],
      reason: 'by letter',
      expiresAt: null,
      actor,
    });
    const to = ['rosa@larkfield.example', 'tom@larkfield.example'];
    await expect(sendTests(deps, relay, typed, { to, address: undefined, by: actor })).rejects.toThrow(
      'tom@larkfield.example is on “Nothing at all”, which stops everything. Nothing was sent.',
    );
    expect(handed).toEqual([]);
    const marketing = await ownSuppressionList(deps, 'No marketing', 'marketing');
    await addEntries(deps, {
      listId: marketing.id,
      values: ['eve@larkfield.example'],
      reason: 'x',
      expiresAt: null,
      actor,
    });
    await sendTests(deps, relay, typed, { to: ['eve@larkfield.example'], address: undefined, by: actor });
    expect(handed).toHaveLength(1);
  });

  test('that is unfit, or one too many for the day, goes to nobody', async () => {
    const one = { to: ['rosa@larkfield.example'], address: undefined, by: actor };
    await expect(sendTests(deps, relay, { ...typed, html: '<a href="x">y</a>' }, one)).rejects.toThrow(
      'Nothing was sent',
    );
    const ten = Array.from({ length: 10 }, (_, n) => `guest${n}@larkfield.example`);
    for (let round = 0; round < 4; round++) await sendTests(deps, relay, typed, { ...one, to: ten });
    await sendTests(deps, relay, typed, { ...one, to: ten.slice(0, 5) });
    await expect(sendTests(deps, relay, typed, { ...one, to: ten })).rejects.toThrow(
      '5 more can go, and nothing was sent',
    );
    expect(handed).toHaveLength(45);
    // What was refused has not used up what is left.
    await sendTests(deps, relay, typed, { ...one, to: ten.slice(0, 5) });
    answer = { outcome: 'again', reply: '450 later', trouble: false };
    await expect(sendTests(deps, relay, typed, one)).rejects.toThrow('0 more can go');
  });

  test('is tried once with a relay that is in trouble, however many addresses wait for it', async () => {
    answer = { outcome: 'again', reply: '421 going down', trouble: true };
    const to = ['rosa@larkfield.example', 'eve@larkfield.example', 'ida@larkfield.example'];
    const { tests } = await sendTests(deps, relay, typed, { to, address: undefined, by: actor });
    expect(tests.map(({ outcome, reply }) => [outcome, reply])).toEqual(to.map(() => ['again', '421 going down']));
    expect(handed).toHaveLength(1);
    expect(await counts()).toMatchObject([{ tests: 0 }]);
  });

  test('that cannot be signed goes to nobody, and does not count for the day', async () => {
    await deps.database.query(
      `INSERT INTO dkim_key (brand_id, domain, selector, sealed, public_key, signs, created_by) VALUES ($1, 'larkfield.example', 'lost', '\\x00', '', true, $2)`,
      [world.brandId, actor],
    );
    const one = { to: ['rosa@larkfield.example'], address: undefined, by: actor };
    await expect(sendTests(deps, relay, typed, one)).rejects.toThrow('cannot be opened');
    await deps.database.query(`DELETE FROM dkim_key`);
    expect(handed).toEqual([]);
    expect(await counts()).toMatchObject([{ tests: 0 }]);
  });

  test('that is put off went to nobody, and does not count for the day', async () => {
    answer = { outcome: 'again', reply: '450 later', trouble: false };
    await sendTests(deps, relay, typed, { to: ['rosa@larkfield.example'], address: undefined, by: actor });
    expect(await counts()).toMatchObject([{ tests: 0 }]);
  });
});

describe('a service message', () => {
  const draft = async (name: string) =>
    (await createCampaign(deps, { ...shortDraft(world, name), purpose: 'service', statement: STATEMENT })).id;

  test('is started only by whoever says how many it reaches although they opted out', async () => {
    for (const address of world.addresses.slice(0, 3))
      await unsubscribeByRequest(deps, { address, reason: 'asked', actor });
    const id = await draft('The evening is moved');
    const { willGet: expected, reachedInSpite, inSpiteOf } = await preflightCampaign(deps, id);
    expect(reachedInSpite).toBe(3);
    expect(inSpiteOf.map(({ reason, contacts }) => [reason, contacts])).toEqual([['unsubscribed', 3]]);
    const listed = await listPreflightContacts(deps, id, { reason: null, inSpiteOf: 'unsubscribed' }, 0, 20);
    expect(listed.map(({ address }) => address)).toEqual(world.addresses.slice(0, 3));
    expect(
      await listPreflightContacts(deps, id, { reason: null, inSpiteOf: 'unsubscribed' }, listed[0]!.contactId, 1),
    ).toHaveLength(1);
    for (const inSpite of [undefined, 0, 2, 4])
      await expect(startCampaign(deps, id, { expected, inSpite, actor })).rejects.toThrow(
        `reaches 3 who opted out, complained or are at sunset; ${inSpite ?? 0} were said`,
      );
    expect((await getCampaign(deps, id)).state).toBe('draft');
    expect((await startCampaign(deps, id, { expected, inSpite: 3, actor })).state).toBe('sending');
  });

  test('that is scheduled waits for a person if it reaches many more in spite of that by then', async () => {
    const id = await draft('The evening is moved again');
    const { willGet, reachedInSpite } = await preflightCampaign(deps, id);
    const at = new Date(deps.now().getTime() + 3_600_000).toISOString();
    await scheduleCampaign(deps, id, { at, expect: willGet, inSpite: reachedInSpite, actor });
    await unsubscribeByRequest(deps, { address: world.addresses[5]!, reason: 'asked', actor });
    const now = deps.now();
    await deps.database.query(`UPDATE campaign SET starts_at = now() - interval '1 second' WHERE id = $1`, [id]);
    deps.now = () => new Date();
    await moveOn(deps);
    expect(await getCampaign(deps, id)).toMatchObject({
      state: 'paused',
      startedAt: null,
      pausedBecause: expect.stringContaining('reaches 4 who opted out, complained or are at sunset; 3 were said'),
    });
    await startCampaign(deps, id, { expected: willGet, inSpite: 4, actor });
    deps.now = () => now;
  });

  test('of marketing nobody asks how many it reaches in spite of anything', async () => {
    const { id } = await createCampaign(deps, shortDraft(world, 'A digest'));
    const { willGet, reachedInSpite } = await preflightCampaign(deps, id);
    expect(reachedInSpite).toBe(0);
    expect(await listPreflightContacts(deps, id, { reason: null, inSpiteOf: 'unsubscribed' }, 0, 20)).toEqual([]);
    await startCampaign(deps, id, { expected: willGet, actor });
  });
});
