import { request } from 'node:http';
import { connect } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import type { List } from '../../src/shared/contract/organisation.ts';
import { EMAIL, makeList, PASSWORD, startRealService, until, type Running, visitLine } from '../support/service.ts';

let service: Running;
let database: pg.Client;
let list: List;

beforeAll(async () => {
  service = await startRealService();
  database = new pg.Client({ connectionString: service.databaseUrl });
  await database.connect();
  list = await makeList(service.client, ['ada@lanternpost.example']);
});
afterAll(async () => {
  await database.end();
  await service.stop();
});

const post = (path: string, key: string, body: string, type = 'application/json', signedIn = true) =>
  fetch(`${service.console}/api/v1${path}`, {
    method: 'POST',
    headers: {
      'content-type': type,
      'idempotency-key': key,
      ...(signedIn ? { authorization: `Bearer ${service.token}` } : {}),
    },
    body,
  });
const kept = async (key: string): Promise<Record<string, unknown> | undefined> =>
  (await database.query<Record<string, unknown>>('SELECT * FROM idempotency WHERE key = $1', [key])).rows[0];
const listNamed = (name: string): string => JSON.stringify({ name });

describe('a request under a key is done once', () => {
  test('twenty at once make one thing, and whoever asks again is given the first one’s answer', async () => {
    const answers = await Promise.all(
      Array.from({ length: 20 }, () => post('/suppression-lists', 'many', listNamed('Once'))),
    );
    const statuses = answers.map(({ status }) => status);
    expect(statuses.filter((status) => status === 201).length).toBeGreaterThan(0);
    expect(new Set(statuses)).toEqual(new Set(statuses.includes(409) ? [201, 409] : [201]));
    expect((await service.client.suppressionLists()).filter(({ name }) => name === 'Once')).toHaveLength(1);
    const [first, again] = [
      await post('/suppression-lists', 'many', listNamed('Once')),
      await post('/suppression-lists', 'many', listNamed('Once')),
    ];
    expect(await first.json()).toEqual(await again.json());
  });

  test('what was refused may be tried again under its key, and is done then', async () => {
    expect((await post('/suppression-lists', 'again', listNamed('Once'))).status).toBe(409);
    expect(await kept('again')).toBeUndefined();
    expect((await post('/suppression-lists', 'again', listNamed('Another'))).status).toBe(201);
  });

  test('an upload too: the file belongs to the request, and another file under the key is refused', async () => {
    const path = `/imports?listId=${list.id}&fileName=people.csv`;
    const [one, other] = ['address\nbo@lanternpost.example\n', 'address\ncy@lanternpost.example\n'];
    const first = (await (await post(path, 'file', one, 'text/csv')).json()) as { id: number };
    const again = (await (await post(path, 'file', one, 'text/csv')).json()) as { id: number };
    expect(again.id).toBe(first.id);
    expect((await post(path, 'file', other, 'text/csv')).status).toBe(409);
    await until(async () => (await service.client.import({ id: first.id })).state === 'finished');
    expect(
      (await service.client.imports({ limit: 10 })).items.filter(({ fileName }) => fileName === 'people.csv'),
    ).toHaveLength(2);
    const line = visitLine(list.brandId);
    for (let times = 0; times < 2; times++)
      expect(await (await post('/events', 'events', line, 'application/x-ndjson')).json()).toMatchObject({
        recorded: 1,
      });
  });

  test('a request that died with its process is not under way for ever; one that lives is', async () => {
    const hang = (processId: string): Promise<unknown> =>
      database.query(
        `INSERT INTO idempotency (account_id, key, request_hash, process_id) SELECT account_id, 'died', request_hash, $1::uuid FROM idempotency WHERE key = 'many'
        ON CONFLICT (account_id, key) DO UPDATE SET process_id = excluded.process_id, status = NULL`,
        [processId],
      );
    const [living] = (await database.query<{ id: string }>('SELECT id FROM service_process')).rows;
    await hang(living!.id);
    const refused = await post('/suppression-lists', 'died', listNamed('Died'));
    expect(await refused.json()).toMatchObject({ status: 409 });
    await hang('00000000-0000-4000-8000-00000000dead');
    expect((await post('/suppression-lists', 'died', listNamed('Died'))).status).toBe(201);
  });

  test('an answer is kept for a day', async () => {
    await database.query(`UPDATE idempotency SET created_at = now() - interval '25 hours' WHERE key = 'many'`);
    // The name is taken, which says that it was tried anew.
    expect((await post('/suppression-lists', 'many', listNamed('Once'))).status).toBe(409);
    expect(await kept('many')).toBeUndefined();
  });
});

