import { createHash } from 'node:crypto';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { suppressionKeys } from '../../src/core/address/suppression-keys.ts';
import { countWhoIsStopped } from '../../src/operations/suppression/count-stopped.ts';
import { makeDeps } from '../support/database.ts';
import { applyAct } from '../support/runs.ts';
import { importText, makeSmallWorld } from '../support/world.ts';

const PEOPLE = [
  'ana@quillmail.example',
  'ana+moon@quillmail.example',
  'ben@mail.quillmail.example',
  'cy@notquillmail.example',
  'di@campusnet.example',
  'ed@alumni.campusnet.example',
  'gone@campusnet.example',
];
const hashOf = (address: string): string => createHash('sha256').update(address).digest('hex');
let deps: Awaited<ReturnType<typeof makeDeps>>;

beforeAll(async () => {
  deps = await makeDeps();
  const { listId } = await makeSmallWorld(deps, 1);
  await importText(deps, listId, ['address', ...PEOPLE].join('\n'));
  await applyAct(deps, {
    act: 'erase',
    addresses: ['gone@campusnet.example'],
    expect: 1,
    reason: 'asked',
    actor: 'Rosa Lindgard',
  });
});
afterAll(() => deps.close());

test('as many as an entry’s keys match, whatever it names; erased ones apart, nobody twice', async () => {
  const values = [
    'ana@quillmail.example',
    'ANA+moon@QuillMail.example',
    'quillmail.example',
    '.quillmail.example',
    '.campusnet.example',
    'campusnet.example',
    hashOf('cy@notquillmail.example'),
    'nobody@x.example',
    'x.example',
  ];
  const stopped = await countWhoIsStopped(deps, [...values, 'no entry', '']);
  const living = PEOPLE.slice(0, -1);
  for (const { value, contacts } of stopped.entries) {
    const expected = living.filter((address) => {
      const { exact, base, hash, domains } = suppressionKeys(address);
      return [exact, base, hash, ...domains].includes(value);
    });
    expect([value, contacts]).toEqual([value, expected.length]);
  }
  expect(stopped.entries.map(({ kind }) => kind)).toEqual([
    'address',
    'address',
    'domain',
    'domain',
    'domain',
    'domain',
    'hash',
    'address',
    'domain',
  ]);
  expect(stopped.contacts).toBe(6);
  expect(stopped.unreadable).toEqual(['no entry', '']);
});

test('of nothing nobody is stopped', async () => {
  expect(await countWhoIsStopped(deps, ['nonsense'])).toEqual({ contacts: 0, entries: [], unreadable: ['nonsense'] });
});
