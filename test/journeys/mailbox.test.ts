import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { deliveryReport } from '../../src/simulator/outside/reports.ts';
import type { Mailbox } from '../../src/shared/api-returns.ts';
import { makeCuttingLine } from '../support/cutting-line.ts';
import { startDovecot, type Dovecot } from '../support/dovecot.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

let dovecot: Dovecot;
let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;

const NAMES = ['ada', 'bo', 'cy', 'di', 'ed'];

beforeAll(async () => {
  dovecot = await startDovecot();
  service = await startRealService({
    AVENDEL_SECRET_RETURNS: dovecot.password,
    AVENDEL_SECRET_WRONG: 'telescope',
    AVENDEL_LOG_LEVEL: 'silent',
  });
  sink = await startSink(service.relayPort);
  const list = await makeList(service.client, NAMES.map((name) => `${name}@lanternpost.example`)); // prettier-ignore
  const id = await makeCampaign(service.client, list, 'First');
  await service.client.startCampaign(id, NAMES.length);
  await until(() => sink.received.length === NAMES.length);
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
const settings = { host: '127.0.0.1', account: 'box', security: 'none' as const, passwordIn: 'AVENDEL_SECRET_RETURNS' }; // prettier-ignore
const box = async (name: string): Promise<Mailbox> => (await service.client.mailboxes()).find((one) => one.name === name)!; // prettier-ignore
const isDead = async (name: string): Promise<boolean> => (await service.client.check(`${name}@lanternpost.example`)).contact?.deliverability === 'undeliverable'; // prettier-ignore
const returned = async (): Promise<number> => (await service.client.returns({})).items.length;

test('a mailbox is read, told of news by the server, and by each outcome emptied, flagged or left', async () => {
  dovecot.deliver(report('ada'));
  dovecot.deliver('From: someone@quillmail.example\nSubject: Hello\n\nIs this the observatory?\n');
  const afterwards = { counted: 'delete', unmatched: 'move:Stray' };
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
  expect({ returned: await returned(), dead: await Promise.all(NAMES.map(isDead)) }).toEqual({ returned: before, dead: [true, true, true, true, false] }); // prettier-ignore
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
  await service.client.keepMailbox({ ...settings, name: 'polled', port: dovecot.port, brandId: brand!.id, idles: false, pollSeconds: 1 }); // prettier-ignore
  await until(async () => (await box('returns')).brandId === brand!.id);
  dovecot.deliver('From: Cy Larsen <cy@lanternpost.example>\nTo: hello@larkfield.example\nSubject: unsubscribe\n\nThank you.\n'); // prettier-ignore
  await until(async () => (await service.client.returns({ state: 'asks' })).items.length === 1);
  const [letter] = (await service.client.returns({ state: 'asks' })).items;
  expect(letter!.because).toContain('a person decides');
  await service.client.grantStop(letter!.id);
  expect((await service.client.check('cy@lanternpost.example')).brands[0]!.reasons).toContain('unsubscribed');
});

test('a wrong password is said once and shown; no server, too; a mailbox that is mended goes on', async () => {
  await service.client.keepMailbox({ ...settings, name: 'locked', port: dovecot.port, passwordIn: 'AVENDEL_SECRET_WRONG' }); // prettier-ignore
  await service.client.keepMailbox({ ...settings, name: 'nowhere', port: 1 });
  await expect(service.client.keepMailbox({ ...settings, name: 'thief', passwordIn: 'AVENDEL_DATABASE_URL' })).rejects.toThrow('AVENDEL_SECRET_'); // prettier-ignore
  await service.client.keepMailbox({
    ...settings,
    name: 'unset',
    port: dovecot.port,
    passwordIn: 'AVENDEL_SECRET_NOT_SET',
  });
  await until(async () => [(await box('locked')).trouble, (await box('nowhere')).trouble, (await box('unset')).trouble].every(Boolean)); // prettier-ignore
  expect((await box('locked')).trouble).toMatch(/refuses the account or its password/);
  expect((await box('nowhere')).trouble).toMatch(/ECONNREFUSED/);
  expect((await box('unset')).trouble).toMatch(/neither AVENDEL_SECRET_NOT_SET nor/);
  await service.client.keepMailbox({ ...settings, name: 'locked', port: dovecot.port });
  await until(
    async () => (await box('locked')).trouble === null && (await box('locked')).processed === dovecot.count(),
  );
  for (const name of ['locked', 'nowhere', 'unset', 'polled']) await service.client.removeMailbox((await box(name)).id);
  expect((await service.client.mailboxes()).map(({ name }) => name)).toEqual(['returns']);
});
