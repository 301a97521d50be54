import { createSocket, type Socket } from 'node:dgram';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createServer, type Server } from 'node:net';
import packet, { type Answer } from 'dns-packet';
import { makeAskExchange, makeAskRecords } from '../../src/service/dns-exchange.ts';

let server: Socket;
let overTcp: Server;
let resolver: string;

const ZONE: Record<
  string,
  { rcode?: number; answers?: Answer[]; silent?: boolean; forged?: boolean; cut?: 'whole' | 'silent' }
> = {
  'MX lanternpost.example': {
    answers: [
      {
        type: 'MX',
        name: 'lanternpost.example',
        ttl: 7200,
        data: { preference: 10, exchange: 'mx.lanternpost.example' },
      },
    ],
  },
  'MX nomail.example': {
    answers: [{ type: 'MX', name: 'nomail.example', ttl: 60, data: { preference: 0, exchange: '.' } }],
  },
  'MX many.example': {
    cut: 'whole',
    answers: [{ type: 'MX', name: 'many.example', ttl: 7200, data: { preference: 10, exchange: 'mx1.many.example' } }],
  },
  'MX cut-off.example': { cut: 'silent' },
  'MX host.example': {},
  'A host.example': { answers: [{ type: 'A', name: 'host.example', ttl: 4_000_000, data: '192.0.2.1' }] },
  'MX bare.example': {},
  'A bare.example': {},
  'AAAA bare.example': {},
  'MX broken.example': { rcode: 2 },
  'TXT dec2026._domainkey.larkfield.example': {
    answers: [
      // In two pieces, as whatever is longer than 255 octets comes.
      { type: 'TXT', name: 'dec2026._domainkey.larkfield.example', ttl: 60, data: ['v=DKIM1; k=rsa; ', 'p=MIIB'] },
      { type: 'TXT', name: 'dec2026._domainkey.larkfield.example', ttl: 60, data: 'another' },
    ],
  },
  'TXT broken.example': { rcode: 2 },
  'MX silent.example': { silent: true },
  'MX forged.example': { forged: true },
};

beforeAll(async () => {
  server = createSocket('udp4');
  server.on('message', (bytes, from) => {
    const asked = packet.decode(bytes);
    const [question] = asked.questions!;
    const found = ZONE[`${question!.type} ${question!.name}`];
    if (found?.silent) return;
    const cut = found?.cut ? packet.TRUNCATED_RESPONSE : 0;
    const flags = packet.RECURSION_AVAILABLE | cut | (found ? (found.rcode ?? 0) : 3);
    const id = found?.forged ? (asked.id! + 1) % 65_536 : asked.id;
    server.send(
      packet.encode({
        type: 'response',
        id,
        flags,
        questions: asked.questions,
        answers: found?.cut ? [] : (found?.answers ?? []),
      }),
      from.port,
      from.address,
    );
    if (question!.name === 'lanternpost.example') server.send(Buffer.from('nonsense'), from.port, from.address);
  });
  await new Promise<void>((resolve) => server.bind(0, '127.0.0.1', resolve));
  resolver = `127.0.0.1:${server.address().port}`;
  overTcp = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.once('data', (bytes) => {
      const asked = packet.streamDecode(bytes);
      const [question] = asked.questions!;
      const found = ZONE[`${question!.type} ${question!.name}`];
      if (found?.cut !== 'whole') return socket.destroy();
      const whole = packet.streamEncode({
        type: 'response',
        id: asked.id,
        questions: asked.questions,
        answers: found.answers,
      });
      // As a network may hand it on: the length by itself, then the answer in two.
      for (const [from, to] of [
        [0, 2],
        [2, 20],
        [20, whole.length],
      ])
        setTimeout(() => socket.write(whole.subarray(from, to)), from);
    });
  });
  await new Promise<void>((resolve) => overTcp.listen(server.address().port, '127.0.0.1', resolve));
});
afterAll(async () => {
  await new Promise<void>((resolve) => server.close(() => resolve()));
  await new Promise((resolve) => overTcp.close(resolve));
});

test.each([
  ['lanternpost.example', 'some', 7200],
  ['nomail.example', 'null', 3600],
  ['many.example', 'some', 7200],
  ['cut-off.example', 'unknown', 0],
  ['host.example', 'some', 7 * 86_400],
  ['bare.example', 'none', 10_800],
  ['nowhere.example', 'none', 10_800],
  ['broken.example', 'unknown', 0],
  ['silent.example', 'unknown', 0],
  ['forged.example', 'unknown', 0],
])('%s: %s', async (domain, exchange, seconds) => {
  expect(await makeAskExchange(resolver)(domain)).toEqual({ exchange, seconds });
});

test('a resolver that is not there is unknown, never a refusal', async () => {
  expect(await makeAskExchange('127.0.0.1:9')('lanternpost.example')).toEqual({ exchange: 'unknown', seconds: 0 });
});

test('texts of a name come whole, each by itself; a name that is not there has none, and no answer is no answer', async () => {
  const ask = makeAskRecords(resolver);
  expect(await ask('dec2026._domainkey.larkfield.example', 'TXT')).toEqual(['v=DKIM1; k=rsa; p=MIIB', 'another']);
  expect(await ask('lanternpost.example', 'MX')).toEqual(['mx.lanternpost.example']);
  expect(await ask('_dmarc.larkfield.example', 'TXT')).toEqual([]);
  expect(await ask('broken.example', 'TXT')).toBeUndefined();
  expect(await makeAskRecords('127.0.0.1:9')('lanternpost.example', 'MX')).toBeUndefined();
});
