import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeAvendel } from '../support/cli.ts';
import { makeList, startRealService, type Running } from '../support/service.ts';

const BRAND = ['--brand', 'Larkfield Observatory'];
let service: Running;
let avendel: ReturnType<typeof makeAvendel>;
const done = async (...args: string[]): Promise<string> => {
  const said = await avendel(...args);
  expect([args.join(' '), said.code, said.stderr]).toEqual([args.join(' '), 0, expect.any(String)]);
  return said.stdout;
};
const json = async <T>(...args: string[]): Promise<T> => JSON.parse(await done(...args, '--json')) as T;

/** Twenty contacts, eight of them tagged, four at another domain. */
beforeAll(async () => {
  service = await startRealService();
  avendel = makeAvendel(service);
  const addresses = Array.from(
    { length: 20 },
    (_, index) => `reader${index}@${index < 4 ? 'quillmail' : 'lanternpost'}.example`,
  );
  await makeList(service.client, addresses);
  await service.client.applyAct({
    act: 'tag',
    tag: 'board',
    addresses: addresses.slice(0, 8),
    expect: 8,
    reason: 'a test',
  });
});
afterAll(() => service.stop());

test('kept, tagged, copied, changed and deleted; what is used stays', async () => {
  await done(
    'segments',
    'create',
    'Board',
    ...BRAND,
    '--where',
    'TAGGED "board"',
    '--tag',
    'people',
    '--description',
    'who sits on it',
  );
  await done('segments', 'copy', 'Board', 'Board too');
  await done(
    'segments',
    'change',
    'Board too',
    '--where',
    'segment "Board" and domain is "quillmail.example"',
    '--reason',
    'only some',
  );
  const shown = await json<{ condition: string; tags: string[]; versions: { reason: string }[] }>(
    'segments',
    'show',
    'Board too',
  );
  expect(shown).toMatchObject({
    condition: 'segment "Board" and domain is "quillmail.example"',
    tags: ['people'],
    versions: [{ reason: 'only some' }, { reason: 'copied from “Board”' }],
  });
  const refused = await avendel('segments', 'delete', 'Board');
  expect(refused).toMatchObject({ code: 1, stderr: expect.stringContaining('used by “Board too”') as unknown });
  expect(await done('segments', 'list')).toMatch(/Board too\s+people\s+segment "Board"/);
});

test('counted, compared side by side, explained; what cannot be read is marked in its text', async () => {
  expect(await done('segments', 'count', 'Board too')).toMatch(
    /^4 of 20 match \(20\.00 %\); 4 of these may be mailed[\s\S]*By domain: quillmail\.example 4/,
  );
  const table = await done(
    'segments',
    'compare',
    ...BRAND,
    '--where',
    'tagged "board"',
    '--where',
    'on any list',
    '--without',
    'Board too',
  );
  expect(table).toMatch(/tagged "board"\s+8\s+4\s+4\n/);
  expect(table).toMatch(/on any list\s+20\s+16\s+16\n/);
  const out = await avendel('segments', 'explain', 'reader9@lanternpost.example', 'Board too');
  expect(out).toMatchObject({ code: 1, stdout: expect.stringMatching(/is out: [\s\S]*has no tag/) as unknown });
  const slip = await avendel('contacts', 'list', ...BRAND, '--where', 'on any list and taged "board"');
  expect(slip.code).toBe(2);
  expect(slip.stderr).toContain('on any list and taged "board"\n                ^^^^^\n');
  expect(slip.stderr).toContain('Did you mean “tagged”?');
});

test('a condition chooses contacts to list, export and act upon', async () => {
  const listed = await json<{ address: string }[]>('contacts', 'list', ...BRAND, '--where', 'segment "Board too"');
  expect(listed.map(({ address }) => address)).toEqual([0, 1, 2, 3].map((index) => `reader${index}@quillmail.example`));
  expect(
    await done('contacts', 'export', ...BRAND, '--where', 'segment "Board too"', '--columns', 'address,tags'),
  ).toBe(`address,tags\n${listed.map(({ address }) => `${address},board\n`).join('')}`);
  expect(await done('segments', 'export', 'Board too')).toMatch(/^address,name\nreader0@quillmail\.example,/);
  expect(
    await done('contacts', 'untag', '--where', 'segment "Board too"', ...BRAND, '--tag', 'board', '--dry-run'),
  ).toMatch(/^4 would lose the tag; nothing was changed/);
});

test('frozen, and who came and left since', async () => {
  await done('segments', 'freeze', 'Board', '--name', 'Board in May');
  const run = await json<{ id: number }>(
    'contacts',
    'untag',
    'reader7@lanternpost.example',
    '--tag',
    'board',
    '--expect',
    '1',
    '--reason',
    'stood down',
  );
  expect(await done('segments', 'changes', 'Board in May')).toMatch(
    /Were in it\s+8\n\+ came in\s+0\n− left\s+1\nAre in it\s+7/,
  );
  expect(await done('segments', 'changes', 'Board in May', '--list', 'left')).toMatch(/reader7@lanternpost\.example/);
  expect(await done('segments', 'snapshots')).toMatch(/Board in May\s+8/);
  expect(await done('runs', 'show', String(run.id), ...BRAND, '--where', 'tagged "board"')).toMatch(/changed nothing/);
  expect(await done('runs', 'show', String(run.id), ...BRAND, '--where', 'not tagged "board"')).toMatch(
    /reader7@lanternpost\.example/,
  );
  await done('segments', 'forget', 'Board in May');
});

test('a campaign takes segments in and leaves them out; a ladder covers whom a condition matches', async () => {
  await done(
    'campaigns',
    'create',
    'To the board',
    ...BRAND,
    '--segment',
    'Board',
    '--leave-out-segment',
    'Board too',
    '--subject',
    'Minutes',
    '--html',
    'demo/invitation.html',
  );
  expect(await done('campaigns', 'preflight', 'To the board')).toMatch(
    /3 of 7 will get this; 4 are held back\.[\s\S]*left-out: in the segment “Board too”\s+4/,
  );
  expect(await avendel('campaigns', 'create', 'To nobody', ...BRAND)).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('--segment SEGMENT') as unknown,
  });
  expect(await done('rules', 'preview', 'sunset', ...BRAND, '--covers', 'segment "Board"')).toMatch(
    /0 of 20 would move/,
  );
  const circle = await avendel('rules', 'preview', 'sunset', ...BRAND, '--covers', 'newcomer');
  expect(circle).toMatchObject({ code: 2, stderr: expect.stringContaining('cannot hang on stage') as unknown });
});
