import { Readable } from 'node:stream';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { checkAddress } from '../../src/operations/contacts/explain-verdict.ts';
import { getVerification, mapWords, receiveVerification, saveVerdictActs } from '../../src/operations/contacts/verify.ts'; // prettier-ignore
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
  await expect(give('address,mark\na@quillmail.example,x')).rejects.toMatchObject({ code: 'bad-file', field: 'column', detail: expect.stringContaining('address, mark') as unknown }); // prettier-ignore
  expect(await deps.database.query('SELECT id FROM verification')).toEqual([]);
});

test('Undo: words are mapped once, verdicts do what they are set to do, and all of it comes back', async () => {
  const before = await readMarks(deps);
  const read = await give(FILE);
  expect(read).toMatchObject({ rows: 8, unreadable: 1, willChange: 0 });
  expect(read.words.map(({ word, contacts, proposed }) => [word, contacts, proposed])).toEqual([
    ['dead end', 1, null], ['honeypot', 1, null], ['maybe', 1, null], ['risky', 1, 'risky'], ['valid', 1, 'good'],
  ]); // prettier-ignore
  await expect(apply(read.id, 0)).rejects.toMatchObject({ code: 'wrong-state', detail: expect.stringContaining('“dead end”') as unknown }); // prettier-ignore
  await saveVerdictActs(deps, { unknown: 'hold' }, 'Rosa Lindgard');
  const said = await mapWords(deps, read.id, { 'Dead  End': 'undeliverable', honeypot: 'trap', maybe: 'unknown', risky: 'risky', valid: 'good' }); // prettier-ignore
  expect(said.verdicts).toEqual([
    { verdict: 'good', contacts: 1, act: 'nothing', willChange: 0 },
    { verdict: 'risky', contacts: 1, act: 'tag', willChange: 1 },
    { verdict: 'undeliverable', contacts: 1, act: 'suppress', willChange: 1 },
    { verdict: 'trap', contacts: 1, act: 'suppress', willChange: 1 },
    { verdict: 'unknown', contacts: 1, act: 'hold', willChange: 1 },
  ]);
  expect(await readMarks(deps)).toEqual(before);
  const run = await apply(read.id, 4);
  expect(run.counts).toEqual({ verdicts: 5, suppressed: 2, held: 1, tagged: 1 });
  const of = async (index: number) => checkAddress(deps, `reader${index}@lanternpost.example`);
  expect((await of(1)).brands[0]).toMatchObject({ deciding: 'undeliverable' });
  expect((await of(2)).entries).toMatchObject([{ builtIn: 'spam-trap', reason: 'trap, says Tollgate of 2026-11-01' }]);
  expect((await of(3)).contact).toMatchObject({ verdict: 'risky', tags: ['verdict:risky'], verdictCause: { source: 'Tollgate', word: 'risky' } }); // prettier-ignore
  expect((await of(3)).brands[0]).toMatchObject({ eligible: true });
  // Of an address that stands twice, the last word counts.
  expect((await of(4)).brands[0]).toMatchObject({ deciding: 'suppressed' });
  // The next file of the same verifier is understood at once.
  const next = await give('email,verdict\nreader5@lanternpost.example,dead end');
  expect(next.verdicts).toMatchObject([{ verdict: 'undeliverable', willChange: 1 }]);
  // A second time, also beside itself, is refused, until the first is undone.
  await expect(apply(read.id, 0)).rejects.toMatchObject({ code: 'wrong-state', detail: expect.stringContaining(`was applied already by run ${run.id}`) as unknown }); // prettier-ignore
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
  const newer = await receiveVerification(deps, { name: 'n.csv', source: 'Tollgate', checkedAt: new Date('2026-11-20'), actor: 'Rosa Lindgard' }, Readable.from([Buffer.from('email,verdict\nreader6@lanternpost.example,valid')])); // prettier-ignore
  await apply(newer.id, 0);
  const older = await give('email,verdict\nreader6@lanternpost.example,risky');
  await apply(older.id, older.willChange);
  expect((await checkAddress(deps, 'reader6@lanternpost.example')).contact).toMatchObject({ verdict: 'good' });
});
