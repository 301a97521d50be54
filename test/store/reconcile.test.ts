import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { makeGivenRows, makeGivenTaker, partOthers } from '../../src/core/import/given-rows.ts';
import { PlainRow } from '../../src/core/import-engine/plain-row.ts';
import { findGivenColumn, readGiven } from '../../src/core/import/read-given.ts';
import { previewAct } from '../../src/operations/acts/act-on-contacts.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { exportReconciled, listReconciledPage, reconcile } from '../../src/operations/reconciliations/reconcile.ts';
import { runImport } from '../../src/operations/imports/import-contacts.ts';
import { beginSuppressingStrangers, takeStrangersIn } from '../../src/operations/reconciliations/strangers.ts';
import { workThrough } from '../../src/operations/runs/work-through.ts';
import { findImport } from '../../src/store/statements/imports.ts';
import { Reconciliations1790000000005 } from '../../src/store/migrations/0005-reconciliations.ts';
import { CompactReconciliations1790000000019 } from '../../src/store/migrations/0019-compact-reconciliations.ts';
import { ColumnsOfLists1790000000030 } from '../../src/store/migrations/0030-columns-of-lists.ts';
import { getReconciliation } from '../../src/operations/reconciliations/reconcile.ts';
import { deleteReconciliation } from '../../src/store/statements/reconciliations.ts';
import type { Wanted } from '../../src/shared/contract/reconciliations.ts';
import { makeDeps } from '../support/database.ts';
import { findTexts } from '../support/search.ts';
import { makeSmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applyAct, undoRun } from '../support/runs.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 12);
afterAll(() => deps.close());

const hashOf = (address: string): string => createHash('sha256').update(address).digest('hex');
const give = (text: string | Buffer, pieces = 1) => {
  const bytes = Buffer.from(text);
  const size = Math.max(1, Math.ceil(bytes.length / pieces));
  const chunks = Array.from({ length: Math.ceil(bytes.length / size) }, (_, at) =>
    bytes.subarray(at * size, (at + 1) * size),
  );
  return reconcile(deps, { name: 'their list.csv', actor: 'Rosa Lindgard' }, Readable.from(chunks));
};
const rowsOf = async (id: number, direction: 'given' | 'ours', found: Wanted | null) =>
  listReconciledPage(deps, id, direction, found, 0, 100);

describe('which column it is', () => {
  test.each([
    [['ana@quillmail.example', 'x'], { column: 0, hasHeader: false }],
    [['1', hashOf('a@b.example')], { column: 1, hasHeader: false }],
    [['Name', 'E-Mail'], { column: 1, hasHeader: true }],
    [['SHA256'], { column: 0, hasHeader: true }],
    [['Name', 'Seat'], undefined],
  ])('%j', (row, place) => {
    expect(findGivenColumn(row)).toEqual(place);
  });

  test('any cell is an address, a digest or neither, and never both', () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.emailAddress(), fc.stringMatching(/^[0-9A-F]{64}$/)), (cell) => {
        const { address, hash, given } = readGiven(cell);
        expect(address === null || hash === null).toBe(true);
        expect(given.length).toBeLessThanOrEqual(300);
      }),
    );
  });
});

test('both ways: by normal form and by digest, repeats and nonsense counted, cut at any place', async () => {
  const [a, b, c] = world.addresses as [string, string, string];
  const list = [
    'Name;E-Mail',
    `A;${a.toUpperCase()}`,
    `B;"${b}"`,
    `C;${hashOf(c)}`,
    'D;nobody@quillmail.example',
    'E;nonsense',
    `F; ${a} `,
  ].join('\r\n');
  for (const pieces of [1, 2, 7, 40]) {
    expect(await give(list, pieces)).toMatchObject({ rows: 6, unreadable: 1, known: 4, oursOnIt: 3, oursNotOnIt: 9 });
  }
  const { id } = await give(list);
  expect((await rowsOf(id, 'given', true)).map((row) => [row.place, row.address, row.standing])).toEqual([
    [1, a, 'subscribed'],
    [2, b, 'subscribed'],
    [3, c, 'subscribed'],
    [6, a, 'subscribed'],
  ]);
  expect((await rowsOf(id, 'given', false)).map((row) => row.given)).toEqual(['nobody@quillmail.example']);
  expect((await rowsOf(id, 'given', 'nobody')).map((row) => row.given)).toEqual(['nonsense']);
  expect((await rowsOf(id, 'ours', false)).map((row) => row.address)).toEqual(world.addresses.slice(3));
  expect(await rowsOf(id, 'ours', null)).toHaveLength(12);
  let csv = '';
  for await (const piece of exportReconciled(deps, id, 'ours', true)) csv += piece;
  expect(csv.split('\n').slice(0, 2)).toEqual([
    'given,address,name,standing,their Name',
    `${a.toUpperCase()},${a},Reader 0,subscribed,A`,
  ]);
});

