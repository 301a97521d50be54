import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import nodemailer from 'nodemailer';
import type { List } from '../../src/shared/contract/organisation.ts';
import { unsubscribeLetter } from '../../src/simulator/reports.ts';
import { makeAvendel } from '../support/cli.ts';
import { startDovecot, type Dovecot } from '../support/dovecot.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

/* Whichever way somebody leaves, and whichever message they leave by, it is heard, and it means the same. */

const WAYS = ['one-click', 'page', 'smtp', 'http', 'file', 'imap', 'provider'] as const;
type By = (typeof WAYS)[number];
const MESSAGES = ['list', 'segment', 'service'] as const;
type Kind = (typeof MESSAGES)[number];

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let dovecot: Dovecot;
let digest: List;
let members: List;

const addressOf = (kind: Kind, way: By): string => `${kind}.${way}@lanternpost.example`;
const everybody = MESSAGES.flatMap((kind) => WAYS.map((way) => addressOf(kind, way)));

beforeAll(async () => {
  dovecot = await startDovecot();
  service = await startRealService();
  sink = await startSink(service.relayPort);
  digest = await makeList(service.client, everybody);
  members = await makeList(service.client, everybody, 'Members’ Letter');
  const brandId = digest.brandId;
  for (const kind of MESSAGES)
    await service.client.applyAct({
      act: 'tag',
      tag: kind,
      addresses: WAYS.map((way) => addressOf(kind, way)),
      expect: WAYS.length,
      reason: 'a test',
    });
  const segment = await service.client.createSegment({ brandId, name: 'By segment', condition: 'tagged "segment"' });
  const html = '<p>Good evening, <a href="https://larkfield.example/sky">the sky</a></p>';
  const draft = { brandId, subject: 'The sky', html };
  const others = async (kind: Kind): Promise<number[]> => {
    const left = await service.client.createSegment({
      brandId,
      name: `Not ${kind}`,
      condition: `not tagged "${kind}"`,
    });
    return [left.id];
  };
  const ids = [
    (
      await service.client.createCampaign({
        ...draft,
        name: 'By list',
        listIds: [digest.id],
        leftOutSegmentIds: await others('list'),
      })
    ).id,
    (await service.client.createCampaign({ ...draft, name: 'By segment', segmentIds: [segment.id] })).id,
    (
      await service.client.createCampaign({
        ...draft,
        name: 'Of service',
        purpose: 'service',
        statement: 'The dome is closed on the evening of each ticket.',
        listIds: [digest.id],
        leftOutSegmentIds: await others('service'),
      })
    ).id,
  ];
  for (const id of ids) await service.client.startCampaign({ id, expect: WAYS.length });
  await until(() => sink.received.length === everybody.length);
  await service.client.keepMailbox({
    name: 'returns',
    host: '127.0.0.1',
    port: dovecot.port,
    account: 'box',
    security: 'none',
    password: dovecot.password,
  });
});
afterAll(async () => {
  await service.stop();
  await sink.close();
  await dovecot.stop();
});

const headerOf = (address: string): string =>
  sink.received.find(({ to }) => to === address)!.raw.replace(/\r\n\s+/g, ' ');
const urlOf = (address: string): string => /<(http[^>]+\/out\/[^>]+)>/.exec(headerOf(address))![1]!;
const mailboxOf = (address: string): string => /mailto:(u\.[a-z2-7]{39}@[a-z.]+)/.exec(headerOf(address))![1]!;
const letter = (address: string): string => unsubscribeLetter(address, mailboxOf(address));

const LEAVE: Record<By, (address: string) => Promise<unknown>> = {
  'one-click': (address) =>
    fetch(urlOf(address), { method: 'POST', body: new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }) }),
  page: (address) => fetch(urlOf(address), { method: 'POST', body: new URLSearchParams({ from: 'lists' }) }),
  async smtp(address) {
    const transport = nodemailer.createTransport({ host: '127.0.0.1', port: service.intakePort, ignoreTLS: true });
    await transport.sendMail({ envelope: { from: address, to: mailboxOf(address) }, raw: letter(address) });
    transport.close();
  },
  http: (address) => service.client.receiveReturn({ file: letter(address) }),
  async file(address) {
    const path = join(mkdtempSync(join(tmpdir(), 'avendel-leaving-')), 'letter.eml');
    writeFileSync(path, letter(address));
    expect(await makeAvendel(service)('returns', 'import', path)).toMatchObject({ code: 0 });
  },
  async imap(address) {
    const before = (await service.client.mailboxes())[0]!.processed;
    dovecot.deliver(letter(address).replaceAll('\r\n', '\n'));
    await until(async () => (await service.client.mailboxes())[0]!.processed > before);
  },
  // On a reader's behalf, with nothing in it, and marked as automatic.
  provider: (address) =>
    service.client.receiveReturn({
      file: `From: no-reply@lanternpost.example\r\nTo: ${mailboxOf(address)}\r\nAuto-Submitted: auto-generated\r\n\r\n`,
    }),
};

test.each(MESSAGES.flatMap((kind) => WAYS.map((way) => ({ kind, way }))))(
  'a message by $kind, left by $way',
  async ({ kind, way }) => {
    const address = addressOf(kind, way);
    await LEAVE[way](address);
    const { brands, subscriptions } = await service.client.check({ address });
    const stateOn = (list: List) => subscriptions.find(({ listId }) => listId === list.id)!.state;
    const everything = kind !== 'list';
    expect({ reasons: brands[0]!.reasons, digest: stateOn(digest), members: stateOn(members) }).toEqual({
      reasons: everything ? ['unsubscribed'] : [],
      digest: 'unsubscribed',
      members: everything ? 'unsubscribed' : 'subscribed',
    });
    // What was left is left for the next message too, and a receipt still reaches who only wants no more marketing.
    expect(brands[0]!.serviceReasons).toEqual([]);
  },
);

test('nothing of it is unmatched, and each is counted once as the act of a person', async () => {
  expect((await service.client.returns({ state: 'unmatched' })).items).toEqual([]);
  expect((await service.client.returns({ state: 'counted' })).items).toHaveLength(5 * MESSAGES.length);
  for (const address of everybody) {
    const { contact } = await service.client.check({ address });
    const { items } = await service.client.timeLine({ id: contact!.id });
    expect(items.filter(({ kind }) => kind === 'unsubscribed')).toMatchObject([{ actor: 'human' }]);
  }
});

test('the page behind a message names what pressing the button leaves', async () => {
  const id = await makeCampaign(service.client, members, 'The next');
  expect((await service.client.preflight({ id })).willGet).toBe(WAYS.length);
  expect(await (await fetch(urlOf(addressOf('list', 'page')))).text()).toContain('Leave Night Digest?');
  for (const kind of ['segment', 'service'] as const)
    expect(await (await fetch(urlOf(addressOf(kind, 'page')))).text()).toContain('Leave Larkfield Observatory?');
});
