import { once } from 'node:events';
import { connect, type Socket } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import pino from 'pino';
import type { SMTPServer } from 'smtp-server';
import { createBrand } from '../../src/operations/organisation/set-up.ts';
import { makeSmtpIntake, type IntakeLimits } from '../../src/service/intake/smtp-intake.ts';
import { listReturns } from '../../src/store/statements/returns.ts';
import { makeDeps } from '../support/database.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
const servers: SMTPServer[] = [];
const LIMITS: IntakeLimits = {
  connections: 200,
  connectionsOfPeer: 20,
  recipients: 3,
  messagesOfPeer: 1000,
  bytesOfPeer: 1_000_000,
  sessionMs: 20_000,
  silenceMs: 20_000,
};

beforeAll(async () => {
  deps = await makeDeps();
  await createBrand(deps, {
    name: 'Larkfield Observatory',
    fromAddress: 'digest@larkfield.example',
    returnDomain: 'returns.larkfield.example',
    zone: 'UTC',
  });
});
afterAll(async () => {
  for (const server of servers) await new Promise<void>((resolve) => server.close(() => resolve()));
  await deps.close();
});

async function listen(limits: Partial<IntakeLimits> = {}, proxies: string[] = []): Promise<number> {
  const server = makeSmtpIntake(deps, pino({ level: 'silent' }), { ...LIMITS, ...limits }, proxies);
  server.on('error', () => undefined);
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return (server.server.address() as { port: number }).port;
}

/** Says lines one after the other and gives the reply to each; a peer is told by its address on loopback. */
async function talk(port: number, lines: string[], peer = '127.0.0.1', first = ''): Promise<string[]> {
  const socket = connect({ port, host: '127.0.0.1', localAddress: peer });
  socket.write(first);
  const replies: string[] = [];
  let waiting: (() => void) | undefined;
  let heard = '';
  socket.setEncoding('utf8').on('data', (text: string) => {
    heard += text;
    for (let found = /^(\d{3} .*)\r\n/m.exec(heard); found; found = /^(\d{3} .*)\r\n/m.exec(heard)) {
      replies.push(found[1]!);
      heard = heard.slice(found.index + found[0].length);
    }
    waiting?.();
  });
  socket.on('error', () => undefined);
  const reply = async (count: number): Promise<void> => {
    while (replies.length < count && !socket.destroyed)
      await Promise.race([new Promise<void>((resolve) => (waiting = resolve)), once(socket, 'close')]);
  };
  await reply(1);
  for (const [index, line] of lines.entries()) {
    if (socket.destroyed) break;
    socket.write(`${line}\r\n`);
    await reply(index + 2);
  }
  socket.destroy();
  return replies;
}

const letter = (...to: string[]): string[] => [
  'HELO peer.example',
  'MAIL FROM:<>',
  ...to.map((one) => `RCPT TO:<${one}>`),
  'DATA',
  'Subject: hello\r\n\r\nhello\r\n.',
];
const OURS = 'b.nothing@returns.larkfield.example';
const codes = (replies: string[]): string[] => replies.map((reply) => reply.slice(0, 3));

test('mail for a domain that is none of ours is refused, and for several of ours taken once', async () => {
  const port = await listen();
  const replies = await talk(port, [
    'HELO peer.example',
    'MAIL FROM:<>',
    'RCPT TO:<rosa@elsewhere.example>',
    'RCPT TO:<b.a@returns.larkfield.example>',
    'RCPT TO:<b.b@RETURNS.larkfield.example>',
    'RCPT TO:<b.a@returns.larkfield.example>',
    'RCPT TO:<b.c@returns.larkfield.example>',
    'RCPT TO:<b.d@returns.larkfield.example>',
    'DATA',
    'Subject: x\r\n\r\nx\r\n.',
  ]);
  expect(replies[3]).toBe('550 5.7.1 No mail for this domain is taken here');
  expect(codes(replies)).toEqual(['220', '250', '250', '550', '250', '250', '250', '250', '452', '354', '250']);
  const kept = await listReturns(deps.database, null, Number.MAX_SAFE_INTEGER, 10);
  expect(kept.map(({ envelopeTo }) => envelopeTo.toLowerCase()).sort()).toEqual([
    'b.a@returns.larkfield.example',
    'b.b@returns.larkfield.example',
    'b.c@returns.larkfield.example',
  ]);
  expect(await deps.database.query('SELECT count(*)::int AS n FROM return_raw')).toEqual([{ n: 1 }]);
});