test('what cannot be read is refused and nothing of it stays', async () => {
  for (const [text, detail] of [
    ['', /holds nothing/],
    ['Name;Seat\nA;B', /no column of addresses or of SHA-256. Its first row is: Name, Seat/],
    ['address\n', /holds nothing/],
  ] as const)
    await expect(give(text)).rejects.toMatchObject({
      code: 'bad-file',
      detail: expect.stringMatching(detail) as unknown,
    });
  const [left]: { n: number }[] = await deps.database.query(
    `SELECT count(*)::int AS n FROM reconciliation WHERE finished_at IS NULL`,
  );
  expect(left).toEqual({ n: 0 });
});

test('whatever stands in the cells is kept as it was given, a zero character apart', async () => {
  const cells = [
    'tab\there',
    'back\\slash',
    '\\N',
    '"quoted ""twice"""',
    'Ωmega',
    '"two\nlines"',
    'zero\u0000here',
    world.addresses[1]!,
  ];
  const { id, rows } = await give(['E-Mail', ...cells].join('\n'), 3);
  expect(rows).toBe(cells.length);
  const given = (await rowsOf(id, 'given', null)).map((row) => row.given);
  expect(given).toEqual([
    'tab\there',
    'back\\slash',
    '\\N',
    'quoted "twice"',
    'Ωmega',
    'two\nlines',
    'zerohere',
    world.addresses[1],
  ]);
});

test('ten thousand rows and more come in whole', async () => {
  const rows = Array.from({ length: 25_000 }, (_, index) => `many${index}@quillmail.example`);
  expect(await give([...rows, ...world.addresses].join('\n'), 9)).toMatchObject({
    rows: 25_012,
    known: 12,
    oursNotOnIt: 0,
  });
});

