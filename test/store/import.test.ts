import { packTexts } from '../../src/core/import-engine/packed-texts.ts';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import { exportImportResults } from '../../src/operations/imports/export-import-results.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { createList } from '../../src/operations/organisation/set-up.ts';
import { findContactIds } from '../../src/store/statements/contacts.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { makeDeps } from '../support/database.ts';
import { ListEntity } from '../../src/store/entities/organisation.ts';
import { inTransaction } from '../../src/store/database.ts';
import { judgeImportRows } from '../../src/store/statements/import-rows.ts';
import { findImport } from '../../src/store/statements/imports.ts';
import { listAttributeTypes } from '../../src/store/statements/contact-attributes.ts';
import { listSignUpsOfContact } from '../../src/store/statements/sign-ups.ts';
import { importText, makeSmallWorld, outside } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 5);

beforeAll(async () => {
  const list = await ownSuppressionList(deps, 'Do not write', 'everything');
  await addEntries(deps, {
    listId: list.id,
    values: ['ana@quillmail.example', '.alumni.campusnet.example'],
    reason: 'asked',
    expiresAt: null,
    actor: 'Rosa Lindgard',
  });
  await recordEvents(deps, [
    outside(world, 'unsubscribed', 4, null, Date.parse('2026-01-01'), { lists: [world.listId] }),
  ]);
});
afterAll(() => deps.close());

const FILE = [
  'E-Mail;Full name;Seat;Since',
  'New.One@Quillmail.example;"One; New";A1;2026-01-02',
  'new.one@QUILLMAIL.example;Again;A2;',
  'reader0@lanternpost.example;Reader 0;;',
  'reader1@lanternpost.example;Another Name;B7;',
  'reader4@lanternpost.example;;;',
  'ana+moon@quillmail.example;Ana;;',
  'x@physics.alumni.campusnet.example;;;',
  'nonsense;;;',
  'short;row',
  'late@quillmail.example;;;yesterday',
].join('\r\n');

const COUNTS = { created: 1, duplicate: 1, unchanged: 1, updated: 1, suppressed: 3, refused: 3 };

test('every row gets its outcome; the dry run gives exactly the counts of the real one; doing it again changes nothing', async () => {
  const contacts = async (): Promise<unknown> =>
    deps.database.query('SELECT address, name, attributes FROM contact ORDER BY id');
  const before = await contacts();
  expect((await importText(deps, world.listId, FILE, true)).counts).toEqual(COUNTS);
  expect(await contacts()).toEqual(before);
  const real = await importText(deps, world.listId, FILE);
  expect(real.counts).toEqual(COUNTS);
  const after = await contacts();
  expect(after).toHaveLength(8);
  expect(after).toContainEqual({ address: 'new.one@quillmail.example', name: 'One; New', attributes: { seat: 'A1' } });
  expect((await importText(deps, world.listId, FILE)).counts).toEqual({
    unchanged: 3,
    duplicate: 1,
    suppressed: 3,
    refused: 3,
  });
  expect(await contacts()).toEqual(after);
  let results = '';
  for await (const piece of exportImportResults(deps, real.id)) results += piece;
  const rows: string[][] = parse(results, { relax_column_count: true });
  expect(rows.map((row) => row.slice(-3, -1).join(':').replace(/:$/, ''))).toEqual([
    'outcome:code',
    'created',
    'duplicate',
    'unchanged',
    'updated',
    'suppressed:unsubscribed',
    'suppressed',
    'suppressed',
    'refused:no-at-sign',
    'refused:column-count',
    'refused:bad-date',
  ]);
});

test('each row finds its contact by index, also in a base so small that the planner would read through it', async () => {
  await deps.database.query('ANALYZE contact, subscription');
  const rows = { addresses: packTexts(['reader0@lanternpost.example']), names: null, attributes: null, joinedAt: null };
  const target = { importId: 1, listId: world.listId, brandId: world.brandId, state: 'subscribed' as const };
  const [before, after] = await inTransaction(deps.database, async (sql) => {
    const readThrough = () =>
      sql.query<{ relname: string; times: string }[]>(
        `SELECT relname, seq_scan AS times FROM pg_stat_xact_user_tables WHERE relname IN ('contact', 'subscription') ORDER BY 1`,
      );
    const earlier = await readThrough();
    expect(await judgeImportRows(sql, rows, target)).toHaveLength(1);
    return [earlier, await readThrough()];
  });
  expect(after).toEqual(before);
});

