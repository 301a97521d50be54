import { connect, type Socket } from 'node:net';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import nodemailer from 'nodemailer';
import type { List } from '../../src/shared/contract/organisation.ts';
import { complaintReport, deliveryReport, unsubscribeLetter } from '../../src/simulator/reports.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink, type Received } from '../support/sink.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let list: List;
let id: number;

const NAMES = ['ada', 'bo', 'cy', 'di', 'ed', 'fay', 'gus', 'hal', 'ivy'];
const READER = { 'user-agent': 'Mozilla/5.0 Mail' };

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  list = await makeList(
    service.client,
    NAMES.map((name) => `${name}@lanternpost.example`),
  );
  id = await makeCampaign(service.client, list, 'First');
  await service.client.startCampaign({ id, expect: NAMES.length });
  await until(async () => (await service.client.report({ id })).state === 'finished');
  // Everything that follows is a person's pace after acceptance.
  await until(() => Date.now() - Math.max(...sink.received.map((message) => message.at)) > 2100);
});
afterAll(async () => {
  await service.stop();
  await sink.close();
});

const messageTo = (name: string): Received => sink.received.find(({ to }) => to.startsWith(`${name}@`))!;
const decoded = (name: string): string => messageTo(name).raw.replace(/=\r\n/g, '').replace(/=3D/g, '=');
const urlsOf = (name: string, kind: 'to' | 'seen' | 'out'): string[] => [
  ...new Set(
    [...decoded(name).matchAll(new RegExp(`${service.public}/${kind}/[a-z2-7]{39}(?:\\.gif)?`, 'g'))].map(
      (match) => match[0],
    ),
  ),
];
const originalOf = (name: string) => ({
  envelopeFrom: messageTo(name).from,
  to: messageTo(name).to,
  headers: messageTo(name).raw.slice(0, messageTo(name).raw.indexOf('\r\n\r\n')),
});
const reasonsOf = async (name: string) =>
  (await service.client.check({ address: `${name}@lanternpost.example` })).brands[0]!.reasons;

async function mail(to: string, raw: string | Buffer): Promise<void> {
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port: service.intakePort, ignoreTLS: true });
  try {
    await transport.sendMail({ envelope: { from: '', to }, raw });
  } finally {
    transport.close();
  }
}

describe('returns', () => {
  test('a hard bounce, a complaint and an unsubscribe letter act at once, and each is held back with its reason', async () => {
    await mail(messageTo('ada').from, deliveryReport(originalOf('ada'), '5.1.1', '550 5.1.1 no such user'));
    await mail(messageTo('bo').from, complaintReport(originalOf('bo')));
    const wayOut = /mailto:(u\.[a-z2-7]{39}@[a-z.]+)/.exec(messageTo('cy').raw.replace(/\r\n\s+/g, ''))![1]!;
    await mail(wayOut, unsubscribeLetter('cy@lanternpost.example', wayOut));
    expect([await reasonsOf('ada'), await reasonsOf('bo'), await reasonsOf('cy')]).toEqual([
      ['undeliverable'],
      ['complained'],
      ['unsubscribed'],
    ]);
    const preflight = await service.client.preflight({ id: await makeCampaign(service.client, list, 'Second') });
    expect(preflight).toMatchObject({ audience: 9, willGet: 6, heldBack: 3 });
  });

  test('a forged, a foreign and a tampered return change nothing and are kept as unmatched', async () => {
    const forged = originalOf('di').envelopeFrom.replace(
      /^b\.(.)/,
      (_, first: string) => `b.${first === 'a' ? 'b' : 'a'}`,
    );
    const report = deliveryReport(
      { ...originalOf('di'), headers: 'Message-ID: <x@elsewhere.example>' },
      '5.1.1',
      '550 5.1.1 no such user',
    );
    await mail(forged, report);
    await mail(
      'somebody@returns.larkfield.example',
      complaintReport({
        envelopeFrom: 'x@y.example',
        to: 'di@lanternpost.example',
        headers: 'To: di@lanternpost.example',
      }),
    );
    await mail(originalOf('ed').envelopeFrom, Buffer.from('\u0000\u0001 no message at all'));
    expect([await reasonsOf('di'), await reasonsOf('ed')]).toEqual([[], []]);
    expect((await service.client.returns({ state: 'unmatched' })).items.map((row) => row.kind)).toEqual([
      'complaint',
      'bounce',
    ]);
  });

  test('the same report twice counts once; a return of 20 MB is refused by its size', async () => {
    const before = (await service.client.report({ id })).bounced;
    const report = deliveryReport(originalOf('hal'), '5.2.2', '552 5.2.2 mailbox full');
    await mail(messageTo('hal').from, report);
    await mail(messageTo('hal').from, report);
    expect((await service.client.report({ id })).bounced).toEqual({
      ...before,
      soft: before.soft + 1,
      any: before.any + 1,
    });
    await expect(mail(messageTo('hal').from, `Subject: big\r\n\r\n${'x'.repeat(20 * 1024 * 1024)}`)).rejects.toThrow(
      /552|larger|Message size/i,
    );
  });
});

