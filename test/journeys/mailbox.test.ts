import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { deliveryReport } from '../../src/simulator/reports.ts';
import type { Mailbox } from '../../src/shared/contract/mailboxes.ts';
import { makeAvendel } from '../support/cli.ts';
import { makeCuttingLine } from '../support/cutting-line.ts';
import { startDovecot, type Dovecot } from '../support/dovecot.ts';
import { findTexts } from '../support/search.ts';
import { SECRET_KEY, startRealService, until, type Running, sendFirst } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

let dovecot: Dovecot;
let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;

const NAMES = ['ada', 'bo', 'cy', 'di', 'ed'];

beforeAll(async () => {
  dovecot = await startDovecot();
  service = await startRealService({
    AVENDEL_LOG_LEVEL: 'silent',
  });
  sink = await startSink(service.relayPort);
  await sendFirst(service, sink, NAMES);
});
afterAll(async () => {
  await service.stop();
  await sink.close();
  await dovecot.stop();
});

/** A mailbox server's report that nobody of this name is there, as it lies in the return mailbox. */
function report(name: string): string {
  const { from, to, raw } = sink.received.find((one) => one.to.startsWith(`${name}@`))!;
  const headers = raw.slice(0, raw.indexOf('\r\n\r\n'));
  return deliveryReport({ envelopeFrom: from, to, headers }, '5.1.1', '550 5.1.1 no such user');
}
const settings = { host: '127.0.0.1', account: 'box', security: 'none' as const, password: 'planisphere' };
const box = async (name: string): Promise<Mailbox> =>
  (await service.client.mailboxes()).find((one) => one.name === name)!;
const isDead = async (name: string): Promise<boolean> =>
  (await service.client.check({ address: `${name}@lanternpost.example` })).contact?.deliverability === 'undeliverable';
const returned = async (): Promise<number> => (await service.client.returns({})).items.length;

test('a mailbox is read, told of news by the server, and by each outcome emptied, flagged or left', async () => {
  dovecot.deliver(report('ada'));
  dovecot.deliver('From: someone@quillmail.example\nSubject: Hello\n\nIs this the observatory?\n');
  const afterwards = { counted: 'delete', unmatched: 'move:Stray' } as const;
  await service.client.keepMailbox({ ...settings, name: 'returns', port: dovecot.port, afterwards });
  await until(() => isDead('ada'));
  await until(async () => (await box('returns')).processed === 2);
  expect({ inbox: dovecot.count(), stray: dovecot.count('Stray') }).toEqual({ inbox: 0, stray: 1 });
  expect(await box('returns')).toMatchObject({ waiting: 0, trouble: null, idles: true });
  // No look is due for minutes: the server has to say that something came.
  dovecot.deliver(report('bo'));
  await until(() => isDead('bo'));
  // It is deleted by what is set now, not by what the next test sets.
  await until(() => dovecot.count() === 0);
});

test('what was read is not read again after a restart of the service or of the server, and the reading goes on', async () => {
  await service.client.keepMailbox({ ...settings, name: 'returns', port: dovecot.port });
  dovecot.deliver(report('cy'));
  await until(() => isDead('cy'));
  await until(async () => (await box('returns')).processed === 4);
  const before = await returned();
  service.kill();
  await dovecot.restart();
  await service.restart();
  dovecot.deliver(report('di'));
  await until(() => isDead('di'));
  await until(async () => (await box('returns')).processed === 5);
  expect({ returned: await returned(), inbox: dovecot.count() }).toEqual({ returned: before + 1, inbox: 2 });
});

test('the same messages under other numbers, in another mailbox that is polled, count nothing twice', async () => {
  const before = await returned();
  await service.client.keepMailbox({ ...settings, name: 'polled', port: dovecot.port, idles: false, pollSeconds: 1 });
  await until(async () => (await box('polled')).processed === 2);
  expect(await returned()).toBe(before);
});

