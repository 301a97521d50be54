import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { checkAddresses } from '../../src/operations/addresses/check-addresses.ts';
import { saveSeverities } from '../../src/operations/addresses/domain-facts.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { exportImportResults } from '../../src/operations/imports/export-import-results.ts';
import { leaveHeldRowsOut, listHeldRows, releaseHeldRows } from '../../src/operations/imports/held-rows.ts';
import { importDryRun } from '../../src/operations/imports/import-dry-run.ts';
import { runImport } from '../../src/operations/imports/import-contacts.ts';
import { refuse, refuseNoMore } from '../../src/operations/addresses/refuse-list.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { signUp } from '../../src/operations/consent/sign-up.ts';
import { listRenames } from '../../src/operations/imports/list-renames.ts';
import { findImport } from '../../src/store/statements/imports.ts';
import { listJournal } from '../../src/store/statements/journal.ts';
import { listSignUps } from '../../src/store/statements/sign-ups.ts';
import { makeDeps } from '../support/database.ts';
import { applyAct, undoRun } from '../support/runs.ts';
import { findTexts } from '../support/search.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
const asked: string[] = [];

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 100);
  const [campaign] = await makePastCampaigns(deps, world, 1);
  await recordEvents(
    deps,
    world.contactIds.map((_, contact) => outside(world, 'sent', contact, campaign!, campaign!.at)),
  );
  const answers: Record<string, 'some' | 'null' | 'none' | 'unknown'> = {
    'nomail.example': 'null',
    'nowhere.example': 'none',
    'slow.example': 'unknown',
  };
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
  await expect(refusing(['lanternpost.example'])).rejects.toMatchObject({
    code: 'count-moved',
    detail: expect.stringContaining('100 of 100 contacts') as unknown,
  });
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
  const codes = results
    .trim()
    .split('\n')
    .slice(1)
    .map((line) => line.split(',').slice(3, 5).join(':'));
  expect(codes).toEqual([
    'held:look-alike-domain',
    'held:look-alike-domain',
    'refused:null-exchanger',
    'held:no-exchanger',
    'created:',
    'created:',
    'unchanged:',
    'refused:refuse-list',
  ]);
  expect((await checkAddress(deps, 'ida@lanternpots.example')).contact).toBeNull();
  expect(await listHeldRows(deps, done.id)).toEqual([
    {
      code: 'look-alike-domain',
      rows: 2,
      decision: null,
      domains: [
        {
          domain: 'lanternpots.example',
          rows: 2,
          proposal: 'lanternpost.example',
          sample: ['ida@lanternpots.example', 'noa@lanternpots.example'],
        },
      ],
    },
    {
      code: 'no-exchanger',
      rows: 1,
      decision: null,
      domains: [{ domain: 'nowhere.example', rows: 1, proposal: null, sample: ['eli@nowhere.example'] }],
    },
  ]);
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
  await expect(release(done.id, true)).rejects.toMatchObject({
    code: 'wrong-state',
    detail: `These rows were taken in mended by Rosa Lindgard, as import ${mended.id}; undo that one first.`,
  });
  // Trying is allowed all the same.
  expect((await release(done.id, true, true)).counts).toEqual({ unchanged: 2 });
  // Who is a contact is not held again.
  expect((await importText(deps, world.listId, FILE)).counts).toMatchObject({ held: 3, unchanged: 3 });
  let results = '';
  for await (const piece of exportImportResults(deps, mended.id)) results += piece;
  expect(
    results
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => line.split(',')[0]),
  ).toEqual(['ida@lanternpots.example', 'noa@lanternpots.example']);
});

