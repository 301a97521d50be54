import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { previewAct, type ActRequest } from '../../src/operations/acts/act-on-contacts.ts';
import { saveSeverities } from '../../src/operations/addresses/domain-facts.ts';
import { eraseContacts } from '../../src/operations/acts/erase-contacts.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { findLookAlikes, mend, previewMending } from '../../src/operations/addresses/mend-addresses.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { listJournal } from '../../src/store/statements/journal.ts';
import { makeDeps } from '../support/database.ts';
import { readMarks } from '../support/marks.ts';
import { findTexts } from '../support/search.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaigns: { id: number; at: number }[];
let monthly: { id: number };
let own: { id: number };

const SLIPPED = ['ida', 'noa', 'uma', 'eli'].map((name) => `${name}@lanternpots.example`);

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 100);
  campaigns = await makePastCampaigns(deps, world, 4);
  monthly = await createList(deps, { brandId: world.brandId, name: 'Members’ Letter', optIn: 'double' });
  own = await ownSuppressionList(deps, 'Do not write', 'marketing');
  // Eli is there twice: under the slip, and under the address that was meant.
  await importText(deps, world.listId, ['address', ...SLIPPED, 'eli@lanternpost.example'].join('\n'));
  await importText(deps, monthly.id, `address\n${SLIPPED[3]}`);
  await recordEvents(deps, [
    ...world.contactIds.map((_, contact) => outside(world, 'sent', contact, campaigns[0]!, campaigns[0]!.at)),
    ...(await idsOf(SLIPPED)).flatMap((contactId, index) => [
      { ...outside(world, 'sent', 0, campaigns[0]!, campaigns[0]!.at), contactId, externalId: `sent ${index}` },
      {
        ...outside(world, 'bounced', 0, campaigns[0]!, campaigns[0]!.at + 1000, {
          class: 'hard',
          reply: '550 5.1.2 no such domain',
        }),
        contactId,
        externalId: `bounced ${index}`,
      },
    ]),
    outside(world, 'unsubscribed', 7, null, Date.parse('2026-02-01')),
    outside(world, 'complained', 8, campaigns[0]!, campaigns[0]!.at + DAY),
  ]);
});
afterAll(() => deps.close());

const idsOf = async (addresses: string[]): Promise<number[]> =>
  Promise.all(addresses.map(async (address) => (await checkAddress(deps, address)).contact!.id));
const apply = async (request: ActRequest) =>
  applyAct(deps, {
    ...request,
    expect: (await previewAct(deps, request)).willChange,
    reason: 'asked',
    actor: 'Rosa Lindgard',
  });
const back = (runId: number) => undoRun(deps, runId, 'a mistake', 'Rosa Lindgard');

