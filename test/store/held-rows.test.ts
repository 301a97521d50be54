import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { checkAddresses } from '../../src/operations/contacts/check-addresses.ts';
import { saveSeverities } from '../../src/operations/contacts/domain-facts.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { exportImportResults } from '../../src/operations/contacts/export-import-results.ts';
import { listHeldRows, releaseHeldRows } from '../../src/operations/contacts/held-rows.ts';
import { runImport } from '../../src/operations/contacts/import-contacts.ts';
import { refuse, refuseNoMore } from '../../src/operations/contacts/refuse-list.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { signUp } from '../../src/operations/permission/sign-up.ts';
import { findImport } from '../../src/store/statements/imports.ts';
import { listSignUps } from '../../src/store/statements/sign-ups.ts';
import { makeDeps } from '../support/database.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
const asked: string[] = [];

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 100);
  const [campaign] = await makePastCampaigns(deps, world, 1);
  await recordEvents(deps, world.contactIds.map((_, contact) => outside(world, 'sent', contact, campaign!, campaign!.at))); // prettier-ignore
  const answers: Record<string, 'some' | 'null' | 'none' | 'unknown'> = { 'nomail.example': 'null', 'nowhere.example': 'none', 'slow.example': 'unknown' }; // prettier-ignore
  deps.askExchange = (domain) => {
    asked.push(domain);
    return Promise.resolve({ exchange: answers[domain] ?? 'some', seconds: 3600 });
  };
});
afterAll(() => deps.close());

const FILE = [
  'address,name',
  'ida@lanternpots.example,Ida',
  'noa@lanternpots.example,Noa',
  'uma@nomail.example,Uma',
  'eli@nowhere.example,Eli',
  'sales@quillmail.example,Sales',
  'ida@slow.example,Ida',
  'reader1@lanternpost.example,Reader 1',
  'kim@blocked.sub.example,Kim',
].join('\n');

const release = async (id: number, mend: boolean, dryRun = false) => {
  const row = await releaseHeldRows(deps, id, { codes: ['look-alike-domain'], mend, dryRun, actor: 'Rosa Lindgard' });
  await runImport(deps, row.id);
  return (await findImport(deps.database, row.id))!;
};
const refusing = (values: string[], expected?: number) =>
  refuse(deps, { values, reason: 'competitors', expect: expected, actor: 'Rosa Lindgard' });

test('what would refuse many of our own contacts is asked about first', async () => {
  await expect(refusing(['.example'])).rejects.toMatchObject({ code: 'invalid-input' });
  await expect(refusing(['lanternpost.example'])).rejects.toMatchObject({ code: 'count-moved', detail: expect.stringContaining('100 of 100 contacts') as unknown }); // prettier-ignore
  expect(await refusing(['lanternpost.example'], 100)).toEqual({ entered: 1, known: 0 });
  expect(await refuseNoMore(deps, ['lanternpost.example'])).toEqual({ removed: 1 });
  expect(await refusing(['.sub.example', 'Kim@Sub.example'])).toEqual({ entered: 2, known: 0 });
});

test('rows in = rows out: an import holds what is doubtful, refuses what is refused, and a dry run says the same', async () => {
  const counts = { held: 3, refused: 2, created: 2, unchanged: 1 };
  expect((await importText(deps, world.listId, FILE, true)).counts).toEqual(counts);
  const done = await importText(deps, world.listId, FILE);
  expect(done.counts).toEqual(counts);
  let results = '';
  for await (const piece of exportImportResults(deps, done.id)) results += piece;
  const codes = results.trim().split('\n').slice(1).map((line) => line.split(',').slice(3, 5).join(':')); // prettier-ignore
  expect(codes).toEqual(['held:look-alike-domain', 'held:look-alike-domain', 'refused:null-exchanger', 'held:no-exchanger', 'created:', 'created:', 'unchanged:', 'refused:refuse-list']); // prettier-ignore
  expect((await checkAddress(deps, 'ida@lanternpots.example')).contact).toBeNull();
  expect(await listHeldRows(deps, done.id)).toEqual([
    { code: 'look-alike-domain', domain: 'lanternpots.example', rows: 2, proposal: 'lanternpost.example', sample: ['ida@lanternpots.example', 'noa@lanternpots.example'] },
    { code: 'no-exchanger', domain: 'nowhere.example', rows: 1, proposal: null, sample: ['eli@nowhere.example'] },
  ]); // prettier-ignore
  // Answers that hold were asked for once; what was unknown is asked again.
  expect(asked.filter((domain) => domain === 'nowhere.example')).toHaveLength(1);
  expect(asked.filter((domain) => domain === 'slow.example').length).toBeGreaterThan(1);
});

test('held rows are taken in mended, once, with outcomes of their own', async () => {
  const done = await importText(deps, world.listId, FILE);
  expect((await release(done.id, true, true)).counts).toEqual({ created: 2 });
  const mended = await release(done.id, true);
  expect(mended).toMatchObject({ counts: { created: 2 }, rowsExpected: 2 });
  expect((await checkAddress(deps, 'noa@lanternpost.example')).contact).toMatchObject({ name: 'Noa' });
  expect((await release(done.id, true)).counts).toEqual({ unchanged: 2 });
  expect((await release(done.id, false)).counts).toEqual({ created: 2 });
  // Who is a contact is not held again.
  expect((await importText(deps, world.listId, FILE)).counts).toMatchObject({ held: 1, unchanged: 5 });
  let results = '';
  for await (const piece of exportImportResults(deps, mended.id)) results += piece;
  expect(results.trim().split('\n').slice(1).map((line) => line.split(',')[0])).toEqual(['ida@lanternpots.example', 'noa@lanternpots.example']); // prettier-ignore
});

test('severities are settings, for checks one at a time too', async () => {
  await saveSeverities(deps, { 'role-name': 'refuse', 'no-exchanger': 'note' }, 'Rosa Lindgard');
  const given = ['sales@quillmail.example', 'eli@nowhere.example', 'kim@sub.example', 'uma@nomail.example'];
  expect((await checkAddresses(deps, given)).map((one) => one.verdict)).toEqual(['refuse', 'fine', 'refuse', 'refuse']);
  expect((await importText(deps, world.listId, 'address\nhelp@quillmail.example\nnew@nowhere.example')).counts).toEqual({ refused: 1, created: 1 }); // prettier-ignore
});

test('who is refused gets the answer that everybody gets, and is not signed up', async () => {
  for (const address of ['kim@sub.example', 'uma@nomail.example'])
    await signUp(deps, { listId: world.listId, address, name: null, way: 'form', network: '203.0.113.9', userAgent: null, agreed: '' }); // prettier-ignore
  expect((await listSignUps(deps.database, { state: 'turned-away', listId: null }, 0, 10)).map(({ address, because }) => [address, because])).toEqual([
    ['kim@sub.example', 'the address is refused: refuse-list'],
    ['uma@nomail.example', 'the address is refused: null-exchanger'],
  ]); // prettier-ignore
  expect((await checkAddress(deps, 'kim@sub.example')).contact).toBeNull();
});
