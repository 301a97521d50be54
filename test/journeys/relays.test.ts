import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, expect, test } from '@jest/globals';
import nodemailer from 'nodemailer';
import type { List } from '../../src/shared/contract/organisation.ts';
import type { KeptRelay, NewRelay } from '../../src/shared/contract/relay.ts';
import { makeAuthority, type Authority } from '../support/certificates.ts';
import { makeAvendel, type Said } from '../support/cli.ts';
import { freePort, makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink, twice, type Received, type SinkBehaviour, type SinkDoor } from '../support/sink.ts';

const READERS = 300;
const secrets = mkdtempSync(join(tmpdir(), 'avendel-secrets-'));
let authority: Authority;
let service: Running;
let avendel: (...args: string[]) => Promise<Said>;
let list: List;

beforeAll(async () => {
  authority = makeAuthority();
  service = await startRealService({ AVENDEL_SECRETS_DIR: secrets, AVENDEL_RELAY_PASSWORD_FIRST: 'astrolabe' });
  avendel = makeAvendel(service);
  list = await makeList(
    service.client,
    Array.from({ length: READERS }, (_, index) => `reader${index}@lanternpost.example`),
  );
});
afterAll(async () => {
  await service.stop();
  authority.remove();
  rmSync(secrets, { recursive: true });
});

let open: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const { id } of await service.client.brands()) await service.client.sendThrough({ id, relayIds: [] });
  for (const { id } of await service.client.relays()) await service.client.removeRelay({ id });
  await Promise.all(open.map((close) => close()));
  open = [];
});
async function sinkAt(port: number, behaviour: SinkBehaviour = {}, door?: SinkDoor): ReturnType<typeof startSink> {
  const sink = await startSink(port, behaviour, door);
  open.push(sink.close);
  return sink;
}
/** A relay on this machine, not encrypted, if nothing else is said. */
const add = (name: string, port: number, more: Partial<NewRelay> = {}): Promise<KeptRelay> =>
  service.client.addRelay({ name, host: '127.0.0.1', port, security: 'none', ...more });
const sendThrough = (...relays: KeptRelay[]) =>
  service.client.sendThrough({ id: list.brandId, relayIds: relays.map(({ id }) => id) });
const start = async (name: string): Promise<number> => {
  const id = await makeCampaign(service.client, list, name);
  await service.client.startCampaign({ id, expect: READERS });
  return id;
};
const ended = (id: number): Promise<void> =>
  until(async () => (await service.client.campaign({ id })).state === 'finished');
/** A refusal that says nothing of the reader, as their server reports it to where the message came from. */
async function bounce(message: Received): Promise<void> {
  const transport = nodemailer.createTransport({ host: '127.0.0.1', port: service.intakePort, ignoreTLS: true });
  await transport.sendMail({
    envelope: { from: '', to: message.from },
    raw: [
      'From: MAILER-DAEMON@lanternpost.example',
      `To: ${message.from}`,
      'Subject: Undelivered',
      'MIME-Version: 1.0',
      'Content-Type: multipart/report; report-type=delivery-status; boundary=b',
      '',
      '--b',
      'Content-Type: message/delivery-status',
      '',
      'Reporting-MTA: dns; mx.lanternpost.example',
      '',
      `Final-Recipient: rfc822; ${message.to}`,
      'Action: failed',
      'Status: 5.7.1',
      'Diagnostic-Code: smtp; 550 5.7.1 refused by local policy',
      '',
      '--b--',
      '',
    ].join('\r\n'),
  });
  transport.close();
}

