import { createHash } from 'node:crypto';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { findGivenColumn, readGiven } from '../../src/core/import/read-given.ts';
import { previewAct } from '../../src/operations/contacts/act-on-contacts.ts';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { exportReconciled, listReconciledPage, reconcile } from '../../src/operations/contacts/reconcile.ts';
import { Reconciliations1790000000005 } from '../../src/store/migrations/0005-reconciliations.ts';
import { CompactReconciliations1790000000019 } from '../../src/store/migrations/0019-compact-reconciliations.ts';
import { getReconciliation } from '../../src/operations/contacts/reconcile.ts';
import { deleteReconciliation } from '../../src/store/statements/reconciliations.ts';
import { makeDeps } from '../support/database.ts';
import { findTexts } from '../support/search.ts';
import { makeSmallWorld, type SmallWorld } from '../support/world.ts';
import { applyAct } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 12);
});
afterAll(() => deps.close());

const hashOf = (address: string): string => createHash('sha256').update(address).digest('hex');
const give = (text: string | Buffer, pieces = 1) => {
  const bytes = Buffer.from(text);
  const size = Math.max(1, Math.ceil(bytes.length / pieces));
  const chunks = Array.from({ length: Math.ceil(bytes.length / size) }, (_, at) => bytes.subarray(at * size, (at + 1) * size)); // prettier-ignore
  return reconcile(deps, { name: 'their list.csv', actor: 'Rosa Lindgard' }, Readable.from(chunks));
};
const rowsOf = async (id: number, direction: 'given' | 'ours', found: boolean | null) =>
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
  const list = ['Name;E-Mail', `A;${a.toUpperCase()}`, `B;"${b}"`, `C;${hashOf(c)}`, 'D;nobody@quillmail.example', 'E;nonsense', `F; ${a} `].join('\r\n'); // prettier-ignore
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
  expect((await rowsOf(id, 'given', false)).map((row) => row.given)).toEqual(['nobody@quillmail.example', 'nonsense']);
  expect((await rowsOf(id, 'ours', false)).map((row) => row.address)).toEqual(world.addresses.slice(3));
  expect(await rowsOf(id, 'ours', null)).toHaveLength(12);
  let csv = '';
  for await (const piece of exportReconciled(deps, id, 'ours', true)) csv += piece;
  expect(csv.split('\n').slice(0, 2)).toEqual(['given,address,name,standing', `${a.toUpperCase()},${a},Reader 0,subscribed`]); // prettier-ignore
});

test('what cannot be read is refused and nothing of it stays', async () => {
  for (const [text, detail] of [
    ['', /holds nothing/],
    ['Name;Seat\nA;B', /no column of addresses or of SHA-256. Its first row is: Name, Seat/],
    ['address\n', /holds nothing/],
  ] as const)
    await expect(give(text)).rejects.toMatchObject({ code: 'bad-file', detail: expect.stringMatching(detail) as unknown });
  const [left]: { n: number }[] = await deps.database.query(`SELECT count(*)::int AS n FROM reconciliation WHERE finished_at IS NULL`); // prettier-ignore
  expect(left).toEqual({ n: 0 });
}); // prettier-ignore

test('whatever stands in the cells is kept as it was given, a zero character apart', async () => {
  const cells = ['tab\there', 'back\\slash', '\\N', '"quoted ""twice"""', 'Ωmega', '"two\nlines"', 'zero\u0000here', world.addresses[1]!]; // prettier-ignore
  const { id, rows } = await give(['E-Mail', ...cells].join('\n'), 3);
  expect(rows).toBe(cells.length);
  const given = (await rowsOf(id, 'given', null)).map((row) => row.given);
  expect(given).toEqual(['tab\there', 'back\\slash', '\\N', 'quoted "twice"', 'Ωmega', 'two\nlines', 'zerohere', world.addresses[1]]); // prettier-ignore
});

