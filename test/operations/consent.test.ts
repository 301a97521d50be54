import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { beginAct, previewAct, type ActRequest } from '../../src/operations/acts/act-on-contacts.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { leavingEvent } from '../../src/operations/consent/leave.ts';
import { comeBack } from '../../src/operations/consent/come-back.ts';
import { unsubscribeByRequest } from '../../src/operations/consent/unsubscribe-by-request.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { addEntries, createSuppressionList, liftByPerson } from '../../src/operations/suppression/keep-entries.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import type { List } from '../../src/store/entities/organisation.ts';
import { listSignUps } from '../../src/store/statements/sign-ups.ts';
import { makeDeps } from '../support/database.ts';
import { applyAct, undoRun } from '../support/runs.ts';
import { DAY, importText, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList, makeShop } from '../support/parts.ts';

const actor = 'Rosa Lindgard';
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let letter: List;

beforeEach(async () => {
  deps = await makeDeps();
  // Runs write the server's own time.
  deps.clock.now = new Date();
  world = await makeSmallWorld(deps, 4);
  letter = await createList(deps, { brandId: world.brandId, name: 'Members’ Letter', optIn: 'single' });
  await importText(
    deps,
    letter.id,
    ['address,joined', ...world.addresses.map((address) => `${address},2025-02-01`)].join('\n'),
  );
});
afterEach(() => deps.close());

const now = (): number => deps.now().getTime();
const check = async (contact: number) => await checkAddress(deps, world.addresses[contact]!);
const reasonsOf = async (contact: number): Promise<string[]> => (await check(contact)).brands[0]!.reasons;
const statesOf = async (contact: number) =>
  Object.fromEntries(
    (await check(contact)).subscriptions.map(({ listName, state, endedBy }) => [
      listName,
      endedBy === null ? state : `${state} by ${endedBy}`,
    ]),
  );
/** Who presses one-click, or whatever else leaves these lists; null for all of the brand. */
const leaves = (contact: number, lists: number[] | null, at = now()) =>
  recordEvents(deps, [
    leavingEvent(deps, {
      contactId: world.contactIds[contact]!,
      brandId: world.brandId,
      campaignId: null,
      lists,
      way: 'one click',
      at,
    }),
  ]);
const subscribes = (contact: number, at: number, kind: 'subscribed' | 'confirmed' = 'subscribed') =>
  recordEvents(deps, [outside(world, kind, contact, null, at, { lists: [world.listId] })]);
async function act(request: Omit<ActRequest, 'addresses'>, contacts: number[]) {
  const asked = { ...request, addresses: contacts.map((contact) => world.addresses[contact]!) };
  return applyAct(deps, { ...asked, expect: (await previewAct(deps, asked)).willChange, reason: 'a clean-up', actor });
}
const takeOff = (contacts: number[]) => act({ act: 'unsubscribe', brandId: world.brandId }, contacts);

const GOT_BOTH = { 'Night Digest': 'subscribed', 'Members’ Letter': 'subscribed' };
const TAKEN_OFF = { 'Night Digest': 'unsubscribed by staff', 'Members’ Letter': 'unsubscribed by staff' };

describe('the wider and the older no stands beside a newer, narrower one', () => {
  test('taken off everything by staff, who then presses one-click for one list is out of everything', async () => {
    await subscribes(0, now() - 400 * DAY);
    await takeOff([0]);
    deps.clock.now = new Date();
    await leaves(0, [world.listId]);
    expect(await reasonsOf(0)).toEqual(['unsubscribed']);
    expect(await statesOf(0)).toEqual({
      'Night Digest': 'unsubscribed by contact',
      'Members’ Letter': 'unsubscribed by staff',
    });
  });

  test('a year-old subscription that is heard of late lifts nothing, one said after the opt-out does', async () => {
    await takeOff([0]);
    await leaves(1, null);
    for (const contact of [0, 1]) {
      await subscribes(contact, now() - 365 * DAY);
      expect(await reasonsOf(contact)).toEqual(['unsubscribed']);
    }
    deps.clock.now = new Date(Date.now() + 1000);
    for (const contact of [0, 1]) {
      await subscribes(contact, now());
      expect(await reasonsOf(contact)).toEqual([]);
    }
  });

  test('a complaint counts from when it was made: a confirmation before it lifts nothing, however late either is heard', async () => {
    const made = now() - 10 * DAY;
    await recordEvents(deps, [outside(world, 'complained', 0, null, made)]);
    await subscribes(0, made - DAY, 'confirmed');
    await subscribes(0, made + DAY);
    expect(await reasonsOf(0)).toContain('complained');
    await subscribes(0, made + DAY, 'confirmed');
    expect(await reasonsOf(0)).toEqual([]);
    await recordEvents(deps, [outside(world, 'complained', 0, null, made + 2 * DAY)]);
    expect(await reasonsOf(0)).toContain('complained');
  });
});