test('the second relay takes over while the first is in trouble, nobody gets two, and returns of each come to its own domain', async () => {
  const [firstPort, secondPort] = [await freePort(), await freePort()];
  // It closes itself after so many.
  const closed = { now: false };
  const first = await sinkAt(firstPort, {
    rcpt: () => (
      (closed.now ||= first.received.length >= 40),
      closed.now ? { code: 421, message: '4.3.2 closing' } : undefined
    ),
    turnsAway: () => closed.now,
  });
  const second = await sinkAt(secondPort);
  await sendThrough(
    await add('First', firstPort, { returnsTo: 'back.first.example' }),
    await add('Second', secondPort, { returnsTo: 'back.second.example' }),
  );
  const id = await start('Taken over');
  await ended(id);
  const { ledger } = await service.client.report({ id });
  expect(ledger).toMatchObject({ accepted: READERS, uncertain: 0, waiting: 0, agrees: true });
  expect(first.received.length + second.received.length).toBe(READERS);
  expect(twice([...first.received, ...second.received])).toEqual([]);
  expect(first.received.length).toBeGreaterThanOrEqual(40);
  expect(second.received.length).toBeGreaterThan(200);
  expect(new Set(first.received.map(({ from }) => from.split('@')[1]))).toEqual(new Set(['back.first.example']));
  expect(new Set(second.received.map(({ from }) => from.split('@')[1]))).toEqual(new Set(['back.second.example']));
  // People see which is in trouble, and that messages go all the same.
  expect((await avendel('relay', 'list')).stdout).toMatch(/First .*in trouble since /);
  expect((await avendel('today')).stdout).toMatch(
    /The relay First has taken no message since .*(421|closed the connection)/,
  );
  expect((await service.client.campaign({ id })).trouble).toBeNull();
  // What comes back of either is known.
  await bounce(first.received[0]!);
  await bounce(second.received[0]!);
  await until(async () => (await service.client.report({ id })).bounced.block === 2);
  expect((await service.client.returns({})).items.map(({ state }) => state)).toEqual(['counted', 'counted']);
  // Once the first answers again, it is used again, and no longer in trouble.
  closed.now = false;
  first.received.length = 0;
  const before = second.received.length;
  first.behaviour.rcpt = undefined;
  await until(async () => {
    await service.client.sendTest({ brandId: list.brandId, to: 'rosa.lindgard@larkfield.example' });
    // There are fifty within a day at most, and its rest may last.
    await new Promise((resolve) => setTimeout(resolve, 1000));
    return first.received.length > 0;
  });
  await until(async () => (await service.client.relays())[0]!.trouble === null);
  expect(second.received.length - before).toBeLessThan(50);
});

test('a brand whose relays are all away waits, says why, and goes on when one comes; another brand is not kept waiting', async () => {
  const [away, there] = [await freePort(), await freePort()];
  await sendThrough(await add('Away', away));
  const id = await start('All away');
  await until(async () => (await service.client.campaign({ id })).trouble !== null);
  expect((await service.client.campaign({ id })).trouble).toContain('ECONNREFUSED');
  const shop = await service.client.createBrand({
    name: 'Larkfield Shop',
    fromAddress: 'shop@shop.larkfield.example',
    returnDomain: 'returns.shop.larkfield.example',
  });
  const other = await sinkAt(there);
  await service.client.sendThrough({ id: shop.id, relayIds: [(await add('There', there)).id] });
  const shopList = await service.client.createList({ brandId: shop.id, name: 'Offers' });
  const file = 'address,name,joined\nada@quillmail.example,Ada,2026-01-01';
  const { id: importId } = await service.client.importFile({ listId: shopList.id, fileName: 'a.csv', file });
  await until(async () => (await service.client.import({ id: importId })).state === 'finished');
  const offer = await makeCampaign(service.client, shopList, 'Offer');
  await service.client.startCampaign({ id: offer, expect: 1 });
  await ended(offer);
  expect(other.received.map(({ to }) => to)).toEqual(['ada@quillmail.example']);
  expect((await service.client.report({ id })).ledger).toMatchObject({ waiting: READERS, accepted: 0 });
  const sink = await sinkAt(away);
  await ended(id);
  expect(sink.received).toHaveLength(READERS);
  expect((await service.client.campaign({ id })).trouble).toBeNull();
});

