import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { promisify } from 'node:util';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { readConfig } from '../../src/service/config.ts';
import { ROUTES } from '../../src/service/http/api.ts';
import { PROBLEMS } from '../../src/shared/problems.ts';
import type { ContactOrder } from '../../src/shared/words.ts';
import { makeAvendel } from '../support/cli.ts';
import { EMAIL, makeList, PASSWORD, startRealService, type Running, visitLine } from '../support/service.ts';

const run = promisify(execFile);
let service: Running;

beforeAll(async () => {
  service = await startRealService();
});
afterAll(() => service.stop());

const call = (path: string, init: RequestInit = {}): Promise<Response> =>
  fetch(`${service.console}/api/v1${path}`, {
    ...init,
    headers: {
      authorization: `Bearer ${service.token}`,
      'content-type': 'application/json',
      ...(init.headers as Record<string, string>),
    },
  });
const avendel = (...args: string[]) => makeAvendel(service)(...args);

describe('the API', () => {
  test('describes itself: every route with its parameters, and every described path is served', async () => {
    const described = (await (await call('/openapi.json')).json()) as {
      openapi: string;
      paths: Record<string, Record<string, { parameters?: { name: string }[] }>>;
    };
    expect(described.openapi).toBe('3.1.0');
    const pairs = Object.entries(described.paths).flatMap(([path, methods]) =>
      Object.keys(methods).map((method) => `${method} ${path.replace(/\{(\w+)\}/g, ':$1')}`),
    );
    expect(pairs.sort()).toEqual(ROUTES.map((one) => `${one.method} ${one.path}`).sort());
    // With what is answered, how it may be refused, and an example of what is said.
    expect(described.paths['/suppression/lift']!['post']).toMatchObject({
      requestBody: { content: { 'application/json': { example: { entryIds: [1], reason: 'a slip' } } } },
      responses: {
        '200': { content: { 'application/json': { schema: { required: ['runId', 'lifted'] } } } },
        default: { description: expect.stringContaining('not-liftable') as unknown },
      },
    });
    expect(described.paths['/contacts']!['get']!.parameters).toContainEqual(
      expect.objectContaining({ name: 'order', example: 'newest' }),
    );
    for (const [path, methods] of Object.entries(described.paths)) {
      for (const [method, operation] of Object.entries(methods)) {
        for (const name of path.matchAll(/\{(\w+)\}/g))
          expect(operation.parameters?.map((one) => one.name)).toContain(name[1]);
        const response = await call(path.replace(/\{\w+\}/g, '999999'), {
          method: method.toUpperCase(),
          ...(method === 'get' ? {} : { body: '{"nonsense":1}' }),
        });
        const body = response.status === 204 ? '' : await response.text();
        expect([path, method, /There is nothing at/.test(body), response.status >= 500]).toEqual([
          path,
          method,
          false,
          false,
        ]);
      }
    }
  });

  test('turns strangers away, and a console session without its own token', async () => {
    for (const declared of ROUTES.filter((one) => !one.open)) {
      const response = await fetch(`${service.console}/api/v1${declared.path.replace(/:\w+/g, '1')}`, {
        method: declared.method.toUpperCase(),
      });
      expect([declared.path, response.status, response.headers.get('content-type')]).toEqual([
        declared.path,
        401,
        'application/problem+json',
      ]);
    }
    const signIn = (password: string) =>
      call('/session', { method: 'POST', body: JSON.stringify({ email: EMAIL, password }) });
    expect((await signIn('wrong password')).status).toBe(401);
    const signedIn = await signIn(PASSWORD);
    const cookie = signedIn.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const { csrf } = (await signedIn.json()) as { csrf: string };
    const create = (headers: Record<string, string>) =>
      fetch(`${service.console}/api/v1/suppression-lists`, {
        method: 'POST',
        headers: { cookie: cookie.split(';')[0]!, 'content-type': 'application/json', ...headers },
        body: '{"name":"From the console"}',
      });
    expect((await create({})).status).toBe(403);
    expect((await create({ 'x-avendel-csrf': csrf })).status).toBe(201);
  });

  test('names the field that is wrong, and does the same request under one key once', async () => {
    const wrong = await call('/lists', { method: 'POST', body: '{"brandId":"x","name":""}' });
    expect(await wrong.json()).toMatchObject({
      status: 422,
      field: 'brandId',
      type: '/docs/problems#invalid-input',
      fields: [{ field: 'brandId' }, { field: 'name' }],
    });
    expect((await call('/lists', { method: 'POST', body: '{' })).status).toBe(400);
    const create = (name: string) =>
      call('/suppression-lists', {
        method: 'POST',
        headers: { 'idempotency-key': 'k1' },
        body: JSON.stringify({ name }),
      });
    const [first, again, other] = [await create('Once'), await create('Once'), await create('Other')];
    expect([first.status, await again.json(), other.status]).toEqual([201, await first.json(), 409]);
  });

  test('takes events line by line, reports what it cannot use, and repeats are no-ops', async () => {
    const list = await makeList(service.client, ['ada@lanternpost.example']);
    const line = (change: object) => visitLine(list.brandId, change);
    const lines = [
      line({}),
      'nonsense',
      line({ externalId: '2', address: 'nobody@lanternpost.example' }),
      line({ externalId: '3', at: '2099-01-01T00:00:00Z' }),
      line({ externalId: '4', kind: 'danced' }),
      line({ externalId: '5', source: 'avendel' }),
    ].join('\n');
    const taken = await service.client.recordEvents({ file: lines });
    expect(taken).toMatchObject({ recorded: 1, repeated: 0 });
    expect(taken.refused.map((one) => one.line)).toEqual([2, 3, 4, 5, 6]);
    expect(await service.client.recordEvents({ file: line({ at: '2026-11-02T10:00:00Z' }) })).toMatchObject({
      recorded: 0,
      repeated: 1,
    });
  });

  test('pages of contacts in each order have everybody once, in that order', async () => {
    await makeList(
      service.client,
      ['zoë+moon@quillmail.example', 'àda@quillmail.example', 'b@quillmail.example', 'a@lanternpost.example'],
      'In order',
    );
    const [brand] = await service.client.brands();
    const all = async (order: ContactOrder): Promise<string[]> => {
      const found: string[] = [];
      for (let cursor: string | undefined; ;) {
        const page = await service.client.contacts({ brandId: brand!.id, order, cursor, limit: 2 });
        found.push(...page.items.map(({ address }) => address));
        if (page.next === null) return found;
        cursor = page.next;
      }
    };
    const came = await all('oldest');
    expect(came.length).toBeGreaterThan(3);
    expect(await all('newest')).toEqual([...came].reverse());
    const sorted = [...came].sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b)));
    expect(await all('a-to-z')).toEqual(sorted);
    expect(await all('z-to-a')).toEqual(sorted.reverse());
    await expect(service.client.contacts({ brandId: brand!.id, order: 'newest', cursor: 'x' })).rejects.toMatchObject({
      problem: { field: 'cursor' },
    });
  });

  test('metrics and readiness answer', async () => {
    expect(await (await fetch(`${service.console}/metrics`)).text()).toContain('avendel_events_waiting 0');
    expect((await fetch(`${service.console}/assets/missing.js`)).status).toBe(404);
  });
});