describe('what people say themselves is recorded, also where it changes nothing, and no undo passes over it', () => {
  test('who leaves after staff took them off stays out when that is undone; the others are back', async () => {
    const { id } = await takeOff([0, 1, 2, 3]);
    expect([await statesOf(0), await reasonsOf(0)]).toEqual([TAKEN_OFF, ['unsubscribed']]);
    deps.clock.now = new Date();
    await leaves(0, null);
    await leaves(1, [world.listId]);
    await recordEvents(deps, [outside(world, 'complained', 2, null, now())]);
    const undone = await undoRun(deps, id, 'wrong list', actor);
    // Of each two subscriptions and the opt-out.
    expect(undone).toMatchObject({ leftAlone: 9, restored: 3 });
    expect(await statesOf(0)).toEqual({
      'Night Digest': 'unsubscribed by contact',
      'Members’ Letter': 'unsubscribed by contact',
    });
    expect(await statesOf(1)).toEqual({
      'Night Digest': 'unsubscribed by contact',
      'Members’ Letter': 'unsubscribed by staff',
    });
    for (const contact of [0, 1]) expect(await reasonsOf(contact)).toEqual(['unsubscribed']);
    expect(await reasonsOf(2)).toEqual(['complained', 'unsubscribed']);
    expect([await statesOf(3), await reasonsOf(3)]).toEqual([GOT_BOTH, []]);
  });

  test('who had left before, and is heard only after staff took them off, is not given it back', async () => {
    const { id } = await takeOff([0, 1]);
    await leaves(0, [world.listId], now() - 20 * DAY);
    await leaves(1, null, now() - 20 * DAY);
    await undoRun(deps, id, 'wrong list', actor);
    expect(await statesOf(0)).toEqual({ 'Night Digest': 'unsubscribed by staff', 'Members’ Letter': 'subscribed' });
    expect(await reasonsOf(1)).toEqual(['unsubscribed']);
    expect(await statesOf(1)).toEqual(TAKEN_OFF);
  });

  test('whoever signs up for themselves after staff put them on stays on when that is undone', async () => {
    const evenings = await createList(deps, { brandId: world.brandId, name: 'Open Evenings', optIn: 'single' });
    const { id } = await act({ act: 'subscribe', listId: evenings.id }, [0, 1]);
    await comeBack(deps, evenings, {
      address: world.addresses[0]!,
      name: null,
      way: 'form',
      network: null,
      userAgent: null,
      agreed: '',
    });
    expect(
      (await listSignUps(deps.database, { state: 'confirmed', listId: null }, 0, 10)).map(({ address }) => address),
    ).toEqual([world.addresses[0]]);
    await undoRun(deps, id, 'wrong list', actor);
    expect((await statesOf(0))['Open Evenings']).toBe('subscribed');
    expect((await statesOf(1))['Open Evenings']).toBeNull();
  });

  test('one-click while the undo is at work on that person: whichever comes first, they are out', async () => {
    for (let round = 0; round < 12; round++) {
      const contact = round % 4;
      const { id } = await takeOff([contact]);
      const undo = await beginUndo(deps, id, 'wrong list', actor);
      deps.clock.now = new Date();
      await Promise.all([
        workThrough(deps, undo),
        new Promise((resolve) => setTimeout(resolve, round * 2)).then(() => leaves(contact, null)),
      ]);
      expect([round, await reasonsOf(contact)]).toEqual([round, ['unsubscribed']]);
      expect(new Set(Object.values(await statesOf(contact)))).toEqual(new Set(['unsubscribed by contact']));
      deps.clock.now = new Date(Date.now() + 5);
      await recordEvents(deps, [
        outside(world, 'subscribed', contact, null, now(), { lists: [world.listId, letter.id] }),
      ]);
      expect(await reasonsOf(contact)).toEqual([]);
    }
  });

  test('a lifting by staff that is undone does not opt out again who has signed up since', async () => {
    await takeOff([0, 1]);
    const entryOf = async (contact: number) =>
      (await check(contact)).entries.find(({ liftedAt }) => liftedAt === null)!.id;
    const { runId } = await liftByPerson(deps, [await entryOf(0), await entryOf(1)], 'a mistake', actor);
    deps.clock.now = new Date();
    await subscribes(0, now());
    await undoRun(deps, runId, 'it was none', actor);
    expect(await reasonsOf(0)).toEqual([]);
    expect(await reasonsOf(1)).toEqual(['unsubscribed']);
  });
});