test('it signs in over a line that is verified, with a password from the environment or a file', async () => {
  const [first, second] = [await freePort(), await freePort()];
  const certificate = authority.sign('DNS:localhost');
  const account = { user: 'larkfield', password: () => 'astrolabe' };
  const starttls = await sinkAt(first, {}, { certificate, account });
  const tls = await sinkAt(second, {}, { certificate, account, fromTheBeginning: true });
  const trusted = join(secrets, 'authority.pem');
  writeFileSync(trusted, authority.certificate);
  const how = ['--host', 'localhost', '--account', 'larkfield', '--certificate', trusted];
  const added = await avendel(
    'relay',
    'add',
    'First',
    ...how,
    '--port',
    String(first),
    '--password-variable',
    'AVENDEL_RELAY_PASSWORD_FIRST',
  );
  expect(added.stdout).toContain(`First: localhost:${first}, starttls, signs in as larkfield, 8 at once.`);
  expect(added.stdout).toContain('looked for in the environment variable AVENDEL_RELAY_PASSWORD_FIRST');
  expect((await avendel('relay', 'check', 'First')).stdout).toContain('answers: encrypted, we are signed in.');
  writeFileSync(join(secrets, 'second'), 'astrolabe\n');
  await avendel(
    'relay',
    'add',
    'Second',
    ...how,
    '--port',
    String(second),
    '--security',
    'tls',
    '--password-file',
    'second',
  );
  expect((await avendel('relay', 'check', 'Second')).stdout).toContain('answers: encrypted, we are signed in.');
  const brand = ['--brand', 'Larkfield Observatory'];
  for (const [name, sink] of [
    ['First', starttls],
    ['Second', tls],
  ] as const) {
    expect((await avendel('relay', 'order', name, ...brand)).stdout).toContain(`sends through ${name}.`);
    expect((await avendel('relay', 'test', 'rosa.lindgard@larkfield.example', ...brand)).code).toBe(0);
    expect(sink.received.map(({ to }) => to)).toEqual(['rosa.lindgard@larkfield.example']);
  }
  expect(JSON.stringify(await service.client.relays())).not.toContain('astrolabe');
  // A new password is taken from its file at once.
  account.password = () => 'sextant';
  expect((await avendel('relay', 'check', 'Second')).stdout).toMatch(/takes no messages from us[\s\S]*535/);
  writeFileSync(join(secrets, 'second'), 'sextant\n');
  expect((await avendel('relay', 'check', 'Second')).stdout).toContain('we are signed in');
});

test('a relay that cannot be trusted is told why, and is given nothing', async () => {
  const port = await freePort();
  const said = async (name: string, more: Partial<NewRelay>): Promise<string> => {
    const { id } = await add(name, port, { host: 'localhost', security: 'starttls', ...more });
    const answer = await service.client.checkRelay({ relayId: id });
    expect(answer.answers).toBe(false);
    return answer.said;
  };
  const certificate = authority.certificate;
  const strange = await sinkAt(port, {}, { certificate: authority.sign('DNS:localhost') });
  expect(await said('Strange', {})).toContain('of an authority that is not trusted here');
  await strange.close();
  const wrong = await sinkAt(port, {}, { certificate: authority.sign('DNS:relay.quillmail.example') });
  expect(await said('Wrong', { certificate })).toContain('its certificate is for another name');
  await wrong.close();
  const old = await sinkAt(port, {}, { certificate: authority.sign('DNS:localhost', -1) });
  expect(await said('Old', { certificate })).toContain('its certificate has expired');
  await old.close();
  const plain = await sinkAt(port);
  expect(await said('Plain', { certificate })).toContain(
    'does not encrypt (STARTTLS), and nothing goes there in plain',
  );
  expect([strange, wrong, old, plain].flatMap(({ received }) => received)).toEqual([]);
  // Nor is a message.
  const relay = (await service.client.relays()).find(({ name }) => name === 'Plain')!;
  await sendThrough(relay);
  const test = await service.client.sendTest({ brandId: list.brandId, to: 'rosa.lindgard@larkfield.example' });
  expect(test).toMatchObject({ outcome: 'again', reply: expect.stringContaining('STARTTLS') as unknown });
  expect(plain.received).toEqual([]);
});