describe('an act on many changes whom its preview named, and undo puts everything back', () => {
  test.each<[string, () => ActRequest, number, string]>([
    [
      'tag by a filter',
      () => ({ act: 'tag', tag: 'spring', filter: { brandId: world.brandId, part: 'reader1' } }),
      11,
      'tagged',
    ],
    [
      'suppress by addresses',
      () => ({ act: 'suppress', suppressionListId: own.id, addresses: world.addresses.slice(0, 5) }),
      5,
      'entered',
    ],
    [
      'unsubscribe by a list',
      () => ({ act: 'unsubscribe', brandId: world.brandId, filter: { brandId: world.brandId, listId: world.listId } }),
      104,
      'unsubscribed',
    ],
    [
      'archive who is undeliverable',
      () => ({ act: 'archive', filter: { brandId: world.brandId, deliverability: 'undeliverable' } }),
      4,
      'archived',
    ],
    // The one who left the brand and the one who complained are not put on a list by us.
    [
      'subscribe',
      () => ({ act: 'subscribe', listId: monthly.id, addresses: world.addresses.slice(5, 10) }),
      3,
      'subscribed',
    ],
  ])('Undo: %s', async (_, request, count, done) => {
    const before = await readMarks(deps);
    expect(await previewAct(deps, request())).toMatchObject({ willChange: count });
    const run = await apply(request());
    expect(run.counts).toEqual({ [done]: count });
    expect(await readMarks(deps)).not.toEqual(before);
    expect(await previewAct(deps, request())).toMatchObject({ willChange: 0 });
    expect(await back(run.id)).toMatchObject({ leftAlone: 0, movedOn: [] });
    expect(await readMarks(deps)).toEqual(before);
  });

  test('a tag is taken off again, and undoing that leaves what came since alone', async () => {
    const [address] = world.addresses;
    await apply({ act: 'tag', tag: 'one', addresses: [address!] });
    const untagged = await apply({ act: 'untag', tag: 'one', addresses: [address!] });
    await apply({ act: 'tag', tag: 'two', addresses: [address!] });
    await back(untagged.id);
    expect([...(await checkAddress(deps, address!)).contact!.tags].sort()).toEqual(['one', 'two']);
  });

  test('an entry that has run out does not stand in the way of a new one', async () => {
    const address = world.addresses[50]!;
    await addEntries(deps, {
      listId: own.id,
      values: [address],
      reason: 'for a while',
      expiresAt: '2026-11-01T00:00:00Z',
      actor: 'Rosa Lindgard',
    });
    await apply({ act: 'suppress', suppressionListId: own.id, addresses: [address] });
    expect((await checkAddress(deps, address)).brands[0]).toMatchObject({ deciding: 'suppressed' });
  });

  test('what an act needs must be given, and a list that rules fill is not for people', async () => {
    const [builtIn]: { id: number }[] = await deps.database.query(
      `SELECT id FROM suppression_list WHERE built_in = 'hard-bounce'`,
    );
    await expect(previewAct(deps, { act: 'tag', addresses: world.addresses })).rejects.toMatchObject({
      code: 'invalid-input',
      field: 'tag',
    });
    await expect(
      previewAct(deps, { act: 'suppress', suppressionListId: builtIn!.id, addresses: world.addresses }),
    ).rejects.toMatchObject({ code: 'built-in' });
  });
});