describe('what was decided about held rows stands', () => {
  const stands = async (id: number) =>
    Object.fromEntries(
      (await listHeldRows(deps, id)).map(({ code, decision }) => [code, decision?.decided ?? 'waits']),
    );
  const file = (n: number): string => ['address', `ann${n}@lanternpots.example`, `eva${n}@nowhere.example`].join('\n');
  const leaveOut = (id: number, codes?: string[]) => leaveHeldRowsOut(deps, id, { codes, actor: 'Tomas Oakley' });

  test('until the import that took them in is undone; then they wait again', async () => {
    const done = await importText(deps, world.listId, file(1));
    expect(await stands(done.id)).toEqual({ 'look-alike-domain': 'waits', 'no-exchanger': 'waits' });
    const taken = await release(done.id, true);
    expect(
      (await listHeldRows(deps, done.id)).find(({ code }) => code === 'look-alike-domain')!.decision,
    ).toMatchObject({ decided: 'mended', importId: taken.id, actor: 'Rosa Lindgard' });
    await undoRun(deps, taken.runId!, 'a mistake', 'Rosa Lindgard');
    expect(await stands(done.id)).toEqual({ 'look-alike-domain': 'waits', 'no-exchanger': 'waits' });
    expect((await release(done.id, false)).counts).toEqual({ created: 1 });
    expect(await stands(done.id)).toEqual({ 'look-alike-domain': 'as-is', 'no-exchanger': 'waits' });
  });

  test('left out, they are not among those that wait; and can be taken in all the same', async () => {
    const done = await importText(deps, world.listId, file(2));
    expect((await leaveOut(done.id, ['look-alike-domain'])).map(({ decision }) => decision?.decided)).toContain(
      'left-out',
    );
    // Without codes those are meant that wait.
    const rest = await releaseHeldRows(deps, done.id, { mend: false, dryRun: false, actor: 'Rosa Lindgard' });
    expect(rest.options.held!.codes).toEqual(['no-exchanger']);
    await expect(leaveOut(done.id)).rejects.toMatchObject({
      code: 'wrong-state',
      detail: `Import ${done.id} holds no such rows that wait.`,
    });
    await expect(leaveOut(done.id, ['no-exchanger'])).rejects.toMatchObject({
      detail: expect.stringContaining('undo that one first') as unknown,
    });
    expect((await release(done.id, true)).counts).toEqual({ created: 1 });
    expect(await stands(done.id)).toEqual({ 'look-alike-domain': 'mended', 'no-exchanger': 'as-is' });
  });

  test('of two people at once one decides, and the other is told', async () => {
    const done = await importText(deps, world.listId, file(3));
    const both = await Promise.allSettled(
      [true, false, true].map((mend) =>
        releaseHeldRows(deps, done.id, { codes: ['look-alike-domain'], mend, dryRun: false, actor: 'Rosa Lindgard' }),
      ),
    );
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected', 'rejected']);
  });

  test('of a dry run nothing is decided', async () => {
    const tried = await importText(deps, world.listId, file(4), true);
    await expect(release(tried.id, true)).rejects.toMatchObject({
      code: 'wrong-state',
      detail: expect.stringContaining('is a dry run') as unknown,
    });
    await expect(leaveOut(tried.id)).rejects.toMatchObject({ code: 'wrong-state' });
    expect((await release(tried.id, true, true)).counts).toEqual({ created: 1 });
    expect(await stands(tried.id)).toEqual({ 'look-alike-domain': 'waits', 'no-exchanger': 'waits' });
  });
});

