import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { makeAuthority, type Authority } from '../support/certificates.ts';
import { startDovecot, type Dovecot } from '../support/dovecot.ts';
import { asksForSignIn, startPostfix, type Postfix } from '../support/postfix.ts';
import { freePort, makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';
import { verifyDkim } from '../support/verify-dkim.ts';

const READERS = 500;
/** Every so many of them is gone: their server refuses them when the mail server comes with the message. */
const GONE_EVERY = 60;
const isGone = (address: string): boolean => Number(/\d+/.exec(address)![0]) % GONE_EVERY === 7;
const DOMAINS = ['back.first.example', 'back.second.example'] as const;

/** Under which a mail server had the message. */
const queueId = (raw: string): string => / id ([0-9A-F]+)\b/.exec(raw)![1]!;

let authority: Authority;
let service: Running;
let dovecot: Dovecot;
let receiver: Awaited<ReturnType<typeof startSink>>;
let servers: Postfix[];
const ports: number[] = [];

beforeAll(async () => {
  authority = makeAuthority();
  dovecot = await startDovecot();
  service = await startRealService({ AVENDEL_RELAY_PASSWORD: dovecot.password });
  const receiverPort = await freePort();
  receiver = await startSink(receiverPort, {
    rcpt: (address) => (isGone(address) ? { code: 550, message: '5.1.1 no such user here' } : undefined),
  });
  servers = [];
  for (const domain of DOMAINS) {
    const port = await freePort();
    ports.push(port);
    servers.push(
      await startPostfix({
        port,
        receiver: receiverPort,
        returns: service.intakePort,
        returnDomains: [domain],
        more: asksForSignIn(authority.sign('DNS:localhost').files, dovecot.authPort),
      }),
    );
  }
});
afterAll(async () => {
  await Promise.all(servers.map((server) => server.stop()));
  await service.stop();
  await receiver.close();
  await dovecot.stop();
  authority.remove();
});

test('through two real mail servers, encrypted, signed in and signed: the second goes on when the first ends, and returns of both are matched', async () => {
  const { client } = service;
  const list = await makeList(
    client,
    Array.from({ length: READERS }, (_, index) => `reader${index}@${index % 2 ? 'lanternpost' : 'quillmail'}.example`),
  );
  const key = await client.addDkimKey({ id: list.brandId, selector: 'dec2026' });
  await client.signWithDkimKey({ id: list.brandId, keyId: key.id, signs: true });
  const relayIds: number[] = [];
  for (const [index, name] of ['First', 'Second'].entries()) {
    const relay = await client.addRelay({
      name,
      host: 'localhost',
      port: ports[index]!,
      certificate: authority.certificate,
      account: dovecot.account,
      passwordVariable: 'AVENDEL_RELAY_PASSWORD',
      // Thirty a second: it ends in the middle.
      perHour: 108_000,
      returnsTo: DOMAINS[index]!,
    });
    relayIds.push(relay.id);
    expect(await client.checkRelay({ relayId: relay.id })).toMatchObject({
      answers: true,
      encrypted: true,
      signedIn: true,
    });
  }
  await client.sendThrough({ id: list.brandId, relayIds });
  const id = await makeCampaign(client, list, 'Through two');
  await client.startCampaign({ id, expect: READERS });
  await until(() => receiver.received.length >= 60);
  await servers[0]!.halt();
  await until(async () => (await client.campaign({ id })).state === 'finished');
  expect((await client.relays()).map(({ trouble }) => trouble !== null)).toEqual([true, false]);
  await servers[0]!.resume();

  const { ledger } = await client.report({ id });
  // What was in its hands when it ended may have been taken; nobody is sent a second one.
  expect(ledger.uncertain).toBeLessThanOrEqual(8);
  expect(ledger).toMatchObject({ accepted: READERS - ledger.uncertain, refused: 0, waiting: 0, agrees: true });
  const accepted = await client.recipients({ id, state: 'accepted', limit: 500 });
  const [gone, there] = [true, false].map((is) =>
    accepted.items.map(({ address }) => address).filter((address) => isGone(address) === is),
  );
  await until(() => there!.every((address) => receiver.received.some(({ to }) => to === address)));
  // A mail server that is ended may deliver what it has again; but nobody was handed to two of them, or twice to one.
  const given = new Map(receiver.received.map(({ to, from, raw }) => [`${to} ${from} ${queueId(raw)}`, to]));
  expect([...given.values()].sort()).toEqual([...new Set(receiver.received.map(({ to }) => to))].sort());
  const by = (domain: string) => receiver.received.filter(({ from }) => from.endsWith(`@${domain}`));
  expect(DOMAINS.map((domain) => by(domain).length > 50)).toEqual([true, true]);

  // Each message holds the signature, and what came back came to the domain of the relay that it went by.
  const records = { 'dec2026._domainkey.larkfield.example': `v=DKIM1; k=rsa; p=${key.publicKey}` };
  for (const domain of DOMAINS)
    expect(verifyDkim(by(domain)[0]!.raw, records)).toMatchObject([{ selector: 'dec2026', holds: true }]);
  await until(async () => (await client.report({ id })).bounced.hard === gone!.length);
  const returns = (await client.returns({})).items;
  expect(returns.map(({ state }) => state)).toEqual(gone!.map(() => 'counted'));
  expect(new Set(returns.map(({ envelopeTo }) => envelopeTo.split('@')[1]))).toEqual(new Set(DOMAINS));
  expect(returns.map(({ reading }) => reading.recipients[0]!.address).sort()).toEqual([...gone!].sort());
});

test('whoever does not sign in there, or not rightly, is told so and hands over nothing', async () => {
  const { client } = service;
  const before = receiver.received.length;
  const more = { host: 'localhost', port: ports[0]!, certificate: authority.certificate };
  const nobody = await client.addRelay({ name: 'Nobody', ...more });
  const wrong = await client.addRelay({
    name: 'Wrong',
    ...more,
    account: dovecot.account,
    // Something else that the test has for a password.
    passwordVariable: 'AVENDEL_RELAY_PASSWORD_WRONG',
  });
  const brandId = (await client.brands())[0]!.id;
  const test = async (id: number) => {
    await client.sendThrough({ id: brandId, relayIds: [id] });
    return client.sendTest({ brandId, to: 'rosa.lindgard@larkfield.example' });
  };
  expect(await test(nobody.id)).toMatchObject({
    outcome: 'refused',
    reply: expect.stringContaining('5.7.1') as unknown,
  });
  expect(await client.checkRelay({ relayId: wrong.id })).toMatchObject({
    answers: false,
    said: expect.stringContaining('AVENDEL_RELAY_PASSWORD_WRONG is not set') as unknown,
  });
  expect(await test(wrong.id)).toMatchObject({ outcome: 'again' });
  expect(receiver.received).toHaveLength(before);
});
