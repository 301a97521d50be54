import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { simpleParser } from 'mailparser';
import type { List } from '../../src/shared/contract/organisation.ts';
import { makeAvendel } from '../support/cli.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let digest: List;
let members: List;

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  digest = await makeList(service.client, [
    'ada@lanternpost.example',
    'bea@lanternpost.example',
    'cal@lanternpost.example',
  ]);
  const { id } = await service.client.createList({ brandId: digest.brandId, name: 'Members’ Letter', optIn: 'double' });
  members = await service.client.changeList({ id, agreement: 'Write to me once a month.' });
});
afterAll(async () => {
  await service.stop();
  await sink.close();
});

const form = (url: string, fields: Record<string, string> | string[][]): Promise<Response> =>
  fetch(url, { method: 'POST', body: new URLSearchParams(fields as Record<string, string>) });
const stateOn = async (address: string, list: List): Promise<string | null> =>
  (await service.client.check({ address })).subscriptions.find((row) => row.listId === list.id)?.state ?? null;
const messagesTo = (address: string) => sink.received.filter((message) => message.to === address);
/** The link in the latest message that asks this address to confirm. */
async function confirmLink(address: string, messages = 1): Promise<string> {
  await until(() => messagesTo(address).length >= messages);
  const { text } = await simpleParser(messagesTo(address).at(-1)!.raw);
  return /https?:\/\/\S+\/confirm\/\S+/.exec(text!)![0];
}
const wayOutOf = (raw: string): string => /<(http[^>]+\/out\/[^>]+)>/.exec(raw.replace(/\r\n /g, ' '))![1]!;

test('double opt-in from form to confirmation: a link alone confirms nobody, the button does, and the proof is kept', async () => {
  const page = await fetch(members.signUpUrl);
  expect(page.status).toBe(200);
  expect(await page.text()).toMatch(/<form method="post">[\s\S]*Write to me once a month\./);
  const answer = await form(members.signUpUrl, { address: ' Dora@Quillmail.example ', name: 'Dora Lind', website: '' });
  expect([answer.status, await answer.text()]).toEqual([200, expect.stringMatching(/Look into your mailbox/)]);
  const link = await confirmLink('dora@quillmail.example');
  expect(await stateOn('dora@quillmail.example', members)).toBe('pending');
  const mail = await simpleParser(messagesTo('dora@quillmail.example')[0]!.raw);
  expect(mail.subject).toBe('Please confirm Members’ Letter');
  expect(mail.headers.get('auto-submitted')).toBe('auto-generated');

  // A scanner follows every link, as often as it likes, in every way that is no pressing.
  for (const method of ['GET', 'HEAD', 'GET']) expect((await fetch(link, { method })).status).toBe(200);
  expect(await stateOn('dora@quillmail.example', members)).toBe('pending');
  expect((await service.client.signUps({ state: 'pending' })).items).toMatchObject([
    { address: 'dora@quillmail.example', listName: 'Members’ Letter', messages: 1 },
  ]);

  const pressed = await form(link, {});
  expect([pressed.status, await pressed.text()]).toEqual([
    200,
    expect.stringMatching(/You get Members’ Letter from now on/),
  ]);
  expect(await stateOn('dora@quillmail.example', members)).toBe('subscribed');
  expect((await form(link, {})).status).toBe(200);
  const { contact } = await service.client.check({ address: 'dora@quillmail.example' });
  expect(await service.client.contactSignUps({ id: contact!.id })).toMatchObject([
    {
      state: 'confirmed',
      way: 'form',
      network: '127.0.0.1',
      agreed: 'Write to me once a month.',
      confirmedNetwork: '127.0.0.1',
    },
  ]);
  expect(
    (await service.client.timeLine({ id: contact!.id })).items.filter((item) => item.kind === 'confirmed'),
  ).toHaveLength(1);
});

test('a tampered or foreign link leads nowhere, a form that a machine filled signs nobody up', async () => {
  expect((await fetch(`${members.signUpUrl}a`)).status).toBe(404);
  expect((await fetch(members.signUpUrl.replace('/join/', '/confirm/'))).status).toBe(404);
  expect((await form(`${service.public}/confirm/${'a'.repeat(39)}`, {})).status).toBe(404);
  const filled = await form(members.signUpUrl, { address: 'machine@quillmail.example', website: 'https://x.example' });
  expect(await filled.text()).toMatch(/Look into your mailbox/);
  expect((await service.client.check({ address: 'machine@quillmail.example' })).contact).toBeNull();
  const wrong = await form(members.signUpUrl, { address: 'not an address' });
  expect([wrong.status, await wrong.text()]).toEqual([
    422,
    expect.stringMatching(/role="alert">This is not an email address/),
  ]);
});