test('nothing of what is secret is kept: neither a password nor a token that was answered', async () => {
  for (const [path, body] of [
    ['/tokens', { email: EMAIL, password: PASSWORD, name: 'a program' }],
    ['/session', { email: EMAIL, password: PASSWORD }],
    ['/session/password', { password: PASSWORD, newPassword: 'another planisphere' }],
  ] as const) {
    const answer = await post(path, 'secret', JSON.stringify(body), 'application/json', path === '/session/password');
    expect([path, answer.status, ((await answer.json()) as { field: string }).field]).toEqual([
      path,
      422,
      'Idempotency-Key',
    ]);
  }
  expect(await kept('secret')).toBeUndefined();
});

/**
 * Sends chunks without saying how many, until it is answered or so much is sent; says with what, and how much had gone
 * by then.
 */
function pour(path: string, mostMegabytes: number): Promise<{ status: number; sent: number }> {
  return new Promise((resolve, reject) => {
    let sent = 0;
    const sending = request(`${service.console}/api/v1${path}`, {
      method: 'POST',
      headers: {
        authorization: `Bearer ${service.token}`,
        'content-type': 'application/json',
        'transfer-encoding': 'chunked',
      },
    });
    let answered = false;
    sending.on('response', (response) => {
      answered = true;
      response.resume();
      resolve({ status: response.statusCode!, sent });
    });
    sending.on('error', (error) => !answered && reject(error));
    const chunk = Buffer.alloc(1024 * 1024, ' ');
    const more = (): void => {
      if (answered || sent >= mostMegabytes) return void sending.end();
      sent++;
      sending.write(chunk, () => setImmediate(more));
    };
    more();
  });
}

test('a body that is too long is cut off while it comes in, also one that does not say how long it will be', async () => {
  const longs = [
    ['/suppression-lists', 8],
    ['/events', 24],
    ['/returns', 10],
  ] as const;
  for (const [path, most] of longs) {
    const { status, sent } = await pour(path, 200);
    expect([path, status]).toEqual([path, 413]);
    // What had gone on its way by then is a little more than what was read.
    expect(sent).toBeLessThan(most + 20);
  }
  expect((await fetch(`${service.console}/healthz`)).status).toBe(200);
});

test('whoever sends too much and only then reads is answered too: the line does not end before the refusal is heard', async () => {
  const { hostname, port } = new URL(service.console);
  const line = connect(Number(port), hostname);
  let answer = '';
  const ended = new Promise<void>((resolve, reject) => line.on('error', reject).on('close', () => resolve()));
  line.pause();
  const MEGABYTES = 24; // a megabyte is 100000 in hexadecimal
  line.write(
    `POST /api/v1/suppression-lists HTTP/1.1\r\nhost: ${hostname}:${port}\r\nauthorization: Bearer ${service.token}\r\n` +
      'content-type: application/json\r\ntransfer-encoding: chunked\r\n\r\n',
  );
  for (let sent = 0; sent < MEGABYTES; sent++) line.write(`100000\r\n${' '.repeat(1024 * 1024)}\r\n`);
  await sleep(200);
  line.on('data', (some) => (answer += String(some))).resume();
  // It never says that it has sent all, and the line is not kept open for that.
  await ended;
  expect(answer).toMatch(/^HTTP\/1\.1 413 /);
  expect(answer).toContain('too-large');
});
