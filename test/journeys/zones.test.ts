import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeAvendel } from '../support/cli.ts';
import { startRealService, type Running } from '../support/service.ts';

/** One brand west of Greenwich and one east: an instant soon after midnight in London is the day before in New York. */
let service: Running;
let avendel: ReturnType<typeof makeAvendel>;
const folder = mkdtempSync(join(tmpdir(), 'avendel-'));
const file = (name: string, text: string): string => (writeFileSync(join(folder, name), text), join(folder, name));
const says = async (...args: string[]): Promise<string> => {
  const { code, stdout, stderr } = await avendel(...args);
  expect([args.join(' '), code, stderr.slice(0, code === 0 ? 0 : 500)]).toEqual([args.join(' '), 0, '']);
  return stdout;
};
let westList: number;

beforeAll(async () => {
  service = await startRealService();
  avendel = makeAvendel(service);
  const brand = (name: string, zone: string) =>
    service.client.createBrand({
      name,
      fromAddress: `${name.toLowerCase()}@larkfield.example`,
      returnDomain: 'returns.larkfield.example',
      zone,
    });
  const west = await brand('West', 'America/New_York');
  const east = await brand('East', 'Asia/Tokyo');
  westList = (await service.client.createList({ brandId: west.id, name: 'Western Digest' })).id;
  await service.client.createList({ brandId: east.id, name: 'Eastern Digest' });
});
afterAll(() => service.stop());

test('a day in a file begins in the zone of the list’s brand, and is shown as that day', async () => {
  const csv = file(
    'people.csv',
    'address,joined,opted out\nana@lanternpost.example,2026-03-01,\nben@lanternpost.example,2026-03-01T04:30:00Z,2026-04-02\n',
  );
  await says('contacts', 'import', csv, '--list', 'Western Digest');
  const [ana, ben] = await Promise.all(
    ['ana', 'ben'].map((name) => service.client.check({ address: `${name}@lanternpost.example` })),
  );
  expect(ana!.contact!.joinedAt).toBe('2026-03-01T05:00:00.000Z');
  expect(ben!.entries[0]!.saidAt).toBe('2026-04-02T04:00:00.000Z');
  expect(await says('contacts', 'show', 'ana@lanternpost.example')).toMatch(/joined 2026-03-01/);
  // Half past four in Greenwich is still the evening before.
  expect(await says('contacts', 'show', 'ben@lanternpost.example')).toMatch(
    /joined 2026-02-28[\s\S]*asked for no more from West since 2 April 2026/,
  );
  expect((await service.client.imports({})).items[0]).toMatchObject({ listId: westList, zone: 'America/New_York' });
});

test('until a day is until that day begins; moments are in the zone of the brand that is named', async () => {
  await says('suppression', 'create', 'For a while', '--brand', 'East');
  await says('suppression', 'create', 'Of all', '--reach', 'everything');
  for (const list of ['For a while', 'Of all'])
    await says(
      'suppression',
      'add',
      list,
      `${list === 'Of all' ? 'all' : 'east'}@lanternpost.example`,
      '--reason',
      'asked',
      '--until',
      '2027-01-31',
    );
  const endOf = async (address: string): Promise<string | null> =>
    (await service.client.check({ address })).entries[0]!.expiresAt;
  expect(await endOf('east@lanternpost.example')).toBe('2027-01-30T15:00:00.000Z');
  expect(await endOf('all@lanternpost.example')).toBe('2027-01-31T05:00:00.000Z');
  expect(await says('suppression', 'entries', 'Of all')).toMatch(/2027-01-31/);
  expect(
    await avendel(
      'suppression',
      'add',
      'Of all',
      'x@lanternpost.example',
      '--reason',
      'asked',
      '--until',
      '2027-02-30',
    ),
  ).toMatchObject({ code: 2, stderr: expect.stringMatching(/There is no day 2027-02-30/) as unknown });
  await says('segments', 'create', 'Known', '--brand', 'East', '--where', 'name is set');
  const frozen = await says('segments', 'freeze', 'Known', '--brand', 'East');
  const inTokyo = new Date().toLocaleString('sv-SE', { timeZone: 'Asia/Tokyo' }).slice(0, 15);
  expect(frozen).toContain(`Known, ${inTokyo}`);
});

test('a verifier’s day is the day that was said, wherever it is read', async () => {
  const csv = file('verified.csv', 'address,result\nana@lanternpost.example,bad\n');
  const read = await says('verifications', 'read', csv, '--source', 'Postproof', '--checked', '2026-11-02');
  expect(read).toMatch(/checked by Postproof on 2026-11-02/);
  const number = (await service.client.verifications({})).items[0]!.id;
  await says('verifications', 'words', String(number), 'bad=no-address');
  const { willChange } = await service.client.verification({ id: number });
  await says('verifications', 'apply', String(number), '--expect', String(willChange), '--reason', 'before the autumn');
  const { entries } = await service.client.check({ address: 'ana@lanternpost.example' });
  expect(entries.map(({ reason }) => reason)).toContain('no-address, says Postproof of 2026-11-02');
  expect(await avendel('verifications', 'read', csv, '--source', 'Postproof', '--checked', '2099-01-01')).toMatchObject(
    { code: 2, stderr: expect.stringMatching(/later than now/) as unknown },
  );
});
