import { createSocket, type Socket } from 'node:dgram';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import packet, { type Answer } from 'dns-packet';
import { makeAskExchange } from '../../src/service/dns-exchange.ts';

let server: Socket;
let resolver: string;

const ZONE: Record<string, { rcode?: number; answers?: Answer[]; silent?: boolean; forged?: boolean }> = {
  'MX lanternpost.example': { answers: [{ type: 'MX', name: 'lanternpost.example', ttl: 7200, data: { preference: 10, exchange: 'mx.lanternpost.example' } }] },
  'MX nomail.example': { answers: [{ type: 'MX', name: 'nomail.example', ttl: 60, data: { preference: 0, exchange: '.' } }] },
  'MX host.example': {},
  'A host.example': { answers: [{ type: 'A', name: 'host.example', ttl: 4_000_000, data: '192.0.2.1' }] },
  'MX bare.example': {},
  'A bare.example': {},
  'AAAA bare.example': {},
  'MX broken.example': { rcode: 2 },
  'MX silent.example': { silent: true },
  'MX forged.example': { forged: true },
}; // prettier-ignore

beforeAll(async () => {
  server = createSocket('udp4');
  server.on('message', (bytes, from) => {
    const asked = packet.decode(bytes);
    const [question] = asked.questions!;
    const found = ZONE[`${question!.type} ${question!.name}`];
    if (found?.silent) return;
    const flags = packet.RECURSION_AVAILABLE | (found ? (found.rcode ?? 0) : 3);
    const id = found?.forged ? (asked.id! + 1) % 65_536 : asked.id;
    server.send(packet.encode({ type: 'response', id, flags, questions: asked.questions, answers: found?.answers ?? [] }), from.port, from.address); // prettier-ignore
    if (question!.name === 'lanternpost.example') server.send(Buffer.from('nonsense'), from.port, from.address);
  });
  await new Promise<void>((resolve) => server.bind(0, '127.0.0.1', resolve));
  resolver = `127.0.0.1:${server.address().port}`;
});
afterAll(() => new Promise<void>((resolve) => server.close(() => resolve())));

test.each([
  ['lanternpost.example', 'some', 7200],
  ['nomail.example', 'null', 3600],
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