describe('the other columns of the file that was given', () => {
  const csvOf = async (id: number, direction: 'given' | 'ours', found: Wanted | null): Promise<string[][]> => {
    let csv = '';
    for await (const piece of exportReconciled(deps, id, direction, found)) csv += piece;
    return parse(csv);
  };

  test('stay with each row, either way, and in what is downloaded', async () => {
    const [a, b] = world.addresses as [string, string];
    const list = [
      'Class;E-Mail;Note',
      `5a;${a};`,
      `;${b.toUpperCase()};"bring; a ""coat"""`,
      '6c;nobody@quillmail.example;=1+1',
      '7d;nonsense',
      `8e;${a};second;more`,
    ].join('\n');
    const { id, columns } = await give(list, 5);
    expect(columns).toEqual(['Class', 'Note', 'column 4']);
    expect((await rowsOf(id, 'given', null)).map((row) => row.others)).toEqual([
      ['5a', ''],
      ['', 'bring; a "coat"'],
      ['6c', '=1+1'],
      ['7d'],
      ['8e', 'second', 'more'],
    ]);
    // Of somebody who stands there twice, what the first row says.
    expect((await rowsOf(id, 'ours', true)).map((row) => [row.address, ...row.others])).toEqual([
      [a, '5a', ''],
      [b, '', 'bring; a "coat"'],
    ]);
    expect((await rowsOf(id, 'ours', false)).every((row) => row.others.length === 0)).toBe(true);
    const [head, ...rows] = await csvOf(id, 'given', false);
    expect(head).toEqual(['given', 'address', 'name', 'standing', 'their Class', 'their Note', 'their column 4']);
    expect(rows).toEqual([['nobody@quillmail.example', '', '', '', '6c', "'=1+1", '']]);
    expect((await csvOf(id, 'given', 'nobody'))[1]).toEqual(['nonsense', '', '', '', '7d', '', '']);
    expect((await csvOf(id, 'ours', true))[2]!.slice(4)).toEqual(['', 'bring; a "coat"', '']);
  });

  test('have no names where the file has no header, and are none where there is one column', async () => {
    expect((await give(`5a,${world.addresses[0]!},x`)).columns).toEqual(['column 1', 'column 3']);
    const { id, columns } = await give(`E-Mail\n${world.addresses[0]!}`);
    expect([columns, (await rowsOf(id, 'given', true))[0]!.others]).toEqual([[], []]);
  });

  test('are the same whether a row is read as bytes or as text, cut where they are too long', () => {
    const cell = fc.string({ unit: fc.constantFrom('a', 'B', ' ', '-', '1'), maxLength: 400 });
    fc.assert(
      fc.property(fc.array(cell, { minLength: 1, maxLength: 60 }), fc.nat(), (cells, at) => {
        const column = at % cells.length;
        const row = cells.map((text, place) => (place === column ? 'ana@quillmail.example' : text));
        const plain = new PlainRow();
        const line = Buffer.from(`${row.join(',')}\n`);
        expect(plain.take(line, 0, 0x2c)).toBe(line.length - 1);
        const [bytes, text] = [makeGivenRows(1), makeGivenRows(1)];
        const [byBytes, byText] = [makeGivenTaker(column), makeGivenTaker(column)];
        byBytes.takePlain(plain, bytes);
        byText.take(row, text);
        expect(bytes.others?.all()).toEqual(text.others?.all());
        expect([bytes.addresses.at(0), byBytes.width()]).toEqual([text.addresses.at(0), byText.width()]);
        expect(partOthers(text.others?.at(0) ?? null).join('').length).toBeLessThanOrEqual(4000);
      }),
      { numRuns: 300 },
    );
  });

  test('hold no control character that would part or end a cell', async () => {
    const others = Array.from({ length: 40 }, (_, row) => `fine${row}@quillmail.example,fine\n`).join('');
    const { id } = await give(`E-Mail,Note\n${others}${world.addresses[0]!},one\u001ftwo\u0000three`);
    expect((await rowsOf(id, 'given', true))[0]!.others).toEqual(['one two three']);
  });

  test('go with an erased person, in whichever column they are named, and by their digest', async () => {
    const own = await makeDeps();
    const { addresses } = await makeSmallWorld(own, 4);
    const [gone, stays] = addresses as [string, string];
    const held = (text: string) => reconcile(own, { name: 'x.csv', actor: 'x' }, Readable.from([Buffer.from(text)]));
    const { id } = await held(
      `E-Mail,Name,Partner\n${gone},Gone Away,\n${stays},Still Here,${gone.toUpperCase()}\nnobody@quillmail.example,No One,`,
    );
    const byDigest = await held(`SHA256,Name\n${hashOf(gone)},Gone Away\n${hashOf(stays)},Still Here`);
    await applyAct(own, { act: 'erase', addresses: [gone], expect: 1, reason: 'asked', actor: 'Rosa Lindgard' });
    expect(await findTexts(own, [gone, 'Gone Away'])).toEqual([]);
    const othersOf = async (list: number) =>
      (await listReconciledPage(own, list, 'given', null, 0, 10)).map((row) => row.others);
    expect(await othersOf(id)).toEqual([[], [], ['No One', '']]);
    expect(await othersOf(byDigest.id)).toEqual([[], ['Still Here']]);
    await own.close();
  });
});