describe('what staff took, staff can give back; what people said, they cannot', () => {
  test('staff subscribe again whom they took off, with the state they had, and not who has left since', async () => {
    await takeOff([0, 1]);
    deps.clock.now = new Date();
    await leaves(1, [world.listId]);
    const entryOf = async (contact: number) =>
      (await check(contact)).entries.find(({ liftedAt }) => liftedAt === null)!.id;
    await liftByPerson(deps, [await entryOf(0)], 'a mistake', actor);
    await expect(liftByPerson(deps, [await entryOf(1)], 'a mistake', actor)).rejects.toMatchObject({
      code: 'not-liftable',
    });
    const back = await act({ act: 'subscribe', listId: world.listId }, [0, 1]);
    expect(back.counts).toEqual({ subscribed: 1 });
    expect([(await statesOf(0))['Night Digest'], (await statesOf(1))['Night Digest']]).toEqual([
      'subscribed',
      'unsubscribed by contact',
    ]);
    await undoRun(deps, back.id, 'and off again', actor);
    expect((await statesOf(0))['Night Digest']).toBe('unsubscribed by staff');
  });

  test('an opt-out, a complaint and an erasure are lifted by nobody of ours; an opt-out that staff entered is, until it is their word', async () => {
    await leaves(0, null);
    await recordEvents(deps, [outside(world, 'complained', 1, null, now())]);
    await takeOff([2, 3]);
    deps.clock.now = new Date();
    await unsubscribeByRequest(deps, { address: world.addresses[3]!, reason: 'by telephone', actor });
    await act({ act: 'erase' }, [1]);
    const entries: { id: number; builtIn: string; endedBy: string | null }[] = await deps.database.query(
      `SELECT e.id::float8 AS id, l.built_in AS "builtIn", e.ended_by AS "endedBy" FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id WHERE e.lifted_at IS NULL ORDER BY e.id`,
    );
    const refused: string[] = [];
    for (const { id, builtIn, endedBy } of entries)
      await liftByPerson(deps, [id], 'we would like to', actor).catch((error: { code: string }) =>
        refused.push(`${error.code} ${builtIn} ${endedBy}`),
      );
    expect(refused.sort()).toEqual([
      'not-liftable complaint null',
      'not-liftable erasure null',
      'not-liftable opt-out contact',
      'not-liftable opt-out contact',
    ]);
    expect(await reasonsOf(3)).toEqual(['unsubscribed']);
    // All or nothing: with one among them that they cannot lift, nothing is lifted.
    await takeOff([2]);
    const standing = entries.find(({ builtIn }) => builtIn === 'complaint')!.id;
    const list = await ownSuppressionList(deps, 'Ours', 'marketing');
    await addEntries(deps, {
      listId: list.id,
      values: ['x@quillmail.example'],
      reason: 'asked',
      expiresAt: null,
      actor,
    });
    const [own]: { id: number }[] = await deps.database.query(
      'SELECT id::float8 AS id FROM suppression_entry WHERE list_id = $1',
      [list.id],
    );
    await expect(liftByPerson(deps, [own!.id, standing], 'both', actor)).rejects.toMatchObject({
      code: 'not-liftable',
      extra: { entryIds: [standing] },
    });
    expect(await deps.database.query('SELECT lifted_at FROM suppression_entry WHERE id = $1', [own!.id])).toEqual([
      { lifted_at: null },
    ]);
  });

  test('who was erased stays out: the next import does not bring them back', async () => {
    await act({ act: 'erase' }, [0]);
    const [entry]: { id: number }[] = await deps.database.query(
      `SELECT id::float8 AS id FROM suppression_entry WHERE kind = 'hash'`,
    );
    await expect(liftByPerson(deps, [entry!.id], 'they are back', actor)).rejects.toMatchObject({
      code: 'not-liftable',
    });
    expect((await importText(deps, world.listId, `address\n${world.addresses[0]}`)).counts).toEqual({ refused: 1 });
  });
});