describe('tracking', () => {
  test('opens and clicks by a person are told from a scanner’s; the redirect leads where the author said', async () => {
    const [pixel] = urlsOf('di', 'seen');
    const response = await fetch(pixel!, { headers: READER });
    expect([response.status, response.headers.get('content-type'), response.headers.get('cache-control')]).toEqual([
      200,
      'image/gif',
      'private, no-store, max-age=0',
    ]);
    const clicked = await Promise.all(
      urlsOf('di', 'to')
        .slice(0, 2)
        .map((url) => fetch(url, { headers: READER, redirect: 'manual' })),
    );
    expect(clicked.map((one) => one.headers.get('location')).sort()).toEqual([
      'https://larkfield.example/map',
      'https://larkfield.example/sky',
    ]);
    for (const url of urlsOf('fay', 'to')) await fetch(url, { headers: READER, redirect: 'manual' });
    expect(await service.client.report({ id })).toMatchObject({
      opened: { human: 1, any: 1 },
      clicked: { human: 1, any: 2 },
    });
    const fay = (await service.client.check({ address: 'fay@lanternpost.example' })).contact!;
    const acts = (await service.client.timeLine({ id: fay.id })).items.filter((item) => item.kind === 'clicked');
    expect(acts.map((item) => item.actorReason)).toEqual(['trap-link', 'trap-link', 'trap-link']);
  });

  test('tampered tokens and those of another use get a plain page, and nothing is recorded', async () => {
    const [click] = urlsOf('gus', 'to');
    const tampered = click!.slice(0, -1) + (click!.endsWith('a') ? 'b' : 'a');
    const [other] = urlsOf('gus', 'out');
    for (const url of [
      tampered,
      click!.replace('/to/', '/out/'),
      other!.replace('/out/', '/to/'),
      `${service.public}/to/nonsense`,
      `${service.public}/../../etc/passwd`,
    ]) {
      const response = await fetch(url, { redirect: 'manual' });
      expect([url, response.status, (await response.text()).includes('leads nowhere')]).toEqual([url, 404, true]);
    }
    expect((await fetch(urlsOf('gus', 'seen')[0]!.replace('/seen/', '/seen/x'))).status).toBe(200);
    const gus = (await service.client.check({ address: 'gus@lanternpost.example' })).contact!;
    expect((await service.client.timeLine({ id: gus.id })).items.map((item) => item.kind)).toEqual(['sent']);
  });
});

test('links of messages that left before, which began with single letters, lead where they led', async () => {
  const letters = { to: 'c', seen: 'o', out: 'u', choose: 'p' } as const;
  const was = (url: string, word: keyof typeof letters): string => url.replace(`/${word}/`, `/${letters[word]}/`);
  const clicksOf = async (name: string): Promise<number> => {
    const { contact } = await service.client.check({ address: `${name}@lanternpost.example` });
    return (await service.client.timeLine({ id: contact!.id })).items.filter(({ kind }) => kind === 'clicked').length;
  };
  const before = await clicksOf('ivy');
  const [click] = urlsOf('ivy', 'to');
  const followed = await fetch(was(click!, 'to'), { headers: READER, redirect: 'manual' });
  expect([followed.status, followed.headers.get('location')]).toEqual([
    302,
    (await fetch(click!, { headers: READER, redirect: 'manual' })).headers.get('location'),
  ]);
  await until(async () => (await clicksOf('ivy')) === before + 2);
  expect((await fetch(was(urlsOf('ivy', 'seen')[0]!, 'seen'))).headers.get('content-type')).toBe('image/gif');
  const [out] = urlsOf('ivy', 'out');
  expect(await (await fetch(was(out!, 'out'))).text()).toContain('Stop Night Digest');
  const choose = await fetch(was(out!.replace('/out/', '/choose/'), 'choose'));
  expect([choose.status, await choose.text()]).toEqual([200, expect.stringContaining('Night Digest')]);
  const [list] = await service.client.lists();
  const form = await fetch(list!.signUpUrl.replace('/join/', '/s/'));
  // The form may be shown within a site of one's own, by whichever path it came.
  expect([form.status, form.headers.get('content-security-policy')]).toEqual([
    200,
    expect.stringContaining('frame-ancestors *'),
  ]);
  expect((await fetch(`${service.public}/v.js`)).headers.get('content-type')).toContain('javascript');
  expect((await fetch(`${service.public}/v`, { method: 'POST', body: 'no JSON' })).status).toBe(204);
  for (const nowhere of ['/k/nothing', '/x/nothing', '/o', '/c/'])
    expect((await fetch(service.public + nowhere)).status).toBe(404);
});