describe('whom the base does not have', () => {
  const digest = hashOf('nobody.knows@quillmail.example');
  const text = `E-Mail,Seat\nreader1@lanternpost.example,1\nnew.ana@quillmail.example,2\nno address at all,3\n${digest},4\nNew.Bo@Quillmail.Example,5\nnew.ana@quillmail.example,6\n`;
  let listId: number;
  beforeAll(async () => {
    ({ id: listId } = await ownSuppressionList(deps, 'Not ours', 'everything'));
  });
  const suppress = async (reconciliationId: number, expected: number) =>
    workThrough(
      deps,
      await beginSuppressingStrangers(deps, {
        reconciliationId,
        suppressionListId: listId,
        expected,
        reason: 'not ours',
        actor: 'Rosa Lindgard',
      }),
    );
  const entries = async (): Promise<string[]> => {
    const rows: { value: string }[] = await deps.database.query(
      'SELECT value FROM suppression_entry WHERE list_id = $1 AND lifted_at IS NULL ORDER BY value',
      [listId],
    );
    return rows.map(({ value }) => value);
  };

  test('is told apart from rows that name nobody', async () => {
    const one = await give(text);
    expect(one).toMatchObject({ rows: 6, known: 1, strangers: 4, unreadable: 1 });
    expect((await rowsOf(one.id, 'given', false)).map(({ place }) => place)).toEqual([2, 4, 5, 6]);
    expect((await rowsOf(one.id, 'given', 'nobody')).map(({ given }) => given)).toEqual(['no address at all']);
    expect((await rowsOf(one.id, 'given', true)).map(({ place }) => place)).toEqual([1]);
    // Each of ours has an address.
    expect(await rowsOf(one.id, 'ours', 'nobody')).toEqual([]);
  });

  test('is put on a suppression list, addresses and digests, each once; the undo takes all of it back', async () => {
    const { id } = await give(text);
    await expect(suppress(id, 9)).rejects.toMatchObject({ code: 'count-moved', extra: { expected: 9, now: 4 } });
    const run = await suppress(id, 4);
    expect(run).toMatchObject({ counts: { entered: 3, known: 0 }, done: 4, whole: 4, stopped: null });
    expect(await entries()).toEqual([digest, 'new.ana@quillmail.example', 'new.bo@quillmail.example'].sort());
    // Who comes in under one of them later is stopped.
    expect(await checkAddress(deps, 'new.bo@quillmail.example')).toMatchObject({ entries: [{ reason: 'not ours' }] });
    expect(await suppress(id, 4)).toMatchObject({ counts: { entered: 0, known: 3 } });
    await undoRun(deps, run.id, 'a slip', 'Rosa Lindgard');
    // The second run asked for them as well: they stand until that is undone, too.
    expect(await entries()).toHaveLength(3);
  });

  test('goes piece by piece, also where one stands in two of them, and its undo leaves nothing behind', async () => {
    const before = await entries();
    const many = Array.from({ length: 10_500 }, (_, index) => `seen${index}@quillmail.example`);
    const { id, strangers } = await give([...many, many[3]].join('\n'));
    expect(strangers).toBe(10_501);
    const run = await suppress(id, 10_501);
    expect(run).toMatchObject({ counts: { entered: 10_500, known: 1 }, done: 10_501 });
    expect(await entries()).toHaveLength(before.length + 10_500);
    await undoRun(deps, run.id, 'a slip', 'Rosa Lindgard');
    expect(await entries()).toEqual(before);
  });

  test('is taken in by a dry run that shows what would come of each; of digests nobody', async () => {
    const { id } = await give(text.replaceAll(/quillmail/gi, 'tidemark'));
    const begun = await takeStrangersIn(deps, { reconciliationId: id, listId: world.listId, actor: 'Rosa Lindgard' });
    await runImport(deps, begun.id);
    const row = (await findImport(deps.database, begun.id))!;
    expect(row).toMatchObject({
      state: 'finished',
      dryRun: true,
      fileName: 'their list.csv, not in the base',
      counts: { created: 2, duplicate: 1 },
    });
    expect(row.options.mapping).toMatchObject({ address: 'address' });
    expect(await checkAddress(deps, 'new.ana@tidemark.example')).toMatchObject({ contact: null });
    const digests = await give(`${digest}\n${hashOf('another@quillmail.example')}`);
    await expect(
      takeStrangersIn(deps, { reconciliationId: digests.id, listId: world.listId, actor: 'x' }),
    ).rejects.toMatchObject({ code: 'bad-file' });
  });

  test('is put on no list that rules fill', async () => {
    const { id } = await give(text);
    const [rules]: { id: number }[] = await deps.database.query(
      "SELECT id FROM suppression_list WHERE built_in = 'hard-bounce'",
    );
    await expect(
      beginSuppressingStrangers(deps, {
        reconciliationId: id,
        suppressionListId: rules!.id,
        expected: 4,
        reason: 'x',
        actor: 'x',
      }),
    ).rejects.toMatchObject({ code: 'built-in' });
  });
});

test('an act on the answer changes those on the list, or those not on it, and an erased person leaves it too', async () => {
  const [gone] = world.addresses;
  const { id } = await give([...world.addresses.slice(0, 5), gone!.toUpperCase()].join('\n'));
  expect(await getReconciliation(deps, id)).toMatchObject({ known: 6, oursOnIt: 5 });
  const on = { act: 'archive' as const, reconciled: { id, on: true } };
  expect(await previewAct(deps, on)).toMatchObject({ willChange: 5 });
  expect(await previewAct(deps, { ...on, reconciled: { id, on: false } })).toMatchObject({ willChange: 7 });
  await applyAct(deps, { ...on, expect: 5, reason: 'on their list', actor: 'Rosa Lindgard' });
  expect((await rowsOf(id, 'given', null)).map((row) => row.standing)).toEqual(Array(6).fill('archived'));
  expect((await checkAddress(deps, world.addresses[6]!)).brands[0]!.eligible).toBe(true);
  await applyAct(deps, { act: 'erase', addresses: [gone!], expect: 1, reason: 'asked', actor: 'Rosa Lindgard' });
  expect(await findTexts(deps, [gone!])).toEqual([]);
  expect((await rowsOf(id, 'given', false)).map((row) => row.given)).toEqual(['(erased)', '(erased)']);
  expect(await getReconciliation(deps, id)).toMatchObject({
    rows: 6,
    unreadable: 0,
    known: 4,
    oursOnIt: 4,
    oursNotOnIt: 7,
  });
});