test('single opt-in subscribes at once, with its proof', async () => {
  await form(digest.signUpUrl, { address: 'eli@quillmail.example' });
  expect(await stateOn('eli@quillmail.example', digest)).toBe('subscribed');
});

describe('nothing but the person’s own act lifts what is theirs to lift', () => {
  test('who has left, or complained, is asked to confirm even by a single opt-in list, and only that brings them back', async () => {
    for (const address of ['ada@lanternpost.example', 'bea@lanternpost.example'])
      await service.client.unsubscribeContact({ address, reason: 'by telephone' });
    const complaint = {
      kind: 'complained',
      at: new Date(Date.now() - 1000).toISOString(),
      address: 'bea@lanternpost.example',
      brandId: digest.brandId,
      source: 'abuse desk',
      externalId: '1',
    };
    expect(await service.client.recordEvents({ file: JSON.stringify(complaint) })).toMatchObject({
      recorded: 1,
      refused: [],
    });
    expect((await service.client.check({ address: 'bea@lanternpost.example' })).brands[0]!.reasons).toContain(
      'complained',
    );
    for (const address of ['ada@lanternpost.example', 'bea@lanternpost.example']) {
      expect((await service.client.check({ address })).brands[0]!.eligible).toBe(false);
      await makeList(service.client, [address], `Again ${address}`);
      const answer = await form(digest.signUpUrl, { address });
      expect(await answer.text()).toMatch(/Look into your mailbox/);
      expect((await service.client.check({ address })).brands[0]!.eligible).toBe(false);
      expect((await form(await confirmLink(address), {})).status).toBe(200);
      expect((await service.client.check({ address })).brands[0]!).toMatchObject({ eligible: true, reasons: [] });
      expect(await stateOn(address, digest)).toBe('subscribed');
    }
  });

  test('who is blocked or undeliverable gets the same answer, no message, and stays out; the row says why', async () => {
    const list = await service.client.createSuppressionList({ name: 'Do not write' });
    await service.client.addEntries({
      id: list.id,
      values: ['cal@lanternpost.example', '.campusnet.example'],
      reason: 'their lawyer asked',
    });
    const fresh = await (await form(members.signUpUrl, { address: 'fay@quillmail.example' })).text();
    const before = sink.received.length;
    for (const address of ['cal@lanternpost.example', 'new@labs.campusnet.example'])
      expect(await (await form(members.signUpUrl, { address })).text()).toBe(fresh);
    await confirmLink('fay@quillmail.example');
    expect(sink.received.slice(before).map((message) => message.to)).toEqual(['fay@quillmail.example']);
    expect(await stateOn('cal@lanternpost.example', members)).toBeNull();
    expect((await service.client.check({ address: 'new@labs.campusnet.example' })).contact).toBeNull();
    expect(
      (await service.client.signUps({ state: 'turned-away' })).items.map((row) => [row.address, row.because]),
    ).toEqual([
      ['cal@lanternpost.example', 'the address is held back: on a list kept by people, in its scope'],
      ['new@labs.campusnet.example', 'the address is held back: on a list kept by people, in its scope'],
    ]);
  });
});

test('behind a proxy of ours the network is the one it tells of, as far as it can be believed', async () => {
  const from = async (address: string, forwarded: string): Promise<string | null> => {
    await fetch(digest.signUpUrl, {
      method: 'POST',
      headers: { 'x-forwarded-for': forwarded },
      body: new URLSearchParams({ address }),
    });
    const { contact } = await service.client.check({ address });
    return (await service.client.contactSignUps({ id: contact!.id }))[0]!.network;
  };
  expect(await from('net.one@quillmail.example', '203.0.113.20')).toBe('203.0.113.20');
  expect(await from('net.two@quillmail.example', '198.51.100.1, 203.0.113.21')).toBe('203.0.113.21');
  expect(await from('net.three@quillmail.example', '203.0.113.22, 127.0.0.1')).toBe('203.0.113.22');
  expect(await from('net.four@quillmail.example', 'nonsense')).toBe('127.0.0.1');
});

test('sign-ups are limited by address and by network', async () => {
  for (let times = 0; times < 6; times++)
    await service.client.signUp({ listId: digest.id, address: 'hal@quillmail.example', network: '203.0.113.9' });
  const rows = [
    ...(await service.client.signUps({ state: 'confirmed' })).items,
    ...(await service.client.signUps({ state: 'turned-away' })).items,
  ];
  expect(rows.filter((row) => row.address === 'hal@quillmail.example')).toHaveLength(3);
  const many = Array.from({ length: 40 }, (_, index) =>
    service.client.signUp({ listId: digest.id, address: `many${index}@quillmail.example`, network: '203.0.113.10' }),
  );
  const results = await Promise.allSettled(many);
  expect(results.filter((result) => result.status === 'fulfilled')).toHaveLength(30);
  await expect(
    service.client.signUp({ listId: digest.id, address: 'one.more@quillmail.example', network: '203.0.113.10' }),
  ).rejects.toMatchObject({ problem: { status: 429 } });
});