test('Undo: tags come with a file, are added to those that are there, and go with the undone import', async () => {
  const tagsOf = async (): Promise<unknown> =>
    deps.database.query(`SELECT address, tags FROM contact WHERE tags <> '{}' ORDER BY address`);
  await importText(deps, world.listId, 'address,tags\nreader2@lanternpost.example,"Summer fair; board"');
  const file = 'address,tags\nreader2@lanternpost.example,"board, moon {walk}"\ntagged@quillmail.example,board|!';
  expect((await importText(deps, world.listId, file, true)).counts).toEqual({ updated: 1, created: 1 });
  const done = await importText(deps, world.listId, file);
  expect(await tagsOf()).toEqual([
    { address: 'reader2@lanternpost.example', tags: ['Summer fair', 'board', 'moon walk'] },
    { address: 'tagged@quillmail.example', tags: ['board'] },
  ]);
  expect((await importText(deps, world.listId, file)).counts).toEqual({ unchanged: 2 });
  await undoRun(deps, done.runId!, 'the wrong file', 'Rosa Lindgard');
  expect(await tagsOf()).toEqual([{ address: 'reader2@lanternpost.example', tags: ['Summer fair', 'board'] }]);
});

test('an import lifts nothing: who left stays out, who is suppressed is kept and not subscribed', async () => {
  const rows: { address: string; state: string | null }[] = await deps.database.query(
    `SELECT address, s.state FROM contact c LEFT JOIN subscription s ON s.contact_id = c.id WHERE address IN ('reader4@lanternpost.example', 'ana+moon@quillmail.example') ORDER BY 1`,
  );
  expect(rows).toEqual([
    { address: 'ana+moon@quillmail.example', state: null },
    { address: 'reader4@lanternpost.example', state: 'unsubscribed' },
  ]);
});

test.each<[string, string | Buffer, string]>([
  ['an empty file', '', 'is empty'],
  ['a header and no rows', 'address,name\n', 'no rows'],
  ['no address column', 'who,what\na,b', 'no column of addresses'],
  ['a file that is no text', Buffer.from([0x50, 0x4b, 3, 4, 0, 1, 2, 9, 0, 0, 1]), 'not a text file'],
])('%s gives a clear error and changes nothing', async (_, file, words) => {
  const outcome = await importText(deps, world.listId, file).then(
    (row) => row.problem?.detail ?? 'finished',
    (error: Error) => error.message,
  );
  expect(outcome).toContain(words);
});

test('UTF-16, byte order marks, quotation marks gone wrong and three bad rows in ten thousand', async () => {
  const utf16 = Buffer.concat([
    Buffer.from([0xff, 0xfe]),
    Buffer.from('address\tname\nrené@quillmail.example\tRené\n', 'utf16le'),
  ]);
  expect((await importText(deps, world.listId, utf16)).counts).toEqual({ created: 1 });
  expect((await importText(deps, world.listId, '\ufeffaddress,name\nbom@quillmail.example,Bom\n')).counts).toEqual({
    created: 1,
  });
  const rows = Array.from({ length: 10_000 }, (_, index) =>
    index % 4000 === 1000 ? `bad row ${index},` : `many${index}@quillmail.example,Many`,
  );
  rows[5000] = 'quote@quillmail.example,"Unclosed';
  rows[6000] = 'odd@quillmail.example,"Od"d';
  const { counts, rowsExpected } = await importText(deps, world.listId, ['address,name', ...rows].join('\n'));
  expect(rowsExpected).toBe(10_000);
  expect(counts).toEqual({ created: 9997, refused: 3 });
});

test('attributes get their type on the way and keep it; consent as the file says it is the proof of a subscription', async () => {
  const file =
    'address,visits,member,tier,consent source,consent evidence\ntyped@quillmail.example,12,yes,PATRON,open evening,ticked on paper\nwrong@quillmail.example,a dozen,,,,';
  const mapping = { visits: 'visits:number', member: 'member:yes-no', tier: 'tier:choice(friend|patron)' };
  expect((await importText(deps, world.listId, file, true, mapping)).counts).toEqual({ created: 1, refused: 1 });
  expect(await listAttributeTypes(deps.database)).not.toHaveProperty('visits');
  const real = await importText(deps, world.listId, file, false, mapping);
  const [contact]: { id: string; attributes: unknown }[] = await deps.database.query(
    `SELECT id, attributes FROM contact WHERE address = 'typed@quillmail.example'`,
  );
  expect(contact!.attributes).toEqual({ visits: 12, member: true, tier: 'patron' });
  expect(await listAttributeTypes(deps.database)).toMatchObject({
    visits: { type: 'number' },
    tier: { type: 'choice', choices: ['friend', 'patron'] },
  });
  expect(await listSignUpsOfContact(deps.database, Number(contact!.id))).toMatchObject([
    { state: 'noted', way: 'import', source: 'open evening', agreed: 'ticked on paper' },
  ]);
  let results = '';
  for await (const piece of exportImportResults(deps, real.id, 'refused')) results += piece;
  expect(results).toContain('bad-value,A value is not of its column’s type. It says “a dozen”.');
  // The type stands: the same header is read with it again, and another is refused before a row is read.
  expect((await importText(deps, world.listId, file)).counts).toEqual({ unchanged: 1, refused: 1 });
  await expect(
    importText(deps, world.listId, 'address,visits\na@quillmail.example,1', false, { visits: 'visits:text' }),
  ).rejects.toThrow('The attribute visits is number already.');
  expect(
    (
      await importText(deps, world.listId, 'address,tier\nsecond@quillmail.example,fellow', false, {
        tier: 'tier:choice(fellow)',
      })
    ).counts,
  ).toEqual({ created: 1 });
  expect(await listAttributeTypes(deps.database)).toMatchObject({ tier: { choices: ['friend', 'patron', 'fellow'] } });
});