test('lists that were reconciled when each row was kept by itself read as they did', async () => {
  const old = await makeDeps();
  const { addresses } = await makeSmallWorld(old, 3);
  const runner = old.database.createQueryRunner();
  await runner.query(
    'DROP VIEW reconciliation_row, reconciliation_other; DROP TABLE reconciliation_chunk; DROP TABLE reconciliation',
  );
  await new Reconciliations1790000000005().up(runner);
  await runner.query(
    `INSERT INTO reconciliation (name, actor, finished_at) VALUES ('empty', 'x', now()), ('theirs', 'x', now())`,
  );
  await runner.query(
    `INSERT INTO reconciliation_row (reconciliation_id, row_no, given, address, hash, contact_id)
     SELECT 2, n, CASE WHEN n % 5 = 0 THEN 'nonsense ' || n WHEN n % 5 = 1 THEN upper(address) ELSE address END, CASE WHEN n % 5 NOT IN (0, 2) THEN address END,
       CASE WHEN n % 5 = 2 THEN 'digest of ' || n END, CASE WHEN n % 5 IN (1, 3) THEN c.id END
     FROM generate_series(1, 20001) n JOIN contact c ON c.address = ($1::text[])[n % 3 + 1]`,
    [addresses],
  );
  const rows = (): Promise<unknown> =>
    runner.query(
      'SELECT reconciliation_id, row_no, given, address, hash, contact_id FROM reconciliation_row ORDER BY 1, 2',
    );
  const before = await rows();
  expect(before).toHaveLength(20_001);
  await new CompactReconciliations1790000000019().up(runner);
  await new ColumnsOfLists1790000000030().up(runner);
  expect(await rows()).toEqual(before);
  await runner.release();
  expect(await getReconciliation(old, 2)).toMatchObject({
    rows: 20_001,
    unreadable: 4000,
    known: 8001,
    oursOnIt: 3,
    oursNotOnIt: 0,
  });
  expect(await getReconciliation(old, 1)).toMatchObject({ rows: 0, known: 0, oursOnIt: 0, oursNotOnIt: 3 });
  expect((await listReconciledPage(old, 2, 'given', false, 19_998, 10)).map((row) => row.place)).toEqual([19_999]);
  expect((await listReconciledPage(old, 2, 'given', 'nobody', 19_994, 10)).map((row) => row.place)).toEqual([
    19_995, 20_000,
  ]);
  await old.close();
});

test('page by page, either way, everybody comes once and in order, also where a page ends between two chunks', async () => {
  const { id } = await give(
    [...Array.from({ length: 10_003 }, (_, n) => `page${n}@quillmail.example`), ...world.addresses.slice(0, 6)].join(
      '\n',
    ),
  );
  for (const direction of ['given', 'ours'] as const) {
    const all = await listReconciledPage(deps, id, direction, null, 0, 100_000);
    for (const found of [null, true, false]) {
      const expected = all.filter(
        (row) => found === null || (direction === 'given' ? row.contactId !== null : row.given !== null) === found,
      );
      const paged: typeof all = [];
      for (let after = 0; ;) {
        const page = await listReconciledPage(deps, id, direction, found, after, direction === 'given' ? 3334 : 4);
        if (page.length === 0) break;
        paged.push(...page);
        after = page.at(-1)!.place;
      }
      expect(paged).toEqual(expected);
    }
  }
});

test('of a list that was forgotten, or never was, no page says that nothing of the kind is on it', async () => {
  const { id } = await reconcile(
    deps,
    { name: 'gone.csv', actor: 'Rosa Lindgard' },
    Readable.from([Buffer.from('address\nnobody@quillmail.example')]),
  );
  expect(await listReconciledPage(deps, id, 'given', true, 0, 10)).toEqual([]);
  await deleteReconciliation(deps.database, id);
  for (const direction of ['given', 'ours'] as const)
    await expect(listReconciledPage(deps, id, direction, null, 0, 10)).rejects.toMatchObject({
      code: 'not-found',
      detail: expect.stringContaining('or it was forgotten') as unknown,
    });
});
