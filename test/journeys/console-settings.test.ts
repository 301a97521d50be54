import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { makeClient } from '../../src/client/client.ts';
import { gone, openBrowser, signIn } from '../support/browser.ts';
import { startSink } from '../support/sink.ts';
import { EMAIL, PASSWORD, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let browser: Browser;
let page: Page;

beforeAll(async () => {
  service = await startRealService();
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const field = (name: string) => page.getByRole('textbox', { name });
const press = (name: string) => page.getByRole('button', { name }).click();
const headline = (text: string | RegExp): Promise<void> =>
  page.getByRole('heading', { level: 1, name: text }).waitFor();
const settings = async (): Promise<void> => {
  await page.goto(`${service.console}/settings`);
  await page.getByRole('heading', { name: 'Lists', exact: true }).waitFor();
};

test('an empty Avendel asks for its first brand, refuses what cannot be one and keeps what was typed', async () => {
  await headline('There is no brand yet');
  await field('Name').fill('Larkfield Observatory');
  await field('Address it sends from').fill('digest@larkfield.example');
  await field('Domain that returns come to').fill('no domain');
  await press('Make the brand');
  await page.getByRole('alert').waitFor();
  await expect(field('Name').inputValue()).resolves.toBe('Larkfield Observatory');
  await field('Domain that returns come to').fill('returns.larkfield.example');
  await press('Make the brand');
  await page.getByRole('navigation', { name: 'Places' }).waitFor();
  expect(await service.client.brands()).toMatchObject([{ name: 'Larkfield Observatory', zone: 'UTC' }]);
});

test('a list is made and changed; a name that is taken is refused in words, and segments go along with a new one', async () => {
  await settings();
  await headline('0 lists with 0 subscriptions, written to from digest@larkfield.example');
  await press('New list');
  await field('Name').fill('Night Digest');
  await field('What is agreed to').fill('Two letters a week.');
  await field('Days after which who has not confirmed is reminded').fill('5');
  await press('Make the list');
  await headline(/^1 list with/);
  expect((await service.client.lists())[0]).toMatchObject({
    optIn: 'double',
    agreement: 'Two letters a week.',
    remindDays: [5],
    expireDays: 14,
  });
  // The list can be there before its form is gone.
  await page.getByRole('button', { name: 'Make the list' }).waitFor({ state: 'detached' });
  await press('New list');
  await field('Name').fill('Night Digest');
  await press('Make the list');
  await page.getByText('This brand has a list “Night Digest”').waitFor();
  await press('Not now');
  const [list] = await service.client.lists();
  const segment = await service.client.createSegment({
    brandId: list!.brandId,
    name: 'On it',
    condition: 'on list "Night Digest"',
  });
  await press('Change Night Digest');
  await field('Name').fill('The Night Digest');
  await field('What is agreed to').fill('One letter a week.');
  await field('Days after which who has not confirmed is reminded').fill('2, 9');
  await press('Keep');
  await page.getByText('agreed to: “One letter a week.”; reminded after 2 and 9 days').waitFor();
  expect((await service.client.segment({ id: segment.id })).condition).toBe('on list "The Night Digest"');
});

test('who is on a list, and who waits to confirm, is behind their figures', async () => {
  const [list] = await service.client.lists();
  await service.client.signUp({ listId: list!.id, address: 'ada@quillmail.example', agreed: 'One letter a week.' });
  await until(async () => (await service.client.listCounts()).some(({ pending }) => pending === 1));
  await settings();
  await page.getByRole('link', { name: '1 to confirm' }).click();
  await headline('1 subscription waits to be confirmed');
  await page.getByRole('link', { name: 'ada@quillmail.example' }).or(page.getByText('ada@quillmail.example')).waitFor();
});

test('a token is shown once and works until it is revoked', async () => {
  await settings();
  await press('New token');
  await field('What it is for').fill('ticket desk');
  await page.getByLabel('Your password').fill(PASSWORD);
  await press('Make a token');
  const token = await page.locator('code').innerText();
  const desk = makeClient({ base: service.console, token });
  expect((await desk.session()).email).toBe(EMAIL);
  await page.getByRole('button', { name: /^Revoke token \d+, ticket desk$/ }).click();
  await press('Yes, ticket desk stops working at once');
  await until(() =>
    desk.session().then(
      () => false,
      () => true,
    ),
  );
  await settings();
  await gone(page.getByText('ticket desk'));
});

test('the brand changes under the page that shows it; the password changes without signing out', async () => {
  await settings();
  await press('Change Larkfield Observatory');
  await field('Address it sends from').fill('sky@larkfield.example');
  await press('Keep');
  await headline(/written to from sky@larkfield\.example$/);
  await press('Change the password');
  await page.getByLabel('Present password').fill('not this one');
  await page.getByLabel('New password').fill('a longer planisphere');
  await press('Change it');
  await page.getByText('No account has this address and password.').waitFor();
  await page.getByLabel('Present password').fill(PASSWORD);
  await press('Change it');
  await page.getByRole('status').filter({ hasText: 'It is changed.' }).waitFor();
  await settings();
});

test('a relay is added, spoken to, put into the order and changed; what somebody else changed meanwhile is not overwritten', async () => {
  const sink = await startSink(service.relayPort);
  await settings();
  await page.getByText('Larkfield Observatory sends through the relay of AVENDEL_RELAY_URL.').waitFor();
  await press('New relay');
  await field('Name').fill('Main');
  await field('Host').fill('relay.quillmail.example');
  await page.getByRole('textbox', { name: 'Port' }).fill(String(service.relayPort));
  await page.getByRole('combobox', { name: 'Encrypted' }).click();
  await page.getByRole('option', { name: 'not, on this machine' }).click();
  await press('Add the relay');
  await page.getByText('relay.quillmail.example is not this machine').waitFor();
  await field('Host').fill('127.0.0.1');
  await field('Account').fill('larkfield');
  await page.getByText('a file', { exact: true }).click();
  await field('Name of the file').fill('../../etc/passwd');
  await press('Add the relay');
  await page.getByText('the name of a file, without a folder').waitFor();
  await field('Account').fill('');
  await press('Add the relay');
  await page.getByRole('button', { name: 'Check Main' }).click();
  await page.getByText('answers: not encrypted, nobody has to sign in.').waitFor();
  await page.getByRole('combobox', { name: 'Larkfield Observatory sends through' }).click();
  await page.getByRole('option', { name: 'Main' }).click();
  await page.keyboard.press('Escape');
  await press('Keep the order');
  await page.getByText('Larkfield Observatory sends through Main.').waitFor();
  // It is used by a brand now.
  await press('Remove Main');
  await press('Yes, remove Main');
  await page.getByText('Take it from their order first').waitFor();
  const [relay] = await service.client.relays();
  expect(relay).toMatchObject({ host: '127.0.0.1', security: 'none', account: '', passwordFile: null });
  await press('Change Main');
  await page.getByRole('textbox', { name: 'Messages at once' }).fill('3');
  await service.client.changeRelay({ id: relay!.id, perHour: 600 });
  await press('Keep');
  await page.getByText(/at version 2 by now/).waitFor();
  expect(await service.client.relays()).toMatchObject([{ connections: 8, perHour: 600, version: 2 }]);
  await press('Go on with mine');
  await press('Keep');
  await page.getByText('not encrypted, nobody signs in, 600 an hour, 3 at once').waitFor();
  expect(await service.client.relays()).toMatchObject([{ connections: 3, perHour: 600, version: 3 }]);
  await service.client.sendThrough({ id: 1, relayIds: [] });
  await sink.close();
});
