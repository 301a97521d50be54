import { connect, type Socket } from 'node:net';
import { createTransport } from 'nodemailer';
import { afterAll, describe, expect, test } from '@jest/globals';
import { ROUTES } from '../../src/service/http/api.ts';
import { makeAvendel } from '../support/cli.ts';
import { makeList, until } from '../support/service.ts';
import { HOSTILE } from '../support/hostile-returns.ts';
import { startWithSink } from '../support/sink.ts';

const { service, sink, stop } = await startWithSink();
const list = await makeList(service.client, ['ana@lanternpost.example']);
afterAll(stop);

const call = async (
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; field?: string; detail?: string; refused?: { line: number; detail: string }[] }> => {
  const response = await fetch(`${service.console}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${service.token}`, 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const text = await response.text();
  const answer = text.startsWith('{') ? (JSON.parse(text) as { field?: string }) : {};
  return { ...answer, status: response.status };
};

describe('what the database cannot hold is refused where it stands', () => {
  test('a NUL in a cursor, on every list there is', async () => {
    const paged = ROUTES.filter(
      (one) => one.method === 'get' && 'cursor' in ((one.query?.describe() as { keys?: object })?.keys ?? {}),
    );
    expect(paged.length).toBeGreaterThan(20);
    for (const { path } of paged)
      for (const text of ['\u0000', 'a\u0000b', '1\u0000']) {
        const cursor = Buffer.from(text).toString('base64url');
        const { status } = await call('GET', `${path.replace(/:\w+/g, '1')}?cursor=${cursor}`);
        expect([path, text, status >= 400 && status < 500]).toEqual([path, text, true]);
      }
  });

  test('a NUL or half a character in any text of a question or a body: 422, with its field', async () => {
    for (const bad of ['moon\u0000', '\ud83d', 'a\udc00b']) {
      const name = await call('PATCH', `/lists/${list.id}`, { name: bad });
      expect([name.status, name.field]).toEqual([422, 'name']);
      const condition = await call('POST', '/segments', {
        brandId: list.brandId,
        name: 'Moon',
        condition: `name is "${bad}"`,
      });
      expect([condition.status, condition.field]).toEqual([422, 'condition']);
      const many = await call('POST', '/contacts/find', { addresses: ['ana@lanternpost.example', bad], brandId: 1 });
      expect(many.status).toBeGreaterThanOrEqual(400);
      expect(many.status).toBeLessThan(500);
    }
    const asked = await call('GET', `/contacts?brandId=${list.brandId}&part=${encodeURIComponent('a\u0000')}`);
    expect([asked.status, asked.field]).toEqual([422, 'part']);
  });

  test('an event with one is refused on its line, and the others are taken', async () => {
    const event = (externalId: string, what: string) =>
      JSON.stringify({
        kind: 'visited',
        at: '2026-11-20T10:00:00Z',
        source: 'site',
        externalId,
        address: 'ana@lanternpost.example',
        brandId: list.brandId,
        what,
      });
    const lines = [event('1', 'The sky'), event('2', 'a\u0000b'), event('3', 'half \ud83d'), event('4', 'The moon')];
    const taken = await call('POST', '/events?unknown=refuse', lines.join('\n'));
    expect(taken).toMatchObject({ status: 200, recorded: 2 });
    expect(taken.refused!.map(({ line }) => line)).toEqual([2, 3]);
    expect(taken.refused![0]!.detail).toMatch(/what.*cannot be kept/);
  });
});

test('pages of the refuse list have every address once', async () => {
  const values = ['ann@quillmail.example', 'bea@quillmail.example', 'cyclone.example', 'dew.example'];
  expect((await call('POST', '/refuse-list', { values, reason: 'a test' })).status).toBeLessThan(300);
  const seen: string[] = [];
  let next: string | null = null;
  do {
    const page = await call('GET', `/refuse-list?limit=1${next === null ? '' : `&cursor=${next}`}`);
    const { items, next: after } = page as unknown as { items: { value: string }[]; next: string | null };
    seen.push(...items.map(({ value }) => value));
    next = after;
  } while (next !== null);
  expect(seen).toEqual(values);
});

test('a form larger than any is cut off with 413, with its length told or not; it is no failure of ours', async () => {
  const headers = { connection: 'close' };
  const large = 'x'.repeat(20_000);
  const chunked = new ReadableStream({
    start(to) {
      for (let piece = 0; piece < 2; piece++) to.enqueue(new TextEncoder().encode(large.slice(0, 10_000)));
      to.close();
    },
  });
  const told = await fetch(`${service.public}/visit`, { method: 'POST', headers, body: large });
  const untold = await fetch(`${service.public}/visit`, { method: 'POST', headers, body: chunked, duplex: 'half' });
  expect([told.status, untold.status]).toEqual([413, 413]);
});

test('what is no form is told so, and nothing fails', async () => {
  const form = await service.client.createList({ brandId: list.brandId, name: 'Forms' });
  const headers = { 'content-type': 'multipart/form-data; boundary=moon' };
  const broken = await fetch(form.signUpUrl, { method: 'POST', headers, body: '--moon\r\nnonsense' });
  expect([broken.status, await broken.text()]).toEqual([400, 'This is not a form.']);
  const typed = new URLSearchParams({ address: 'nul@quillmail.example', name: 'A\u0000na\u001b' });
  expect((await fetch(form.signUpUrl, { method: 'POST', body: typed })).status).toBe(200);
  expect((await service.client.check({ address: 'nul@quillmail.example' })).contact!.name).toBe('A na');
});

test('names with control characters are refused, whatever they are the name of', async () => {
  const { brandId } = list;
  for (const [method, path, body] of [
    ['PATCH', `/brands/${brandId}`, {}],
    ['POST', '/lists', { brandId }],
    ['PATCH', `/lists/${list.id}`, {}],
    ['POST', '/campaigns', { brandId }],
    ['POST', '/segments', { brandId, condition: 'subscribed to any list' }],
  ] as const)
    for (const name of ['Digest\r\nBcc: all@lanternpost.example', 'Digest\u007f', 'Di\u001b[2Jgest', 'Di\u2028gest']) {
      const { status, field } = await call(method, path, { ...body, name });
      expect([method, path, name, status, field]).toEqual([method, path, name, 422, 'name']);
    }
});

test('a link leads where the author said, whatever its characters', async () => {
  const links = [
    'https://larkfield.example/sky',
    'https://larkfield.example/Übersicht?für=alle',
    'https://larkfield.example/月/“quoted”',
    'https://sternwarte-münchen.example/Mond',
    'https://larkfield.example/%E6%9C%88?q=a%20b',
    'https://larkfield.example/🌙#now',
  ];
  const html = links.map((link) => `<a href="${link}">look</a>`).join(' ');
  const { id } = await service.client.createCampaign({
    brandId: list.brandId,
    name: 'Links',
    subject: '=?utf-8?Q?not?= one',
    html,
    listIds: [list.id],
  });
  await service.client.startCampaign({ id, expect: 1 });
  await until(() => sink.received.length > 0);
  const raw = sink.received[0]!.raw.replace(/=\r\n/g, '').replace(/=3D/g, '=');
  const urls = [
    ...new Set(
      [...raw.matchAll(new RegExp(`href="(${service.public}/to/[a-z2-7]{39})"`, 'g'))].map((match) => match[1]!),
    ),
  ];
  const led = await Promise.all(
    urls.map(async (url) => (await fetch(url, { redirect: 'manual' })).headers.get('location')),
  );
  expect(led.slice(0, links.length)).toEqual([
    links[0],
    'https://larkfield.example/%C3%9Cbersicht?f%C3%BCr=alle',
    'https://larkfield.example/%E6%9C%88/%E2%80%9Cquoted%E2%80%9D',
    'https://xn--sternwarte-mnchen-e3b.example/Mond',
    links[4],
    'https://larkfield.example/%F0%9F%8C%99#now',
  ]);
});

test('what somebody calls themselves is shown on a terminal, not obeyed; JSON means what it meant', async () => {
  const name = 'Ana \u202egnp.exe \u009b31m';
  const rows = `address,name\nturned@quillmail.example,${name}\n`;
  const { id } = await service.client.importFile({ listId: list.id, fileName: 'turned.csv', file: rows });
  await until(async () => (await service.client.import({ id })).state === 'finished');
  const kept = (await service.client.check({ address: 'turned@quillmail.example' })).contact!.name!;
  expect(kept).toContain('\u202e');
  const avendel = makeAvendel(service);
  for (const args of [
    ['contacts', 'list', '--brand', String(list.brandId), '--part', 'turned'],
    ['contacts', 'show', 'turned@quillmail.example'],
    ['contacts', 'show', 'turned@quillmail.example', '--json'],
    ['contacts', 'show', 'nobody\u202e\u001b[2J@quillmail.example'],
  ]) {
    const { stdout, stderr } = await avendel(...args);
    expect([args, stdout + stderr]).toEqual([args, expect.stringContaining('\\u202e')]);
    expect(stdout + stderr).not.toMatch(/(?!\n)[\p{Cc}\p{Bidi_Control}]/u);
    if (args.includes('--json')) expect(JSON.parse(stdout)).toMatchObject({ contact: { name: kept } });
  }
});

test('two hundred clients that send slowly, or do not read, keep nobody else out: not on any port', async () => {
  const port = (url: string): number => Number(new URL(url).port);
  const slow = [
    [port(service.public), 'GET /seen/x.gif HTTP/1.1\r\nHost: x\r\nX-Slow: '],
    [port(service.public), 'POST /out/x HTTP/1.1\r\nHost: x\r\nContent-Length: 1000\r\n\r\na'],
    [port(service.console), 'POST /api/v1/imports HTTP/1.1\r\nHost: 127.0.0.1\r\n'],
    [
      port(service.console),
      `POST /api/v1/events HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer ${service.token}\r\nContent-Type: application/x-ndjson\r\nTransfer-Encoding: chunked\r\n\r\n1\r\n{\r\n`,
    ],
    [
      port(service.console),
      `GET /api/v1/contacts.csv?brandId=${list.brandId} HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer ${service.token}\r\n\r\n`,
    ],
    [service.intakePort, 'HELO slow.example\r\nMAIL FR'],
  ] as const;
  const sockets: Socket[] = [];
  const beginAll = async (): Promise<void> => {
    for (const [index, [to, begin]] of slow.entries())
      for (let client = 0; client < 200; client++) {
        // Peers of the intake are told by their address; each has a limit of its own.
        const socket = connect({
          port: to,
          host: '127.0.0.1',
          localAddress: `127.0.${index + 1}.${1 + (client % 12)}`,
        });
        socket.on('error', () => undefined).pause();
        socket.write(begin);
        sockets.push(socket);
      }
    await new Promise((resolve) => setTimeout(resolve, 500));
  };
  const dripping = setInterval(() => sockets.forEach((socket) => socket.writable && socket.write(' ')), 100);
  try {
    await beginAll();
    for (let round = 0; round < 5; round++) {
      expect((await fetch(`${service.public}/seen/x.gif`)).status).toBe(200);
      expect((await fetch(`${service.console}/readyz`)).status).toBe(200);
      expect((await service.client.contacts({ brandId: list.brandId, limit: 1 })).items).toHaveLength(1);
    }
  } finally {
    clearInterval(dripping);
    sockets.forEach((socket) => socket.destroy());
  }
  const mail = createTransport({ host: '127.0.0.1', port: service.intakePort, secure: false, ignoreTLS: true });
  await until(
    async () =>
      (
        await mail.sendMail({
          envelope: { from: '', to: 'b.x@returns.larkfield.example' },
          raw: 'Subject: after\r\n\r\n',
        })
      ).accepted.length === 1,
  );
  mail.close();
});

test('messages made to be slow to read are taken by every way in, and what comes behind them counts', async () => {
  const messages = Object.values(HOSTILE)
    .filter((_, index) => index % 4 === 0)
    .map((make) => make(4 * 1024 * 1024));
  const mail = createTransport({ host: '127.0.0.1', port: service.intakePort, secure: false, ignoreTLS: true });
  const before = (await service.client.returns({ state: 'unmatched', limit: 500 })).items.length;
  for (const raw of messages) {
    await mail.sendMail({
      envelope: { from: '', to: 'b.x@returns.larkfield.example' },
      raw: Buffer.from(raw, 'latin1'),
    });
    expect((await fetch(`${service.public}/seen/x.gif`)).status).toBe(200);
  }
  mail.close();
  const kept = (await service.client.returns({ state: 'unmatched', limit: 500 })).items;
  expect(kept.length - before).toBe(messages.length);
  expect(kept.filter(({ kind }) => kind === 'unreadable')).toEqual([]);
  expect((await service.client.receiveReturn({ file: Buffer.from(messages[0]!, 'latin1') })).state).toBe('unmatched');
});
