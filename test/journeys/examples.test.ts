import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import ts from 'typescript';
import type { List } from '../../src/shared/contract/organisation.ts';
import { makeList, startRealService, type Running } from '../support/service.ts';

/** The programs of examples/, run as another system would run them. */
let service: Running;
let list: List;
const at = (name: string): string => `${name}@lanternpost.example`;

beforeAll(async () => {
  service = await startRealService();
  list = await makeList(service.client, ['ada', 'ben', 'cy', 'di'].map(at));
});
afterAll(() => service.stop());

function run(command: string, args: string[], input: string): Promise<{ code: number; out: string; said: string }> {
  const program = spawn(command, args, {
    env: { ...process.env, AVENDEL_SERVICE: service.console, AVENDEL_TOKEN: service.token },
  });
  let [out, said] = ['', ''];
  program.stdout.on('data', (some) => (out += String(some)));
  program.stderr.on('data', (some) => (said += String(some)));
  program.stdin.end(input);
  return new Promise((resolve) => program.on('close', (code) => resolve({ code: code ?? -1, out, said })));
}

test('purchases of a shop are told, once, also when told again; a stranger’s are kept aside', async () => {
  const compiled = join(mkdtempSync(join(tmpdir(), 'avendel-example-')), 'report-purchases.mjs');
  const source = readFileSync('examples/report-purchases.ts', 'utf8');
  const options = { target: ts.ScriptTarget.ES2022, module: ts.ModuleKind.ESNext };
  writeFileSync(compiled, ts.transpileModule(source, { compilerOptions: options }).outputText);
  const order = (number: number, name: string): string =>
    JSON.stringify({ order: String(number), at: '2026-11-20T18:02:00Z', address: at(name), what: 'planisphere' });
  const orders = [order(1, 'ada'), order(2, 'ben'), order(3, 'stranger')].join('\n');
  const first = await run('node', [compiled, String(list.brandId)], orders);
  expect([first.said, first.code, first.out]).toEqual(['', 0, '2 purchases recorded\n']);
  expect((await run('node', [compiled, String(list.brandId)], orders)).out).toBe('0 purchases recorded\n');
  const ada = (await service.client.check({ address: at('ada') })).contact!.id;
  expect((await service.client.timeLine({ id: ada })).items.filter(({ kind }) => kind === 'purchased')).toHaveLength(1);
  expect((await run('node', [compiled], '')).code).toBe(2);
});

test('addresses of another system are kept out, on a list that is made once', async () => {
  const addresses = `${at('ben')}\n\n${at('nobody')}\n`;
  expect(await run('python3', ['examples/keep_out.py', 'Partner list'], addresses)).toEqual({
    code: 0,
    out: '2 entered on Partner list, 0 stood there already\n',
    said: '',
  });
  expect((await run('python3', ['examples/keep_out.py', 'Partner list'], addresses)).out).toBe(
    '0 entered on Partner list, 2 stood there already\n',
  );
  expect((await service.client.check({ address: at('ben') })).brands[0]).toMatchObject({
    eligible: false,
    deciding: 'suppressed',
  });
  const refused = await run('python3', ['examples/keep_out.py', 'Partner list'], 'no address at all\n');
  expect([refused.code, refused.said]).toEqual([1, expect.stringContaining('no address at all')]);
});

test('whoever left is written as CSV, over as many pages as there are', async () => {
  for (const name of ['cy', 'di'])
    await service.client.unsubscribeContact({ address: at(name), reason: 'by telephone' });
  const today = new Date(Date.now() - 86_400_000).toISOString().slice(0, 10);
  const { code, out } = await run('python3', ['examples/who_left.py', today], '');
  expect([code, out.trim().split(/\r?\n/)]).toEqual([
    0,
    ['address,name', `${at('cy')},Reader 2`, `${at('di')},Reader 3`],
  ]);
  const wrong = await run('python3', ['examples/who_left.py', today, 'Nobody’s'], '');
  expect([wrong.code, wrong.said]).toEqual([1, expect.stringContaining('Larkfield Observatory')]);
});