describe('the command line', () => {
  test('exit codes: 0 done, 1 refused, 2 wrong usage, 3 done with some rows refused', async () => {
    expect((await avendel('lists', 'list')).code).toBe(0);
    expect(await avendel('campaigns', 'preflight', 'Nothing of the kind')).toMatchObject({
      code: 1,
      stderr: expect.stringContaining('There is no campaign') as unknown,
    });
    expect((await avendel('contacts', 'import', 'demo/open-evening-sign-ups.csv')).code).toBe(2);
    expect((await avendel('nonsense')).code).toBe(2);
    const imported = await avendel(
      'contacts',
      'import',
      'demo/open-evening-sign-ups.csv',
      '--list',
      'Night Digest',
      '--json',
    );
    expect(imported.code).toBe(3);
    expect(JSON.parse(imported.stdout)).toMatchObject({
      counts: { created: 14, duplicate: 1, refused: 4 },
      state: 'finished',
    });
    expect(await avendel('contacts', 'check', 'nobody@lanternpost.example')).toMatchObject({
      code: 0,
      stdout: expect.stringContaining('no-permission') as unknown,
    });
  });

  test('`returns read` needs no service', async () => {
    const { stdout } = await run(
      process.execPath,
      ['bin/avendel', 'returns', 'read', 'demo/returns/no-such-user.eml', 'demo/returns/complaint.eml', '--jsonl'],
      { env: { PATH: process.env['PATH'] } },
    );
    const readings = stdout
      .trim()
      .split('\n')
      .map((text) => JSON.parse(text) as Record<string, unknown>);
    expect(readings).toMatchObject([
      { file: 'demo/returns/no-such-user.eml', kind: 'bounce', recipients: [{ class: 'hard', status: '5.1.1' }] },
      { kind: 'complaint', standard: 'RFC 5965' },
    ]);
  });
});

test('the documentation of problems is the table itself', () => {
  const page = readFileSync('docs/problems.md', 'utf8');
  for (const [code, { title, status, exit, next }] of Object.entries(PROBLEMS))
    expect(page).toContain(`| <a id="${code}"></a>\`${code}\` | ${title} | ${status} | ${exit} | ${next} |`);
  expect(page.match(/<a id=/g)).toHaveLength(Object.keys(PROBLEMS).length);
});

test('a setting that cannot be used is named, with what it wants, and what it got unless that is secret', () => {
  expect(() => readConfig({ AVENDEL_DATABASE_URL: 'nonsense', AVENDEL_CONSOLE_PORT: 'many' })).toThrow(
    /AVENDEL_DATABASE_URL: must be a valid uri .*; what it is, is not shown[\s\S]*AVENDEL_CONSOLE_PORT: must be a number; it is “many”/,
  );
});