describe('a file that says who wants no more', () => {
  const ALL = ['created.yes', 'created.dated', 'known', 'came.back', 'stays', 'odd', 'twice'] as const;
  const file = (column: string): string =>
    [
      `address,name,${column}`,
      'created.yes@quillmail.example,Ada,yes',
      'created.dated@quillmail.example,Bea,2025-06-01',
      `${world.addresses[0]},Cal,YES`,
      `${world.addresses[1]},Dora,2025-06-01`,
      'stays@quillmail.example,Eli,no',
      'odd@quillmail.example,Fay,perhaps',
      'twice@quillmail.example,Gil,',
      'twice@quillmail.example,Gil,x',
    ].join('\n');
  const standing = async () => {
    const addresses = [
      'created.yes@quillmail.example',
      'created.dated@quillmail.example',
      world.addresses[0]!,
      world.addresses[1]!,
      'stays@quillmail.example',
      'odd@quillmail.example',
      'twice@quillmail.example',
    ];
    const checks = await Promise.all(addresses.map((address) => checkAddress(deps, address)));
    return Object.fromEntries(
      ALL.map((name, index) => {
        const { brands, subscriptions } = checks[index]!;
        return [
          name,
          [
            brands[0]!.eligible,
            ...subscriptions
              .filter(({ state }) => state !== null)
              .map(({ listName, state, endedBy }) => `${listName}: ${endedBy ?? state}`),
          ],
        ];
      }),
    );
  };
  const BOTH = (left: string): unknown[] => [false, `Night Digest: ${left}`, 'Members’ Letter: contact'];

  test('opted out is out of all marketing of the brand: whoever is new, known, or stands there twice; what is neither yes nor a day is refused', async () => {
    await subscribes(1, now() - 30 * DAY);
    const dry = await importText(deps, letter.id, file('Opted out'), true);
    const row = await importText(deps, letter.id, file('Opted out'));
    expect(dry.counts).toEqual(row.counts);
    expect(row.counts).toEqual({ suppressed: 4, created: 2, duplicate: 1, refused: 1 });
    expect(row.options.mapping).toMatchObject({ 'Opted out': 'opted_out' });
    expect(await standing()).toEqual({
      'created.yes': [false],
      'created.dated': [false],
      known: BOTH('contact'),
      // Left in June 2025, and signed up again a month ago: their own later word stands.
      'came.back': [true, 'Night Digest: subscribed', 'Members’ Letter: contact'],
      stays: [true, 'Members’ Letter: subscribed'],
      odd: [false],
      twice: [false, 'Members’ Letter: contact'],
    });
    const { contact } = await checkAddress(deps, 'created.dated@quillmail.example');
    const events: { at: Date; detail: unknown }[] = await deps.database.query(
      `SELECT occurred_at AS at, detail FROM event WHERE contact_id = $1`,
      [contact!.id],
    );
    expect(events).toEqual([
      { at: new Date('2025-06-01'), detail: { way: 'import of contacts.csv: “Opted out” says “2025-06-01”' } },
    ]);
    // A file cannot bring back who has left by one, and undoing it does not either.
    expect((await importText(deps, letter.id, 'address\ncreated.yes@quillmail.example')).counts).toEqual({
      suppressed: 1,
    });
    await undoRun(deps, row.runId!, 'the wrong file', actor);
    expect(await standing()).toMatchObject({
      'created.yes': [false],
      known: BOTH('contact'),
      stays: [false],
      twice: [false, 'Members’ Letter: contact'],
    });
  });

  test('unsubscribed is off that list, whichever way the file says it, and the others stay', async () => {
    const row = await importText(deps, letter.id, file('unsubscribed_at'));
    expect(row.options.mapping).toMatchObject({ unsubscribed_at: 'unsubscribed' });
    expect(await standing()).toMatchObject({
      'created.yes': [false, 'Members’ Letter: contact'],
      known: [true, 'Night Digest: subscribed', 'Members’ Letter: contact'],
      stays: [true, 'Members’ Letter: subscribed'],
      twice: [false, 'Members’ Letter: contact'],
    });
    // Said twice, by the same file again, it is said once; and who is heard of late is out as if they had been heard in
    // time.
    expect((await importText(deps, letter.id, file('unsubscribed_at'))).counts).toMatchObject({ suppressed: 5 });
    await importText(deps, world.listId, 'address\nlate@quillmail.example');
    await importText(deps, world.listId, 'address,unsubscribed\nlate@quillmail.example,2024-01-01');
    expect((await checkAddress(deps, 'late@quillmail.example')).subscriptions[0]).toMatchObject({
      state: 'unsubscribed',
      endedBy: 'contact',
    });
  });
});