test('a column names the list of each row: counted alike by a dry run, a person on two lists is one contact', async () => {
  const other = await deps.database
    .getRepository(ListEntity)
    .save({ brandId: world.brandId, name: 'Members’ Letter', optIn: 'double' as const, agreement: 'the letter' });
  const file = [
    'address,name,list',
    'two@quillmail.example,Two,',
    "two@quillmail.example,Other,members' LETTER",
    'two@quillmail.example,Two,Members’ Letter',
    'reader0@lanternpost.example,Reader 0,Members’ Letter',
    'lost@quillmail.example,Lost,Moon Watch',
  ].join('\n');
  const counts = { created: 1, updated: 2, duplicate: 1, refused: 1 };
  expect((await importText(deps, world.listId, file, true)).counts).toEqual(counts);
  const real = await importText(deps, world.listId, file);
  expect(real.counts).toEqual(counts);
  const subscriptions = (): Promise<unknown> =>
    deps.database.query(
      `SELECT c.name, s.list_id AS list, s.state FROM contact c JOIN subscription s ON s.contact_id = c.id WHERE c.address IN ('two@quillmail.example', 'reader0@lanternpost.example') ORDER BY 1, 2`,
    );
  expect(await subscriptions()).toEqual([
    { name: 'Reader 0', list: world.listId, state: 'subscribed' },
    { name: 'Reader 0', list: other.id, state: 'pending' },
    { name: 'Two', list: world.listId, state: 'subscribed' },
    { name: 'Two', list: other.id, state: 'pending' },
  ]);
  expect((await importText(deps, world.listId, file)).counts).toEqual({ unchanged: 3, duplicate: 1, refused: 1 });
  let results = '';
  for await (const piece of exportImportResults(deps, real.id, 'refused')) results += piece;
  expect(results).toContain('unknown-list,The brand has no list of this name. It says “Moon Watch”.');
  await undoRun(deps, real.runId!, 'the wrong file', 'Rosa Lindgard');
  expect(await subscriptions()).toEqual([{ name: 'Reader 0', list: world.listId, state: 'subscribed' }]);
});

test('Undo: names and attributes that an import changed are put back, but not over what came later', async () => {
  const details = async (): Promise<unknown> =>
    deps.database.query(
      `SELECT name, attributes FROM contact WHERE address IN ('seat@quillmail.example', 'shelf@quillmail.example') ORDER BY address`,
    );
  await importText(
    deps,
    world.listId,
    'address,name,seat\nseat@quillmail.example,Seat,A1\nshelf@quillmail.example,,B1',
  );
  const before = await details();
  const changed = await importText(
    deps,
    world.listId,
    'address,name,seat,row\nseat@quillmail.example,Stool,A2,4\nshelf@quillmail.example,Shelf,B1,5',
  );
  expect(changed.counts).toEqual({ updated: 2 });
  expect(await details()).toEqual([
    { name: 'Stool', attributes: { seat: 'A2', row: '4' } },
    { name: 'Shelf', attributes: { seat: 'B1', row: '5' } },
  ]);
  const undone = await undoRun(deps, changed.runId!, 'the wrong file', 'Rosa Lindgard');
  expect(undone).toMatchObject({ restored: 2, leftAlone: 0 });
  expect(await details()).toEqual(before);
  await importText(deps, world.listId, 'address,seat\nseat@quillmail.example,A3');
  const again = await undoRun(deps, undone.runId, 'it was right', 'Rosa Lindgard');
  expect(again).toMatchObject({ restored: 1, leftAlone: 1 });
  expect(await details()).toEqual([
    { name: 'Seat', attributes: { seat: 'A3' } },
    { name: 'Shelf', attributes: { seat: 'B1', row: '5' } },
  ]);
});

