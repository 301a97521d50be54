import { Readable } from 'node:stream';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { findVerifier } from '../../src/core/import/read-verdicts.ts';
import {
  getVerification,
  lookAtVerdicts,
  mapWords,
  receiveVerification,
  saveVerdictActs,
} from '../../src/operations/verifications/verify.ts';
import { NoAddress1790000000034 } from '../../src/store/migrations/0034-no-address.ts';
import { parseCondition } from '../../src/core/conditions/parse-condition.ts';
import { makeDeps } from '../support/database.ts';
import { readMarks } from '../support/marks.ts';
import { makeSmallWorld } from '../support/world.ts';
import { applyVerification, undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;

beforeAll(async () => {
  deps = await makeDeps();
  await makeSmallWorld(deps, 8);
});
afterAll(() => deps.close());

const FILE = [
  'Mailbox;E-Mail;Verdict',
  '1;reader0@lanternpost.example;Valid',
  '2;READER1@lanternpost.example;dead end',
  '3;reader2@lanternpost.example;honeypot',
  '4;reader3@lanternpost.example;Risky',
  '5;reader4@lanternpost.example;dead end',
  '6;reader4@lanternpost.example;maybe',
  '7;stranger@lanternpost.example;dead end',
  '8;nonsense;dead end',
].join('\n');

const give = (text: string, column?: string) =>
  receiveVerification(
    deps,
    { name: 'verified.csv', source: 'Tollgate', checkedAt: new Date('2026-11-01'), column, actor: 'Rosa Lindgard' },
    Readable.from([Buffer.from(text)]),
  );
const apply = (id: number, expected: number) =>
  applyVerification(deps, id, { expect: expected, reason: 'monthly check', actor: 'Rosa Lindgard' });

test('a file without a column of verdicts names the columns it has, and is not kept', async () => {
  await expect(give('address,mark\na@quillmail.example,x')).rejects.toMatchObject({
    code: 'bad-file',
    field: 'column',
    detail: expect.stringContaining('address, mark') as unknown,
  });
  expect(await deps.database.query('SELECT id FROM verification')).toEqual([]);
});

test.each([
  [
    ['email', 'verdict', 'verifier', 'checked at'],
    [
      ['', '', '', ''],
      ['', '', 'Tollgate', '2026-11-02T08:00:00Z'],
      ['', '', 'Tollgate', '2026-10-30'],
    ],
    { source: 'Tollgate', checkedOn: '2026-11-02' },
  ],
  [['\ufeffSource', 'Verified-On'], [['Harbour', '2026-02-30']], { source: 'Harbour', checkedOn: null }],
  [['Checked by', 'Date'], [['Rosa', '2026-11-01']], { source: 'Rosa', checkedOn: '2026-11-01' }],
  [
    ['email', 'status', 'birth date', 'source of light'],
    [['', '', '2026-11-01', 'moon']],
    { source: null, checkedOn: null },
  ],
  [['verifier'], [], { source: null, checkedOn: null }],
])('of a file with the columns %j', (headers, rows, said) => {
  expect(findVerifier(headers, rows)).toEqual(said);
});

test('the beginning of a file says who verified, when, and in which column, and keeps nothing', async () => {
  const look = (text: string) => lookAtVerdicts(deps, 'verified.csv', Readable.from([Buffer.from(text)]));
  expect(
    await look(`${FILE.split('\n')[0]};Verifier;Checked\n1;reader0@lanternpost.example;Valid;Tollgate;2026-11-01`),
  ).toEqual({
    columns: ['Mailbox', 'E-Mail', 'Verdict', 'Verifier', 'Checked'],
    verdict: 'Verdict',
    source: 'Tollgate',
    checkedOn: '2026-11-01',
  });
  expect(await look('email,mark\na@quillmail.example,fine')).toEqual({
    columns: ['email', 'mark'],
    verdict: null,
    source: null,
    checkedOn: null,
  });
  const [row]: { n: number }[] = await deps.database.query('SELECT count(*)::int AS n FROM verification');
  expect(row!.n).toBe(0);
});

test('Undo: words are mapped once, verdicts do what they are set to do, and all of it comes back', async () => {
  const before = await readMarks(deps);
  const read = await give(FILE);
  expect(read).toMatchObject({ rows: 8, unreadable: 1, willChange: 0 });
  expect(read.words.map(({ word, contacts, proposed }) => [word, contacts, proposed])).toEqual([
    ['dead end', 1, null],
    ['honeypot', 1, null],
    ['maybe', 1, null],
    ['risky', 1, 'risky'],
    ['valid', 1, 'good'],
  ]);
  await expect(apply(read.id, 0)).rejects.toMatchObject({
    code: 'wrong-state',
    detail: expect.stringContaining('“dead end”') as unknown,
  });
  await saveVerdictActs(deps, { unknown: 'hold' }, 'Rosa Lindgard');
  const said = await mapWords(deps, read.id, {
    'Dead  End': 'undeliverable',
    honeypot: 'trap',
    maybe: 'unknown',
    risky: 'risky',
    valid: 'good',
  });
  expect(said.verdicts).toEqual([
    { verdict: 'good', contacts: 1, act: 'nothing', onto: null, willChange: 0 },
    { verdict: 'risky', contacts: 1, act: 'tag', onto: 'verdict:risky', willChange: 1 },
    { verdict: 'undeliverable', contacts: 1, act: 'suppress', onto: 'Invalid addresses', willChange: 1 },
    { verdict: 'trap', contacts: 1, act: 'suppress', onto: 'Spam traps', willChange: 1 },
    { verdict: 'unknown', contacts: 1, act: 'hold', onto: 'Held after verification', willChange: 1 },
  ]);
  expect(await readMarks(deps)).toEqual(before);
  const run = await apply(read.id, 4);
  expect(run.counts).toEqual({ verdicts: 5, suppressed: 2, held: 1, tagged: 1 });
  const of = async (index: number) => checkAddress(deps, `reader${index}@lanternpost.example`);
  expect((await of(1)).brands[0]).toMatchObject({ deciding: 'undeliverable' });
  expect((await of(2)).entries).toMatchObject([{ builtIn: 'spam-trap', reason: 'trap, says Tollgate of 2026-11-01' }]);
  expect((await of(3)).contact).toMatchObject({
    verdict: 'risky',
    tags: ['verdict:risky'],
    verdictCause: { source: 'Tollgate', word: 'risky' },
  });
  expect((await of(3)).brands[0]).toMatchObject({ eligible: true });
  // Of an address that stands twice, the last word counts.
  expect((await of(4)).brands[0]).toMatchObject({ deciding: 'suppressed' });
  // The next file of the same verifier is understood at once.
  const next = await give('email,verdict\nreader5@lanternpost.example,dead end');
  expect(next.verdicts).toMatchObject([{ verdict: 'undeliverable', willChange: 1 }]);
  // A second time, also beside itself, is refused, until the first is undone.
  await expect(apply(read.id, 0)).rejects.toMatchObject({
    code: 'wrong-state',
    detail: expect.stringContaining(`was applied already by run ${run.id}`) as unknown,
  });
  const both = await Promise.allSettled([apply(next.id, 1), apply(next.id, 1)]);
  expect(both.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
  const second = both.find((one) => one.status === 'fulfilled')!;
  expect((await undoRun(deps, second.value.id, 'wrong file', 'Rosa Lindgard')).leftAlone).toBe(0);
  expect((await undoRun(deps, run.id, 'wrong file', 'Rosa Lindgard')).leftAlone).toBe(0);
  expect(await readMarks(deps)).toEqual(before);
  expect((await getVerification(deps, read.id)).willChange).toBe(4);
  expect((await apply(read.id, 4)).counts).toMatchObject({ verdicts: 5 });
});

test('an older word does not replace a newer one', async () => {
  const newer = await receiveVerification(
    deps,
    { name: 'n.csv', source: 'Tollgate', checkedAt: new Date('2026-11-20'), actor: 'Rosa Lindgard' },
    Readable.from([Buffer.from('email,verdict\nreader6@lanternpost.example,valid')]),
  );
  await apply(newer.id, 0);
  const older = await give('email,verdict\nreader6@lanternpost.example,risky');
  await apply(older.id, older.willChange);
  expect((await checkAddress(deps, 'reader6@lanternpost.example')).contact).toMatchObject({ verdict: 'good' });
});

test('a base in which verdicts were called malformed calls them no-address, in what is kept, asked and put back', async () => {
  const words = ['contact', 'verifier_word'];
  const one = async (sql: string): Promise<unknown> => (await deps.database.query<unknown[]>(sql))[0];
  for (const table of words)
    await deps.database.query(
      `ALTER TABLE ${table} DROP CONSTRAINT ${table}_verdict_check, ADD CONSTRAINT ${table}_verdict_check CHECK (verdict <> 'no-address')`,
    );
  const [{ id }] = await deps.database
    .query<[{ id: number }]>(
      `UPDATE contact SET verdict = 'malformed' WHERE address = 'reader6@lanternpost.example' RETURNING id`,
    )
    .then(([rows]) => rows as unknown as [{ id: number }]);
  await deps.database.query(`INSERT INTO verifier_word VALUES ('Old', 'broken', 'malformed')`);
  await deps.database.query(
    `INSERT INTO journal (contact_id, subject, before, after, actor_kind, actor, cause)
     VALUES ($1, 'verdict', '{"verdict":"malformed","cause":null}', '{"verdict":"good"}', 'person', 'Rosa Lindgard', '{}')`,
    [id],
  );
  await deps.database.query(
    `INSERT INTO setting (name, value, changed_by) VALUES ('verdict-acts', '{"malformed":"tag","trap":"suppress"}', 'Rosa Lindgard')
     ON CONFLICT (name) DO UPDATE SET value = excluded.value`,
  );
  const condition = 'verdict is one of (trap, malformed) and not (name contains "malformed" or verdict is malformed)';
  await deps.database.query(
    `INSERT INTO segment (brand_id, name, condition, changed_by) SELECT id, 'Old', $1, 'Rosa Lindgard' FROM brand LIMIT 1`,
    [condition],
  );
  const runner = deps.database.createQueryRunner();
  await new NoAddress1790000000034().up(runner);
  await runner.release();
  expect(await one(`SELECT verdict FROM contact WHERE id = ${id}`)).toEqual({ verdict: 'no-address' });
  expect(await one(`SELECT verdict FROM verifier_word WHERE source = 'Old'`)).toEqual({ verdict: 'no-address' });
  expect(
    await one(`SELECT before, after FROM journal WHERE contact_id = ${id} AND subject = 'verdict' AND run_id IS NULL`),
  ).toEqual({
    before: { verdict: 'no-address', cause: null },
    after: { verdict: 'good' },
  });
  expect(await one(`SELECT value FROM setting WHERE name = 'verdict-acts'`)).toEqual({
    value: { 'no-address': 'tag', trap: 'suppress' },
  });
  const kept = (await one(`SELECT condition FROM segment WHERE name = 'Old'`)) as { condition: string };
  expect(kept.condition).toBe(
    'verdict is one of (trap, no-address) and not (name contains "malformed" or verdict is no-address)',
  );
  expect(() => parseCondition(kept.condition)).not.toThrow();
  await expect(deps.database.query(`UPDATE contact SET verdict = 'malformed' WHERE id = ${id}`)).rejects.toThrow(
    /verdict_check/,
  );
});

test('a verifier’s file may still say malformed, and in what other words there are', async () => {
  const read = await give(
    'email,result\nreader7@lanternpost.example,Malformed\nreader5@lanternpost.example,Not an address',
  );
  expect(read.words.map(({ word, proposed }) => [word, proposed])).toEqual([
    ['malformed', 'no-address'],
    ['not an address', 'no-address'],
  ]);
});