test('a peer that sends too many messages or too much is told to come again; another peer is taken all the while', async () => {
  const port = await listen({ messagesOfPeer: 2, bytesOfPeer: 100 });
  expect(codes(await talk(port, letter(OURS)))).toEqual(['220', '250', '250', '250', '354', '250']);
  const large = [...letter(OURS).slice(0, -1), `Subject: ${'x'.repeat(200)}\r\n\r\n.`];
  expect((await talk(port, large)).at(-1)).toBe('450 4.7.0 Too much from your address, try again later');
  expect((await talk(port, letter(OURS)))[2]).toBe('450 4.7.0 Too many messages from your address, try again later');
  expect(codes(await talk(port, letter(OURS), '127.0.0.2'))).toEqual(['220', '250', '250', '250', '354', '250']);
});

test('connections of one peer have a limit, and are counted down again', async () => {
  const port = await listen({ connectionsOfPeer: 3 });
  const open = (): Promise<Socket> =>
    new Promise((resolve) => {
      const socket = connect(port, '127.0.0.1');
      socket.once('data', () => resolve(socket));
    });
  const held = [await open(), await open(), await open()];
  expect((await talk(port, ['NOOP']))[0]).toMatch(/^421 4\.7\.0 Too many connections/);
  expect((await talk(port, ['NOOP'], '127.0.0.2'))[0]).toMatch(/^220 /);
  for (const socket of held) socket.destroy();
  let greeting: string | undefined;
  for (let tries = 0; tries < 100 && !greeting?.startsWith('220'); tries++) [greeting] = await talk(port, ['NOOP']);
  expect(greeting).toMatch(/^220 /);
});

test('a session has an end, however busy it looks, and one that says nothing sooner', async () => {
  const ended = async (port: number, speaks: boolean): Promise<boolean> => {
    const socket = connect(port, '127.0.0.1');
    socket.on('error', () => undefined).resume();
    const speaking = speaks ? setInterval(() => socket.write('NOOP\r\n'), 50) : undefined;
    await once(socket, 'close');
    clearInterval(speaking);
    return true;
  };
  expect(await ended(await listen({ sessionMs: 600 }), true)).toBe(true);
  expect(await ended(await listen({ silenceMs: 400 }), false)).toBe(true);
});

test('behind a proxy the limits are each sender’s own, and only a proxy may say who is behind it', async () => {
  const port = await listen({ messagesOfPeer: 1 }, ['127.0.0.1']);
  const from = (sender: string): Promise<string[]> =>
    talk(port, letter(OURS), '127.0.0.1', `PROXY TCP4 ${sender} 192.0.2.1 40000 25\r\n`);
  expect(codes(await from('198.51.100.1')).at(-1)).toBe('250');
  expect(codes(await from('198.51.100.1'))).toContain('450');
  expect(codes(await from('198.51.100.2')).at(-1)).toBe('250');
  // Somebody else who claims it is turned away: they speak before they were greeted.
  const claim = 'PROXY TCP4 198.51.100.9 192.0.2.1 40000 25\r\n';
  expect(codes(await talk(port, letter(OURS), '127.0.0.2', claim))).toEqual(['421']);
  expect(codes(await talk(port, letter(OURS), '127.0.0.2')).at(-1)).toBe('250');
});