describe('invariant 10, the way out is always open', () => {
  test('a GET changes nothing; one POST without cookies acts at once; the page’s own button too, for everything', async () => {
    const [url] = urlsOf('gus', 'out');
    const page = await fetch(url!);
    expect(await page.text()).toContain('Stop Night Digest');
    await fetch(url!, { method: 'HEAD' });
    expect(await reasonsOf('gus')).toEqual([]);
    const oneClick = await fetch(url!, {
      method: 'POST',
      body: new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }),
      redirect: 'manual',
    });
    expect([oneClick.status, oneClick.headers.get('set-cookie')]).toEqual([200, null]);
    expect(await reasonsOf('gus')).toEqual(['unsubscribed']);
    await fetch(urlsOf('ivy', 'out')[0]!, { method: 'POST', body: new URLSearchParams({ from: 'everything' }) });
    const ivy = await service.client.check({ address: 'ivy@lanternpost.example' });
    expect(ivy.entries.map((entry) => entry.builtIn)).toEqual(['opt-out']);
    expect(ivy.subscriptions.map((row) => row.state)).toEqual(['unsubscribed']);
  });
});

test('a flood of connections from one peer is turned away, those it has go on, and it may come again later', async () => {
  const open = (): Promise<{ said: string; socket: Socket }> =>
    new Promise((resolve, reject) => {
      const socket = connect(service.intakePort, '127.0.0.1');
      socket.once('data', (data) => resolve({ said: data.toString(), socket })).once('error', reject);
    });
  // Turned away often enough that those who were would count too, if they still did.
  for (let flood = 0; flood < 3; flood++) {
    let first: Awaited<ReturnType<typeof open>>[] = [];
    await until(async () => {
      first = await Promise.all(Array.from({ length: 20 }, open));
      const all = first.every(({ said }) => said.startsWith('220'));
      // The connections of the flood before may not be gone yet.
      if (!all) for (const { socket } of first) socket.destroy();
      return all;
    });
    const late = await Promise.all(Array.from({ length: 10 }, open));
    expect(late.every(({ said }) => said.startsWith('421 4.7.0 Too many connections'))).toBe(true);
    for (const { socket } of [...first, ...late]) socket.destroy();
  }
  await until(async () => {
    const { said, socket } = await open();
    socket.destroy();
    return said.startsWith('220');
  });
});

test('invariant 5, durable: what was answered survives kill -9', async () => {
  const names = ['ed', 'fay', 'gus', 'hal'];
  const opened = async (name: string): Promise<number> => {
    const { id } = (await service.client.check({ address: `${name}@lanternpost.example` })).contact!;
    return (await service.client.timeLine({ id, limit: 500 })).items.filter((item) => item.kind === 'opened').length;
  };
  const all = async (): Promise<number> => (await Promise.all(names.map(opened))).reduce((sum, n) => sum + n, 0);
  const before = await all();
  const pixels = names.flatMap((name) => Array.from({ length: 10 }, () => urlsOf(name, 'seen')[0]!));
  const statuses = await Promise.all(
    pixels.map((pixel) => fetch(pixel, { headers: READER }).then(({ status }) => status)),
  );
  const answered = statuses.filter((status) => status === 200).length;
  service.kill();
  await service.restart();
  expect((await all()) - before).toBe(answered);
  expect(answered).toBe(40);
});

test('kill -9 in the middle of an import: it goes on by itself, and every row is there once', async () => {
  const rows = Array.from({ length: 60_000 }, (_, index) => `many${index}@quillmail.example,Many ${index}`);
  const begun = await service.client.importFile({
    listId: list.id,
    fileName: 'many.csv',
    file: ['address,name', ...rows].join('\n'),
  });
  await until(async () => (await service.client.import({ id: begun.id })).rowsDone > 0);
  service.kill();
  await service.restart();
  await until(async () => (await service.client.import({ id: begun.id })).state === 'finished');
  expect((await service.client.import({ id: begun.id })).counts).toEqual({ created: 60_000 });
  expect((await service.client.contacts({ brandId: list.brandId, part: 'many', limit: 1 })).total).toBe(60_000);
});