describe('mending', () => {
  const request = { from: 'lanternpots.example', to: 'lanternpost.example' };
  const mendAll = (expected: number) =>
    mend(deps, { ...request, expect: expected, reason: 'a slip', actor: 'Rosa Lindgard' });

  test('a slip is learned from our own contacts, with its evidence', async () => {
    expect(await findLookAlikes(deps)).toEqual([
      {
        given: { domain: request.from, contacts: 4, accepted: 4, delivered: 0 },
        proposed: { domain: request.to, contacts: 101, accepted: 100, delivered: 100 },
        distance: 0.5,
      },
    ]);
  });

  test('Undo: a mended domain, whose marks end and whose twin is merged, comes back as it was', async () => {
    const before = await readMarks(deps);
    expect(await previewMending(deps, request)).toMatchObject({
      mended: 3,
      merged: 1,
      erased: 0,
      sample: expect.arrayContaining([
        expect.objectContaining({
          address: 'ida@lanternpots.example',
          mended: 'ida@lanternpost.example',
          mergesInto: null,
        }),
      ]) as unknown,
    });
    await expect(mendAll(3)).rejects.toMatchObject({ code: 'count-moved' });
    expect(await readMarks(deps)).toEqual(before);
    const run = await mendAll(4);
    const ida = await checkAddress(deps, 'ida@lanternpost.example');
    expect(ida.contact).toMatchObject({ deliverability: 'deliverable' });
    expect(ida.brands[0]).toMatchObject({ eligible: true });
    // The old address stays dead, and its twin's subscriptions went over.
    const old = (await checkAddress(deps, 'ida@lanternpots.example')).entries.filter(
      (entry) => entry.liftedAt === null,
    );
    expect(old).toMatchObject([{ builtIn: 'hard-bounce', value: 'ida@lanternpots.example' }]);
    const eli = await checkAddress(deps, 'eli@lanternpost.example');
    expect(
      eli.subscriptions
        .filter((row) => row.state !== null)
        .map((row) => row.listName)
        .sort(),
    ).toEqual(['Members’ Letter', 'Night Digest']);
    expect((await checkAddress(deps, SLIPPED[3]!)).contact).toMatchObject({ mergedInto: eli.contact!.id });
    // A report about a message to the old address, coming late, says nothing of the new one.
    await recordEvents(deps, [
      {
        ...outside(world, 'bounced', 0, campaigns[0]!, campaigns[0]!.at + 5000, {
          class: 'hard',
          reply: '550 5.1.2 again',
        }),
        contactId: ida.contact!.id,
        externalId: 'late',
      },
    ]);
    expect((await checkAddress(deps, 'ida@lanternpost.example')).contact).toMatchObject({
      deliverability: 'deliverable',
    });
    expect(await back(run.id)).toMatchObject({ leftAlone: 0 });
    expect(await readMarks(deps)).toEqual(before);
  });

  test('a no goes over with the person: mending lifts no opt-out', async () => {
    const address = world.addresses[7]!;
    const run = await mend(deps, {
      from: address,
      to: 'reader.seven@quillmail.example',
      expect: 1,
      reason: 'told us',
      actor: 'Rosa Lindgard',
    });
    const { brands, entries } = await checkAddress(deps, 'reader.seven@quillmail.example');
    expect(brands[0]).toMatchObject({ eligible: false, deciding: 'unsubscribed' });
    expect(entries).toMatchObject([{ builtIn: 'opt-out', liftedAt: null }]);
    await back(run.id);
  });

  test('an address that somebody else has by now does not go back, and is listed', async () => {
    const run = await mend(deps, {
      from: 'uma@lanternpots.example',
      to: 'uma@lanternpost.example',
      expect: 1,
      reason: 'a slip',
      actor: 'Rosa Lindgard',
    });
    await saveSeverities(deps, { 'look-alike-domain': 'note' }, 'Rosa Lindgard');
    expect((await importText(deps, world.listId, 'address\numa@lanternpots.example')).counts).toEqual({
      suppressed: 1,
    });
    expect(await back(run.id)).toMatchObject({
      leftAlone: 1,
      movedOn: [expect.objectContaining({ subject: 'address' })],
    });
  });

  test('erasing somebody who was mended and merged leaves no address of theirs anywhere', async () => {
    await mendAll(4);
    const { contact } = await checkAddress(deps, 'eli@lanternpost.example');
    expect(await eraseContacts(deps, [contact!.id], 'Rosa Lindgard')).toBe(2);
    expect(await findTexts(deps, ['eli@lanternpots.example', 'eli@lanternpost.example'])).toEqual([]);
    expect((await importText(deps, world.listId, 'address\neli@lanternpots.example')).counts).toEqual({ refused: 1 });
  });
});

test('what a run changed, of those whom a condition matches: of a line that speaks of many, as many as it matches', async () => {
  const own = await makeDeps();
  const small = await makeSmallWorld(own, 30);
  const run = await applyAct(own, {
    act: 'tag',
    tag: 'lately',
    addresses: small.addresses.slice(0, 20),
    expect: 20,
    reason: 'seen',
    actor: 'Rosa Lindgard',
  });
  const linesOf = (addresses: string[]): Promise<{ contacts: number | null; address: string | null }[]> =>
    own.database.transaction(async (sql) => {
      await sql.query(
        'CREATE TEMP TABLE matching ON COMMIT DROP AS SELECT id FROM contact WHERE address = ANY($1::text[])',
        [addresses],
      );
      return listJournal(sql, { runId: run.id, matching: true }, Number.MAX_SAFE_INTEGER, 100);
    });
  const people = (lines: { contacts: number | null }[]): number =>
    lines.reduce((sum, { contacts }) => sum + (contacts ?? 1), 0);
  expect(people(await listJournal(own.database, { runId: run.id }, Number.MAX_SAFE_INTEGER, 100))).toBe(20);
  expect(people(await linesOf(small.addresses.slice(15, 25)))).toBe(5);
  expect(await linesOf(small.addresses.slice(20))).toEqual([]);
  await own.close();
});
