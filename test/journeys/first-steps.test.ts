import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Locator, Page } from 'playwright-core';
import { gone, openBrowser, signIn, giveFile } from '../support/browser.ts';
import { EMAIL, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

/** An empty Avendel, led from nothing to the first message by the console alone. Each test goes on from the last. */
let service: Running;
let browser: Browser;
let page: Page;
/** The relay, from where it is there. */
let sink: Awaited<ReturnType<typeof startSink>> | undefined;

beforeAll(async () => {
  service = await startRealService();
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await sink?.close();
  await service.stop();
});

const steps = (): Locator => page.locator('[class*=firstSteps] li');
const next = (words: string): Promise<void> => page.locator('[aria-current=step]').filter({ hasText: words }).waitFor();
const done = async (count: number): Promise<void> =>
  until(
    async () =>
      (await steps()
        .filter({ has: page.getByLabel('done') })
        .count()) === count,
    15_000,
  );

test('without a brand it asks for one, says what comes after, and keeps what was typed when it is refused', async () => {
  expect(await steps().count()).toBe(5);
  await next('Make a brand');
  await page.getByLabel(/^Name/).fill('Larkfield Observatory');
  await page.getByLabel('Address it sends from').fill('digest@larkfield.example');
  await page.getByLabel('Domain that returns come to').fill('no domain');
  await page.getByRole('button', { name: 'Make the brand' }).click();
  await page.getByRole('alert').filter({ hasText: 'returnDomain' }).waitFor();
  expect(await page.getByLabel(/^Name/).inputValue()).toBe('Larkfield Observatory');
  await page.getByLabel('Domain that returns come to').fill('returns.larkfield.example');
  await page.getByRole('button', { name: 'Make the brand' }).click();
  await page.getByRole('heading', { name: 'First steps of Larkfield Observatory' }).waitFor();
  await done(1);
});

test('the list is made on the spot', async () => {
  await next('Make a list');
  await page.getByLabel(/^Name/).fill('Night Digest');
  await page.getByRole('button', { name: 'Make the list' }).click();
  await done(2);
  expect((await service.client.lists()).map(({ name }) => name)).toEqual(['Night Digest']);
});

test('a relay that does not answer is said not to, with its words, until it does', async () => {
  await next('See that the relay answers');
  await page.getByRole('status').filter({ hasText: 'ECONNREFUSED' }).waitFor();
  // What comes later can be done before.
  await page.getByRole('link', { name: 'Import a file' }).waitFor();
  sink = await startSink(service.relayPort);
  await page.getByRole('button', { name: 'Ask the relay again' }).click();
  await done(3);
  await page.getByText(`The relay smtp://127.0.0.1:${service.relayPort} answers`).waitFor();
});

test('a file is imported, and back on Today the step is ticked', async () => {
  await next('Take contacts in from a file');
  await page.getByRole('link', { name: 'Import a file' }).click();
  await giveFile(page, 'readers.csv', 'address,name\nada@lanternpost.example,Ada\nbo@lanternpost.example,Bo');
  await page.getByRole('combobox', { name: 'List' }).click();
  await page.getByRole('option', { name: 'Night Digest' }).click();
  await page.getByRole('button', { name: 'Dry run' }).click();
  await page.getByRole('button', { name: 'Import 2 rows' }).click();
  await page.getByText('2 of 2 rows came in or changed something').waitFor();
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Today' }).click();
  // A list with double opt-in, as the form proposes: they came by a file, and have not confirmed.
  await page.getByRole('link', { name: '2 subscriptions wait to be confirmed' }).waitFor();
  await page.getByRole('heading', { level: 1, name: '4 of 5 first steps are done' }).waitFor();
  await done(4);
});

test('a test message goes to whoever is signed in, or to another address; a refusal is told', async () => {
  sink!.behaviour.rcpt = (address) =>
    address.startsWith('nobody') ? { code: 550, message: '5.1.1 no such user' } : undefined;
  await next('Send yourself a test message');
  const to = page.getByLabel('Test message to');
  expect(await to.inputValue()).toBe(EMAIL);
  await to.fill('nobody@larkfield.example');
  await page.getByRole('button', { name: 'Send it' }).click();
  await page.getByRole('status').filter({ hasText: '5.1.1 no such user' }).waitFor();
  expect(await to.inputValue()).toBe('nobody@larkfield.example');
  await to.fill(EMAIL);
  await page.getByRole('button', { name: 'Send it' }).click();
  await done(5);
  await page.getByText(/^The relay took a test message on/).waitFor();
  expect(sink!.received.map(({ to }) => to)).toEqual([EMAIL]);
});

test('after a reload all five are still done, and a campaign is what comes next', async () => {
  expect(new URL(page.url()).pathname).toMatch(/^\/brand\/\d+\/?$/);
  await page.reload();
  await done(5);
  expect(await page.locator('[aria-current=step]').count()).toBe(0);
  await page.getByText('Then write a campaign').waitFor();
  const [list] = await service.client.lists();
  await service.client.createCampaign({
    brandId: list!.brandId,
    name: 'First',
    subject: 's',
    html: '<p>x</p>',
    listIds: [list!.id],
  });
  await page.reload();
  await page.getByRole('heading', { level: 1 }).waitFor();
  await gone(steps());
});