test('ten thousand rows and more come in whole', async () => {
  const rows = Array.from({ length: 25_000 }, (_, index) => `many${index}@quillmail.example`);
  expect(await give([...rows, ...world.addresses].join('\n'), 9)).toMatchObject({ rows: 25_012, known: 12, oursNotOnIt: 0 }); // prettier-ignore
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
  expect(await getReconciliation(deps, id)).toMatchObject({ rows: 6, unreadable: 0, known: 4, oursOnIt: 4, oursNotOnIt: 7 }); // prettier-ignore
});

test('lists that were reconciled when each row was kept by itself read as they did', async () => {
  const old = await makeDeps();
  const { addresses } = await makeSmallWorld(old, 3);
  const runner = old.database.createQueryRunner();
  await runner.query('DROP VIEW reconciliation_row; DROP TABLE reconciliation_chunk; DROP TABLE reconciliation');
  await new Reconciliations1790000000005().up(runner);
  await runner.query(`INSERT INTO reconciliation (name, actor, finished_at) VALUES ('empty', 'x', now()), ('theirs', 'x', now())`); // prettier-ignore
  await runner.query(
    `INSERT INTO reconciliation_row (reconciliation_id, row_no, given, address, hash, contact_id)
     SELECT 2, n, CASE WHEN n % 5 = 0 THEN 'nonsense ' || n WHEN n % 5 = 1 THEN upper(address) ELSE address END, CASE WHEN n % 5 NOT IN (0, 2) THEN address END,
       CASE WHEN n % 5 = 2 THEN 'digest of ' || n END, CASE WHEN n % 5 IN (1, 3) THEN c.id END
     FROM generate_series(1, 20001) n JOIN contact c ON c.address = ($1::text[])[n % 3 + 1]`,
    [addresses],
  );
  const rows = (): Promise<unknown> => runner.query('SELECT reconciliation_id, row_no, given, address, hash, contact_id FROM reconciliation_row ORDER BY 1, 2'); // prettier-ignore
  const before = await rows();
  expect(before).toHaveLength(20_001);
  await new CompactReconciliations1790000000019().up(runner);
  expect(await rows()).toEqual(before);
  await runner.release();
  expect(await getReconciliation(old, 2)).toMatchObject({ rows: 20_001, unreadable: 4000, known: 8001, oursOnIt: 3, oursNotOnIt: 0 }); // prettier-ignore
  expect(await getReconciliation(old, 1)).toMatchObject({ rows: 0, known: 0, oursOnIt: 0, oursNotOnIt: 3 });
  expect((await listReconciledPage(old, 2, 'given', false, 19_998, 10)).map((row) => row.place)).toEqual([19_999, 20_000]); // prettier-ignore
  await old.close();
});

test('page by page, either way, everybody comes once and in order, also where a page ends between two chunks', async () => {
  const { id } = await give([...Array.from({ length: 10_003 }, (_, n) => `page${n}@quillmail.example`), ...world.addresses.slice(0, 6)].join('\n')); // prettier-ignore
  for (const direction of ['given', 'ours'] as const) {
    const all = await listReconciledPage(deps, id, direction, null, 0, 100_000);
    for (const found of [null, true, false]) {
      const expected = all.filter((row) => found === null || (direction === 'given' ? row.contactId !== null : row.given !== null) === found); // prettier-ignore
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
  const { id } = await reconcile(deps, { name: 'gone.csv', actor: 'Rosa Lindgard' }, Readable.from([Buffer.from('address\nnobody@quillmail.example')])); // prettier-ignore
  expect(await listReconciledPage(deps, id, 'given', true, 0, 10)).toEqual([]);
  await deleteReconciliation(deps.database, id);
  for (const direction of ['given', 'ours'] as const)
    await expect(listReconciledPage(deps, id, direction, null, 0, 10)).rejects.toMatchObject({ code: 'not-found', detail: expect.stringContaining('or it was forgotten') as unknown }); // prettier-ignore
});