test('when the server gives all messages other numbers they are read again, and count nothing twice', async () => {
  const [before, { processed }] = [await returned(), await box('returns')];
  await dovecot.renumber();
  await until(async () => (await box('returns')).processed === processed + dovecot.count());
  expect({ returned: await returned(), dead: await Promise.all(NAMES.map(isDead)) }).toEqual({
    returned: before,
    dead: [true, true, true, true, false],
  });
});

test('a line that breaks in the middle of a message loses nothing: it is fetched again, and counts once', async () => {
  const before = await returned();
  const line = await makeCuttingLine(dovecot.port, 200_000);
  try {
    await service.client.keepMailbox({ ...settings, name: 'returns', port: line.port });
    // Or the message would come by the line before.
    await until(() => line.opened > 0);
    dovecot.deliver(report('ed') + `\n${'x'.repeat(78)}`.repeat(5000));
    await until(() => isDead('ed'));
    expect({ cuts: line.cuts, returned: await returned() }).toEqual({ cuts: 1, returned: before + 1 });
    await service.client.keepMailbox({ ...settings, name: 'returns', port: dovecot.port });
  } finally {
    await line.stop();
  }
});

test('a letter to a brand’s mailbox that asks to stop is put before a person, who unsubscribes its sender from that brand', async () => {
  const [brand] = await service.client.brands();
  await service.client.keepMailbox({ ...settings, name: 'returns', port: dovecot.port, brandId: brand!.id });
  // It is polled by the other one too, which may come first.
  await service.client.keepMailbox({
    ...settings,
    name: 'polled',
    port: dovecot.port,
    brandId: brand!.id,
    idles: false,
    pollSeconds: 1,
  });
  await until(async () => (await box('returns')).brandId === brand!.id);
  dovecot.deliver(
    'From: Cy Larsen <cy@lanternpost.example>\nTo: hello@larkfield.example\nSubject: unsubscribe\n\nThank you.\n',
  );
  await until(async () => (await service.client.returns({ state: 'asks' })).items.length === 1);
  const [letter] = (await service.client.returns({ state: 'asks' })).items;
  expect(letter!.because).toContain('a person decides');
  await service.client.grantStop({ id: letter!.id });
  expect((await service.client.check({ address: 'cy@lanternpost.example' })).brands[0]!.reasons).toContain(
    'unsubscribed',
  );
});

test('a wrong password is said once and shown; no server, too; a mailbox that is mended goes on', async () => {
  await service.client.keepMailbox({ ...settings, name: 'locked', port: dovecot.port, password: 'telescope' });
  await service.client.keepMailbox({ ...settings, name: 'nowhere', port: 1 });
  await until(async () => [(await box('locked')).trouble, (await box('nowhere')).trouble].every(Boolean));
  expect((await box('locked')).trouble).toMatch(/refuses the account or its password/);
  expect((await box('nowhere')).trouble).toMatch(/ECONNREFUSED/);
  await service.client.keepMailbox({ ...settings, name: 'locked', port: dovecot.port });
  await until(
    async () => (await box('locked')).trouble === null && (await box('locked')).processed === dovecot.count(),
  );
  for (const name of ['locked', 'nowhere', 'polled']) await service.client.removeMailbox({ id: (await box(name)).id });
  expect((await service.client.mailboxes()).map(({ name }) => name)).toEqual(['returns']);
});