test('the preference page of any message: lists on and off, everything off, no script, no login; a GET changes nothing', async () => {
  sink.received.length = 0;
  const id = await makeCampaign(service.client, digest, 'Preferences');
  await service.client.startCampaign({ id, expect: (await service.client.preflight({ id })).willGet });
  await until(() => messagesTo('eli@quillmail.example').length === 1);
  const wayOut = wayOutOf(messagesTo('eli@quillmail.example')[0]!.raw);
  const leave = await (await fetch(wayOut)).text();
  const url = wayOut.replace('/out/', '/choose/');
  expect(leave).toContain(new URL(url).pathname);
  const page = await (await fetch(url)).text();
  expect(page).not.toMatch(/<script/);
  expect(page).toMatch(new RegExp(`value="${digest.id}" checked>Night Digest`));
  expect(page).toMatch(new RegExp(`value="${members.id}">Members’ Letter`));
  expect(await stateOn('eli@quillmail.example', digest)).toBe('subscribed');
  await form(url, [
    ['act', 'choose'],
    ['list', String(members.id)],
  ]);
  expect(await stateOn('eli@quillmail.example', digest)).toBe('unsubscribed');
  // What they put on begins with the button in a message to them, and not before: this one may have been forwarded.
  expect(await stateOn('eli@quillmail.example', members)).toBe('pending');
  expect((await form(await confirmLink('eli@quillmail.example', 2), {})).status).toBe(200);
  expect(await stateOn('eli@quillmail.example', members)).toBe('subscribed');
  const eli = (await service.client.check({ address: 'eli@quillmail.example' })).contact!;
  expect((await service.client.contactSignUps({ id: eli.id }))[0]).toMatchObject({
    way: 'preferences',
    state: 'confirmed',
    agreed: 'Write to me once a month.',
  });
  await service.client.changeList({ id: members.id, isPublic: false });
  expect(await (await fetch(url)).text()).not.toContain('Members’ Letter');
  await service.client.changeList({ id: members.id, isPublic: true });
  await form(url, { act: 'everything' });
  expect((await service.client.check({ address: 'eli@quillmail.example' })).brands[0]!.reasons).toContain(
    'unsubscribed',
  );
  expect(await stateOn('eli@quillmail.example', members)).toBe('unsubscribed');
  // Whoever holds the message cannot put them back, on any list, by ticking boxes.
  const back = await (
    await form(url, [
      ['act', 'choose'],
      ['list', String(members.id)],
      ['list', String(digest.id)],
    ])
  ).text();
  expect(back).toMatch(/For Night Digest and Members’ Letter, look into your mailbox/);
  expect((await service.client.check({ address: 'eli@quillmail.example' })).brands[0]).toMatchObject({
    eligible: false,
    reasons: ['unsubscribed'],
  });
  expect([await stateOn('eli@quillmail.example', digest), await stateOn('eli@quillmail.example', members)]).toEqual([
    'unsubscribed',
    'unsubscribed',
  ]);
});

test('by command line: the form of a list, who waits, somebody who asked by telephone', async () => {
  const avendel = makeAvendel(service);
  expect((await avendel('lists', 'form', 'Members’ Letter')).stdout).toContain(members.signUpUrl);
  expect((await avendel('lists', 'edit', 'Members’ Letter', '--remind', '2', '5', '--expire', '10')).stdout).toMatch(
    /reminded after 2 and 5 days, ended after 10/,
  );
  expect((await avendel('lists', 'edit', 'Members’ Letter', '--remind', '1', '2', '3')).code).toBe(2);
  expect(
    (await avendel('sign-ups', 'add', 'Members’ Letter', 'ivy@quillmail.example', '--agreed', 'on paper')).code,
  ).toBe(0);
  await confirmLink('ivy@quillmail.example');
  expect((await avendel('sign-ups', 'list')).stdout).toMatch(/ivy@quillmail\.example +Members’ Letter/);
  const left = await avendel(
    'contacts',
    'unsubscribe',
    'dora@quillmail.example',
    '--reason',
    'by telephone',
    '--list',
    'Members’ Letter',
  );
  expect(left.stdout).toMatch(/is off Members’ Letter/);
  const shown = await avendel('contacts', 'show', 'dora@quillmail.example');
  expect(shown.stdout).toMatch(
    /Sign-ups\n.*Members’ Letter by form from 127\.0\.0\.1, confirmed .* agreed to “Write to me once a month\.”/,
  );
  expect(await avendel('contacts', 'unsubscribe', 'nobody@quillmail.example', '--reason', 'x')).toMatchObject({
    code: 1,
    stderr: expect.stringMatching(/is no contact of ours/) as unknown,
  });
});
