import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser } from 'playwright-core';
import type { List } from '../../src/shared/contract/organisation.ts';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeSaying } from '../support/cli.ts';
import { makeCampaign, makeList, SECRET_KEY, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';
import { verifyDkim } from '../support/verify-dkim.ts';

/** Signed from the first key to the next, while campaigns are sent; another implementation verifies what arrives. */
let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let browser: Browser;
let list: List;
const records: Record<string, string> = {};

beforeAll(async () => {
  service = await startRealService({ AVENDEL_SECRET_KEY: SECRET_KEY });
  sink = await startSink(service.relayPort);
  list = await makeList(service.client, ['ada@lanternpost.example', 'ben@lanternpost.example']);
  browser = await openBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
  await sink.close();
});

async function publish(): Promise<void> {
  for (const { name, type, wanted } of await service.client.dnsRecords({ id: list.brandId }))
    if (type === 'TXT') records[name] = wanted;
}
async function send(name: string): Promise<[string, boolean][][]> {
  const had = sink.received.length;
  await service.client.startCampaign({ id: await makeCampaign(service.client, list, name), expect: 2 });
  await until(() => sink.received.length === had + 2);
  return sink.received.slice(had).map(({ raw }) =>
    verifyDkim(raw, records)
      .map(({ selector, holds }): [string, boolean] => [selector, holds])
      .sort(),
  );
}

test('by command line: a key is made, published, signs; another takes over; the first is removed', async () => {
  const { said, refused } = makeSaying(service);
  expect(await said('dkim', 'list')).toContain('Messages of this brand are not signed here');
  expect(await send('Unsigned')).toEqual([[], []]);
  const made = await said('dkim', 'add', 'nov2026');
  expect(made).toMatch(/^nov2026\._domainkey\.larkfield\.example\. TXT "v=DKIM1; k=rsa; p=MII[^"]+"$/m);
  expect(await send('Not yet')).toEqual([[], []]);
  await publish();
  expect(await said('dkim', 'sign', 'nov2026')).toBe('Messages are signed with nov2026.\n');
  expect(await send('Signed')).toEqual([[['nov2026', true]], [['nov2026', true]]]);
  await said('dkim', 'add', 'dec2026');
  expect(await refused('dkim', 'add', 'jan2027')).toContain('There are 2 keys already, nov2026 and dec2026');
  await publish();
  expect(await said('dkim', 'sign', 'dec2026')).toBe('Messages are signed with nov2026 and dec2026.\n');
  const both = [
    ['dec2026', true],
    ['nov2026', true],
  ];
  expect(await send('Signed twice')).toEqual([both, both]);
  await said('dkim', 'remove', 'nov2026');
  expect(await send('Changed over')).toEqual([[['dec2026', true]], [['dec2026', true]]]);
  expect(await refused('dkim', 'sign', 'nov2026')).toContain('has no key “nov2026”. It has: dec2026');
  expect(await said('dkim', 'dns')).toContain('Nobody could be asked what stands there.');
  expect(await said('dkim', 'list')).toMatch(/dec2026\s+larkfield\.example\s+yes/);
});

test('test messages and confirmations are signed, too', async () => {
  const had = sink.received.length;
  await service.client.sendTest({ brandId: list.brandId, to: 'rosa.lindgard@larkfield.example' });
  const double = await service.client.createList({ brandId: list.brandId, name: 'Members’ Letter', optIn: 'double' });
  await fetch(double.signUpUrl, {
    method: 'POST',
    body: new URLSearchParams({ address: 'eve@quillmail.example', name: 'Eve' }),
  });
  await until(() => sink.received.length === had + 2);
  for (const { raw } of sink.received.slice(had)) expect(verifyDkim(raw, records)).toMatchObject([{ holds: true }]);
});

test('no answer of the service ever holds a private key', async () => {
  const { client } = service;
  const { id } = (await client.dkimKeys({ id: list.brandId }))[0]!;
  await client.signWithDkimKey({ id: list.brandId, keyId: id, signs: true });
  const answers = [
    await client.dkimKeys({ id: list.brandId }),
    await client.dnsRecords({ id: list.brandId }),
    await client.brands(),
  ];
  expect(JSON.stringify(answers)).not.toMatch(/PRIVATE|sealed/i);
});

test('in the console: what is no key is refused and stays typed; a key is kept, signs, and is removed', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/settings`);
  const field = (name: string) => page.getByRole('textbox', { name, exact: true });
  await page.getByRole('button', { name: 'New key' }).click();
  await field('Selector').fill('jan2027');
  await field('Private key').fill('the dome is open');
  await page.getByRole('button', { name: 'Keep the key' }).click();
  await page.getByText('This is no private key in PEM', { exact: false }).waitFor();
  await expect(field('Selector').inputValue()).resolves.toBe('jan2027');
  await field('Private key').fill('');
  await page.getByRole('button', { name: 'Keep the key' }).click();
  await page.getByText(/^jan2027\._domainkey\.larkfield\.example\. TXT/).waitFor();
  await page.getByRole('button', { name: 'Sign with jan2027' }).click();
  await page.getByRole('button', { name: 'Sign no longer with jan2027' }).waitFor();
  await publish();
  expect((await send('From the console'))[0]!.map(([selector]) => selector)).toEqual(['dec2026', 'jan2027']);
  await page.getByRole('button', { name: 'Remove dec2026' }).click();
  await page.getByRole('button', { name: 'Yes, remove dec2026' }).click();
  await until(async () => (await service.client.dkimKeys({ id: list.brandId })).length === 1);
});