test.each([
  ['without a variable', { passwordVariable: 'AVENDEL_RELAY_PASSWORD_NONE' }, 'AVENDEL_RELAY_PASSWORD_NONE is not set'],
  ['without a file', { passwordFile: 'none' }, 'none in AVENDEL_SECRETS_DIR cannot be read (ENOENT)'],
  ['with an empty file', { passwordFile: 'empty' }, 'empty in AVENDEL_SECRETS_DIR is empty'],
])('%s there is no password, and nobody is connected to', async (_, place, words) => {
  writeFileSync(join(secrets, 'empty'), '\n');
  const port = await freePort();
  let connected = 0;
  const server = createServer((socket) => ((connected += 1), socket.destroy()));
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve));
  open.push(() => new Promise((resolve) => server.close(resolve)));
  const { id } = await add('Secret', port, { account: 'larkfield', ...place });
  const answer = await service.client.checkRelay({ relayId: id });
  expect(answer).toMatchObject({ answers: false, said: expect.stringContaining(words) as unknown });
  expect(connected).toBe(0);
});

test.each(['../astrolabe', '/etc/hostname', '.hidden', ''])('“%s” is no file of secrets', async (passwordFile) => {
  await expect(add('Secret', 25, { account: 'a', passwordFile })).rejects.toThrow(/passwordFile/);
});

test.each(['AVENDEL_SECRET_KEY', 'PATH', 'AVENDEL_DATABASE_URL'])('%s is no variable of a password', async (name) => {
  await expect(add('Secret', 25, { account: 'a', passwordVariable: name })).rejects.toThrow(/passwordVariable/);
});

test('a relay that is slowed down gets no more than its rate, whatever the campaign would', async () => {
  const port = await freePort();
  const sink = await sinkAt(port);
  await sendThrough(await add('Slow', port, { perHour: 36_000 }));
  const began = Date.now();
  const id = await start('Slowed down');
  await until(() => sink.received.length >= 60);
  // Ten a second, of which ten seconds add up at most: nothing had added up.
  expect(sink.received.length).toBeLessThanOrEqual(10 * ((Date.now() - began) / 1000 + 1) + 1);
  await service.client.changeRelay({ id: (await service.client.relays())[0]!.id, perHour: null });
  await ended(id);
  expect(twice(sink.received)).toEqual([]);
  expect(sink.received).toHaveLength(READERS);
});

test('a relay that dies with messages in its hands loses few, and the next takes over', async () => {
  const [dyingPort, nextPort] = [await freePort(), await freePort()];
  const dying = await sinkAt(dyingPort, { cutData: () => true });
  const next = await sinkAt(nextPort);
  await sendThrough(await add('Dying', dyingPort, { connections: 2 }), await add('Next', nextPort));
  const id = await start('Dying');
  await ended(id);
  const { ledger } = await service.client.report({ id });
  // Three that broke, and what was on its way beside the last of them.
  expect(ledger.uncertain).toBeGreaterThanOrEqual(3);
  expect(ledger.uncertain).toBeLessThanOrEqual(5);
  expect(ledger.accepted).toBe(READERS - ledger.uncertain);
  expect(next.received).toHaveLength(ledger.accepted);
  expect(twice([...dying.received, ...next.received])).toEqual([]);
});

test('settings that were changed are used from the next turn on, and what is on its way gets its answer', async () => {
  const [oldPort, newPort] = [await freePort(), await freePort()];
  let answer: () => void = () => undefined;
  const held = new Promise<void>((resolve) => (answer = resolve));
  const old = await sinkAt(oldPort, { held });
  const moved = await sinkAt(newPort);
  const relay = await add('Moving', oldPort);
  await sendThrough(relay);
  const id = await start('Moved');
  await until(() => old.received.length === 8);
  const changed = await avendel('relay', 'change', 'Moving', '--port', String(newPort), '--name', 'Moved');
  expect(changed.stdout).toContain(`Moved: 127.0.0.1:${newPort}, not encrypted, nobody signs in, 8 at once.`);
  await service.client.pauseCampaign({ id });
  answer();
  await until(async () => (await service.client.report({ id })).ledger.onTheirWay === 0);
  await service.client.resumeCampaign({ id });
  await ended(id);
  expect((await service.client.report({ id })).ledger).toMatchObject({ accepted: READERS, uncertain: 0 });
  expect(old.received.length + moved.received.length).toBe(READERS);
  expect(moved.received.length).toBeGreaterThan(200);
  expect(twice([...old.received, ...moved.received])).toEqual([]);
});