test('it is looked into when somebody asks, and says what it found; one in trouble is tried at once, a paused one is not', async () => {
  await service.client.keepMailbox({ ...settings, name: 'asked', port: dovecot.port, idles: false, pollSeconds: 3600 });
  await until(async () => (await box('asked')).waiting === 0);
  dovecot.deliver('From: someone@quillmail.example\nSubject: Later\n\nHello.\n');
  const avendel = makeAvendel(service);
  expect(await avendel('mailboxes', 'look', 'asked')).toMatchObject({
    code: 0,
    stdout: 'asked: 1 new, nothing waiting.\n',
  });
  expect((await avendel('mailboxes', 'look', 'asked')).stdout).toBe('asked: 0 new, nothing waiting.\n');
  await service.client.keepMailbox({ ...settings, name: 'asked', port: 1 });
  expect(await avendel('mailboxes', 'look', 'asked')).toMatchObject({
    code: 1,
    stderr: expect.stringContaining('ECONNREFUSED') as unknown,
  });
  await service.client.pauseMailbox({ id: (await box('asked')).id, paused: true });
  await expect(service.client.lookIntoMailbox({ id: (await box('asked')).id })).rejects.toThrow('is paused');
  await service.client.removeMailbox({ id: (await box('asked')).id });
});

describe('the password of a mailbox', () => {
  const refusal = (field: string) => ({
    problem: { type: expect.stringMatching(/#invalid-input$/) as unknown, field },
  });
  const withoutPassword = { ...settings, password: undefined };

  test('is in no answer, and in the database only encrypted', async () => {
    await service.client.keepMailbox({ ...settings, name: 'kept', port: dovecot.port });
    expect(await box('kept')).toMatchObject({ hasPassword: true });
    expect(JSON.stringify(await service.client.mailboxes())).not.toContain(settings.password);
    expect(await findTexts(service.databaseUrl, [settings.password])).toEqual([]);
  });

  test('goes on for the same server and account; for another it has to be given again, and nothing is sent there', async () => {
    await service.client.keepMailbox({
      ...withoutPassword,
      name: 'kept',
      port: dovecot.port,
      folder: 'INBOX',
      pollSeconds: 30,
    });
    await until(async () => (await box('kept')).processed > 0);
    for (const other of [{ port: 1993 }, { account: 'other' }, { host: 'localhost' }])
      await expect(
        service.client.keepMailbox({ ...withoutPassword, name: 'kept', port: dovecot.port, ...other }),
      ).rejects.toMatchObject(refusal('password'));
    await expect(
      service.client.keepMailbox({ ...withoutPassword, name: 'new', port: dovecot.port }),
    ).rejects.toMatchObject(refusal('password'));
    expect(await box('kept')).toMatchObject({ host: '127.0.0.1', port: dovecot.port, account: 'box' });
  });

  test('never goes to another machine in plain text', async () => {
    await expect(
      service.client.keepMailbox({ ...settings, name: 'plain', host: 'imap.larkfield.example', port: 143 }),
    ).rejects.toMatchObject(refusal('security'));
    expect((await service.client.mailboxes()).map(({ name }) => name)).not.toContain('plain');
  });

  test('by command line it comes from a file or the environment', async () => {
    const add = [
      'mailboxes',
      'add',
      'by command',
      '--host',
      '127.0.0.1',
      '--port',
      String(dovecot.port),
      '--security',
      'none',
      '--account',
      'box',
    ];
    expect(await makeAvendel(service)(...add)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('needs its password') as unknown,
    });
    expect(await makeAvendel(service, { AVENDEL_MAILBOX_PASSWORD: settings.password })(...add)).toMatchObject({
      code: 0,
    });
    expect((await makeAvendel(service)(...add, '--poll', '5')).code).toBe(0);
  });

  test('another key opens it no more, and it says so; signing keys that are not opened keep the service from starting', async () => {
    service.environment['AVENDEL_SECRET_KEY'] = `${Buffer.alloc(32, 'another').toString('base64')} ${SECRET_KEY}`;
    service.kill();
    await service.restart();
    // Everything is still read by the old one, and signing keys are encrypted with the new.
    await until(async () => (await box('kept')).trouble === null);
    service.environment['AVENDEL_SECRET_KEY'] = Buffer.alloc(32, 'another').toString('base64');
    service.kill();
    await service.restart();
    await until(async () => /given again/.test((await box('kept')).trouble ?? ''));
  });
});