describe('acts on the whole contact end what every brand writes', () => {
  test('how many another brand may still write to is said, and has to be said back', async () => {
    const shop = await makeShop(deps);
    const notes = await createList(deps, { brandId: shop.id, name: 'Shop Notes', optIn: 'single' });
    await importText(deps, notes.id, `address\n${world.addresses.slice(0, 3).join('\n')}`);
    for (const contact of [0, 1, 2, 3]) await leaves(contact, null);
    await recordEvents(deps, [{ ...outside(world, 'bounced', 0, null, now(), { class: 'hard' }) }]);
    const filter = { brandId: world.brandId, where: 'may not be mailed and not archived' };
    for (const act of ['archive', 'erase'] as const)
      expect(await previewAct(deps, { act, filter })).toMatchObject({
        willChange: 4,
        stillMailable: { contacts: 2, brands: [{ brandName: 'Larkfield Shop', contacts: 2 }] },
      });
    expect(await previewAct(deps, { act: 'tag', tag: 'gone', filter })).toMatchObject({
      stillMailable: { contacts: 0, brands: [] },
    });
    const asked = { act: 'archive' as const, filter, expect: 4, reason: 'they cost', actor };
    await expect(beginAct(deps, asked)).rejects.toMatchObject({
      code: 'still-mailable',
      detail: expect.stringMatching(/^2 of these may still be written to: 2 by Larkfield Shop\./),
    });
    await expect(beginAct(deps, { ...asked, expectMailable: 1 })).rejects.toMatchObject({ code: 'still-mailable' });
    expect(await deps.database.query(`SELECT FROM contact WHERE archived_at IS NOT NULL`)).toHaveLength(0);
    // Whom no brand may write to is a condition of its own; of those none is left to be asked about.
    const byAny = { ...filter, where: 'may not be mailed by any brand and not archived' };
    expect(await previewAct(deps, { act: 'archive', filter: byAny })).toMatchObject({
      willChange: 2,
      stillMailable: { contacts: 0, brands: [] },
    });
    await workThrough(deps, await beginAct(deps, { ...asked, filter: byAny, expect: 2 }));
    await workThrough(deps, await beginAct(deps, { ...asked, expect: 2, expectMailable: 2 }));
    expect(await deps.database.query(`SELECT FROM contact WHERE archived_at IS NOT NULL`)).toHaveLength(4);
  });
});

test('a list of one list’s scope keeps its people off that list’s form, and off its confirmations, and not off other lists', async () => {
  const members = await createList(deps, { brandId: world.brandId, name: 'Open Evenings', optIn: 'double' });
  const stop = await createSuppressionList(deps, {
    name: 'No evenings',
    scope: 'list',
    scopeId: members.id,
    reach: 'everything',
    exact: false,
  });
  await addEntries(deps, {
    listId: stop.id,
    values: [world.addresses[0]!, 'new@quillmail.example'],
    reason: 'banned',
    expiresAt: null,
    actor,
  });
  for (const address of [world.addresses[0]!, 'new@quillmail.example'])
    for (const list of [members, letter])
      await comeBack(deps, list, { address, name: null, way: 'form', network: null, userAgent: null, agreed: '' });
  expect(await listSignUps(deps.database, { state: 'pending', listId: null }, 0, 10)).toEqual([]);
  expect(
    (await listSignUps(deps.database, { state: 'turned-away', listId: null }, 0, 10)).map(({ address, listName }) => [
      address,
      listName,
    ]),
  ).toEqual([
    [world.addresses[0], 'Open Evenings'],
    ['new@quillmail.example', 'Open Evenings'],
  ]);
  expect(
    (await checkAddress(deps, 'new@quillmail.example')).subscriptions.filter(({ state }) => state !== null),
  ).toMatchObject([{ listName: 'Members’ Letter', state: 'subscribed' }]);
});