describe('a dry run is imported for real', () => {
  const file = (n: number): string =>
    ['address,name,seat', `dry${n}@quillmail.example,Dry,B${n}`, `dry${n}@lanternpots.example,Held,C`].join('\n');
  const applied = async (id: number) => {
    const begun = await importDryRun(deps, id, 'Rosa Lindgard');
    await runImport(deps, begun.id);
    return (await findImport(deps.database, begun.id))!;
  };
  const resultsOf = async (id: number): Promise<string> => {
    let results = '';
    for await (const piece of exportImportResults(deps, id)) results += piece;
    return results;
  };

  test('once, as it was read; the results of both can still be had, and its held rows tried and decided', async () => {
    const tried = await importText(deps, world.listId, file(1), true, { seat: null });
    const real = await applied(tried.id);
    expect(real).toMatchObject({
      dryRun: false,
      counts: tried.counts,
      options: tried.options,
      fileName: tried.fileName,
      bytes: tried.bytes,
    });
    const { contact } = await checkAddress(deps, 'dry1@quillmail.example');
    const [stored]: { attributes: unknown }[] = await deps.database.query(
      'SELECT attributes FROM contact WHERE id = $1',
      [contact!.id],
    );
    expect(stored!.attributes).toEqual({});
    expect(await resultsOf(tried.id)).toEqual(await resultsOf(real.id));
    expect(await listHeldRows(deps, tried.id)).toEqual(await listHeldRows(deps, real.id));
    await expect(importDryRun(deps, tried.id, 'Rosa Lindgard')).rejects.toMatchObject({
      code: 'wrong-state',
      detail: `Dry run ${tried.id} was imported already, as import ${real.id}.`,
    });
    await expect(importDryRun(deps, real.id, 'x')).rejects.toMatchObject({
      detail: `Import ${real.id} is no dry run.`,
    });
    const heldTried = await release(real.id, true, true);
    await expect(importDryRun(deps, heldTried.id, 'x')).rejects.toMatchObject({
      detail: expect.stringContaining('decide about them there') as unknown,
    });
  });

  test('whose name it would replace is said, with both names; who has none gets one', async () => {
    await importText(
      deps,
      world.listId,
      'address,name\nhas@tidemail.example,Hazel\nsame@tidemail.example,Sami\nnone@tidemail.example,',
    );
    const tried = await importText(
      deps,
      world.listId,
      'address,name\nHAS@tidemail.example, Mr Hazel \nsame@tidemail.example,Sami\nnone@tidemail.example,Nona\nnew@tidemail.example,New',
      true,
    );
    const { contact } = await checkAddress(deps, 'has@tidemail.example');
    expect(await listRenames(deps, tried.id)).toEqual({
      contacts: 1,
      sample: [{ contactId: contact!.id, address: 'has@tidemail.example', before: 'Hazel', after: 'Mr Hazel' }],
    });
    const real = await applied(tried.id);
    await expect(listRenames(deps, real.id)).rejects.toMatchObject({ code: 'wrong-state' });
    expect((await checkAddress(deps, 'has@tidemail.example')).contact!.name).toBe('Mr Hazel');
    const [change] = await listJournal(deps.database, { runId: real.runId! }, Number.MAX_SAFE_INTEGER, 100).then(
      (rows) => rows.filter(({ subject }) => subject === 'details'),
    );
    expect(change).toBeDefined();
  });

  test('of two who begin it at once one does', async () => {
    const tried = await importText(deps, world.listId, file(2), true);
    const both = await Promise.allSettled([1, 2, 3].map(() => importDryRun(deps, tried.id, 'Rosa Lindgard')));
    expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected', 'rejected']);
  });

  test('not without its file, and not before it has ended', async () => {
    const tried = await importText(deps, world.listId, file(3), true);
    await deps.database.query('DELETE FROM import_part WHERE import_id = $1', [tried.id]);
    await expect(importDryRun(deps, tried.id, 'x')).rejects.toMatchObject({
      detail: expect.stringContaining('Choose it again') as unknown,
    });
    const other = await importText(deps, world.listId, file(4), true);
    await deps.database.query(`UPDATE import SET state = 'applying' WHERE id = $1`, [other.id]);
    await expect(importDryRun(deps, other.id, 'x')).rejects.toMatchObject({
      detail: expect.stringContaining('only one that has finished') as unknown,
    });
    await deps.database.query(`UPDATE import SET state = 'finished' WHERE id = $1`, [other.id]);
  });

  test('and whoever is erased meanwhile is in neither file', async () => {
    const [gone] = world.addresses as [string];
    const tried = await importText(
      deps,
      world.listId,
      `address,name\n${gone},Gone Away\nstay@quillmail.example,Stay`,
      true,
    );
    const [real] = await Promise.all([
      importDryRun(deps, tried.id, 'Rosa Lindgard'),
      applyAct(deps, { act: 'erase', addresses: [gone], expect: 1, reason: 'asked', actor: 'Rosa Lindgard' }),
    ]);
    await runImport(deps, real.id);
    expect(await findTexts(deps, [gone, 'Gone Away'])).toEqual([]);
    const parts: { bytes: Buffer }[] = await deps.database.query(
      'SELECT bytes FROM import_part WHERE import_id IN ($1, $2)',
      [tried.id, real.id],
    );
    const kept = Buffer.concat(parts.map(({ bytes }) => bytes)).toString();
    expect(kept).toContain('stay@quillmail.example');
    expect(kept).not.toContain('Gone Away');
    expect((await findImport(deps.database, real.id))!.rowsExpected).toBe(2);
  });
});

test('severities are settings, for checks one at a time too', async () => {
  await saveSeverities(deps, { 'role-name': 'refuse', 'no-exchanger': 'note' }, 'Rosa Lindgard');
  const given = ['sales@quillmail.example', 'eli@nowhere.example', 'kim@sub.example', 'uma@nomail.example'];
  expect((await checkAddresses(deps, given)).map((one) => one.verdict)).toEqual(['refuse', 'fine', 'refuse', 'refuse']);
  expect((await importText(deps, world.listId, 'address\nhelp@quillmail.example\nnew@nowhere.example')).counts).toEqual(
    { refused: 1, created: 1 },
  );
});

test('who is refused gets the answer that everybody gets, and is not signed up', async () => {
  for (const address of ['kim@sub.example', 'uma@nomail.example'])
    await signUp(deps, {
      listId: world.listId,
      address,
      name: null,
      way: 'form',
      network: '203.0.113.9',
      userAgent: null,
      agreed: '',
    });
  expect(
    (await listSignUps(deps.database, { state: 'turned-away', listId: null }, 0, 10)).map(({ address, because }) => [
      address,
      because,
    ]),
  ).toEqual([
    ['kim@sub.example', 'the address is refused: refuse-list'],
    ['uma@nomail.example', 'the address is refused: null-exchanger'],
  ]);
  expect((await checkAddress(deps, 'kim@sub.example')).contact).toBeNull();
});