test('a file without a header: its first row is a contact, the addresses are found, other columns are told by their place', async () => {
  const rows = 'Ada;ada.noheader@quillmail.example;A1\nBen;ben.noheader@quillmail.example;A2\n';
  const mapping = { 'column 1': 'name', 'column 3': 'seat' };
  const dry = await importText(deps, world.listId, rows, true, mapping);
  const real = await importText(deps, world.listId, rows, false, mapping);
  expect([dry.counts, real.counts]).toEqual([{ created: 2 }, { created: 2 }]);
  expect(real.options).toMatchObject({ header: false, kept: false, mapping: { address: 'address', ...mapping } });
  const found: unknown = await deps.database.query(
    `SELECT name, attributes->>'seat' AS seat FROM contact WHERE address = 'ada.noheader@quillmail.example'`,
  );
  expect(found).toEqual([{ name: 'Ada', seat: 'A1' }]);
  // What columns without names were said to be holds for this file alone, and of no column is an attribute made
  // unasked.
  const next = await importText(deps, world.listId, 'Cy;cy.noheader@quillmail.example;B1\n');
  expect(next.options.mapping).toEqual({ address: 'address', 'column 1': null, 'column 3': null });
  expect((await importText(deps, world.listId, rows)).counts).toEqual({ unchanged: 2 });
});

test('the file of a dry run is kept for a week: its counts stay, a real import keeps its file', async () => {
  const dry = await importText(deps, world.listId, 'address\nold.file@quillmail.example\n', true);
  const real = await importText(deps, world.listId, 'address\nold.file@quillmail.example\n');
  const results = async (id: number): Promise<string> => {
    let text = '';
    for await (const piece of exportImportResults(deps, id)) text += piece;
    return text;
  };
  expect(await results(dry.id)).toMatch(/old\.file@quillmail\.example,1,created/);
  await deps.database.query(`UPDATE import SET finished_at = $2::timestamptz - interval '8 days' WHERE id = ANY($1)`, [
    [dry.id, real.id],
    deps.now(),
  ]);
  await importText(deps, world.listId, 'address\nnew.file@quillmail.example\n');
  await expect(results(dry.id)).rejects.toMatchObject({ code: 'not-found' });
  expect((await findImport(deps.database, dry.id))!.counts).toEqual({ created: 1 });
  expect(await results(real.id)).toMatch(/old\.file@quillmail\.example,1,created/);
  const left: unknown = await deps.database.query(
    'SELECT DISTINCT import_id AS id FROM import_part WHERE import_id = ANY($1)',
    [[dry.id, real.id]],
  );
  expect(left).toEqual([{ id: real.id }]);
});

test('undoing an import removes whom it brought in and of whom nothing else is known; the right file then creates them', async () => {
  const known = (await importText(deps, world.listId, 'address\nknown.before@quillmail.example\n')).runId!;
  const other = await createList(deps, { brandId: world.brandId, name: 'Other', optIn: 'single' });
  const names = ['gone.one', 'gone.two', 'tagged.since', 'on.another', 'acted.since', 'known.before'];
  const file = (list: string[]): string =>
    `address,name\n${list.map((name) => `${name}@quillmail.example,wrong`).join('\n')}\n`;
  const { runId, counts } = await importText(deps, other.id, file(names));
  expect(counts).toEqual({ created: 5, updated: 1 });
  await applyAct(deps, {
    act: 'tag',
    tag: 'keep',
    addresses: ['tagged.since@quillmail.example'],
    expect: 1,
    reason: 'x',
    actor: 'Rosa Lindgard',
  });
  await importText(deps, world.listId, 'address\non.another@quillmail.example\n');
  const acted = (await findContactIds(deps.database, ['acted.since@quillmail.example'])).get(
    'acted.since@quillmail.example',
  )!;
  await recordEvents(deps, [
    {
      kind: 'visited',
      at: deps.now().getTime(),
      source: 'site',
      externalId: 'v1',
      contactId: acted,
      brandId: world.brandId,
      campaignId: null,
      detail: {},
    },
  ]);
  const undone = await undoRun(deps, runId!, 'wrong names', 'Rosa Lindgard');
  expect(undone).toMatchObject({ removed: 2, leftAlone: 0 });
  const left = await findContactIds(
    deps.database,
    names.map((name) => `${name}@quillmail.example`),
  );
  expect([...left.keys()].map((address) => address.split('@')[0]).sort()).toEqual([
    'acted.since',
    'known.before',
    'on.another',
    'tagged.since',
  ]);
  expect((await importText(deps, other.id, file(names.slice(0, 2)).replaceAll('wrong', 'right'))).counts).toEqual({
    created: 2,
  });
  // What another import brought in before is not touched by undoing it twice over.
  expect(await undoRun(deps, known, 'x', 'Rosa Lindgard')).not.toHaveProperty('removed');
});
