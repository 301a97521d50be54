import { createServer, type Server, type Socket } from 'node:net';
import { afterEach, expect, test } from '@jest/globals';
import { serverOfUrl } from '../../src/service/relay/relay-server.ts';
import { makeSmtpRelay, type SmtpRelay } from '../../src/service/relay/smtp-relay.ts';
import { freePort } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

const SHORT = { greeting: 200, answer: 200 };
const NEVER = new Promise<void>(() => undefined);
const message = {
  envelopeFrom: 'b.token@returns.larkfield.example',
  to: 'ada@lanternpost.example',
  from: { name: 'Larkfield Observatory', address: 'digest@larkfield.example' },
  subject: 'The sky',
  html: null,
  text: 'Clear tonight.',
  messageId: '<1@larkfield.example>',
  headers: {},
};

let open: (() => unknown)[] = [];
afterEach(async () => {
  await Promise.all(open.map((close) => close()));
  open = [];
});
function relayAt(port: number): SmtpRelay {
  const relay = makeSmtpRelay(serverOfUrl(`smtp://127.0.0.1:${port}`, 2), SHORT);
  open.push(() => relay.close());
  return relay;
}
/** A server that answers each line as said, and then no more. */
async function answering(...answers: string[]): Promise<number> {
  const port = await freePort();
  const sockets = new Set<Socket>();
  const server: Server = createServer((socket) => {
    const left = [...answers];
    const say = (): void => void (left.length > 0 && socket.write(`${left.shift()}\r\n`));
    sockets.add(socket.on('error', () => undefined).on('data', say));
    say();
  });
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve));
  open.push(() => (sockets.forEach((socket) => socket.destroy()), server.close()));
  return port;
}

test.each([
  ['does not greet', []],
  ['greets, and answers no EHLO', ['220 relay']],
  ['answers no MAIL', ['220 relay', '250 relay']],
  ['answers no RCPT', ['220 relay', '250 relay', '250 ok']],
  ['answers no DATA', ['220 relay', '250 relay', '250 ok', '250 ok']],
])('a relay that %s in time is in trouble, and has nothing: another may be tried', async (_, answers) => {
  const handover = await relayAt(await answering(...answers)).handOver(message);
  expect(handover).toMatchObject({ outcome: 'again', trouble: true });
});

test('one that says nothing any more in the middle of DATA may have the message', async () => {
  const port = await answering('220 relay', '250 relay', '250 ok', '250 ok', '354 go on');
  expect(await relayAt(port).handOver(message)).toMatchObject({ outcome: 'uncertain' });
});

test('nor does one that takes the whole message and never answers keep anybody', async () => {
  const port = await freePort();
  const sink = await startSink(port, { held: NEVER });
  open.push(sink.close);
  expect(await relayAt(port).handOver(message)).toMatchObject({ outcome: 'uncertain' });
  expect(sink.received).toHaveLength(1);
});

test('a relay that was retired answers what is on its way, and keeps no line open', async () => {
  const port = await freePort();
  let answer: () => void = () => undefined;
  const sink = await startSink(port, { held: new Promise((resolve) => (answer = resolve)) });
  open.push(sink.close);
  const relay = makeSmtpRelay(serverOfUrl(`smtp://127.0.0.1:${port}`, 2));
  const handed = relay.handOver(message);
  while (sink.received.length === 0) await new Promise((resolve) => setTimeout(resolve, 5));
  relay.retire();
  answer();
  expect(await handed).toMatchObject({ outcome: 'accepted' });
  // It can be used once more, by a turn that began before.
  expect(await relay.handOver(message)).toMatchObject({ outcome: 'accepted' });
  relay.close();
});
