import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { atRest, gone, openBrowser, signIn } from '../support/browser.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';
import type { List } from '../../src/shared/contract/organisation.ts';

/** After an act the page shows what is now: nothing is loaded again in between. */
let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let browser: Browser;
let page: Page;
let list: List;

const at = (name: string): string => `${name}@lanternpost.example`;
const NAMES = Array.from({ length: 30 }, (_, index) => `reader${index}`);

beforeAll(async () => {
  service = await startRealService();
  list = await makeList(service.client, NAMES.map(at));
  sink = await startSink(service.relayPort);
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await sink.close();
  await service.stop();
});

const go = async (path: string): Promise<void> => {
  await page.goto(`${service.console}${path}`);
  await atRest(page);
};
const headline = (text: string | RegExp): Promise<void> =>
  page.getByRole('heading', { level: 1, name: text }).waitFor();
const press = (name: string | RegExp) => page.getByRole('button', { name, exact: typeof name === 'string' }).click();
const contactPage = async (name: string): Promise<void> =>
  go(`/contacts/${(await service.client.check({ address: at(name) })).contact!.id}`);

describe('on a contact', () => {
  test('whoever is taken off as they asked may not be written to in the headline', async () => {
    await contactPage('reader1');
    await headline('We may write to Reader 1 for Larkfield Observatory.');
    await press('Unsubscribe, as they asked');
    await page.getByLabel('What did they say, and how?').fill('on the telephone');
    await press('No more from Larkfield Observatory');
    await headline(/^We may not write to Reader 1 for Larkfield Observatory: /);
    await page.getByRole('heading', { name: 'Why' }).waitFor();
  });

  test('an entry that is lifted is gone from the reasons, and they may be written to', async () => {
    const own = await service.client.createSuppressionList({ name: 'Do not write' });
    await service.client.addEntries({ id: own.id, values: [at('reader2')], reason: 'asked by letter' });
    await contactPage('reader2');
    await headline(/^We may not write to Reader 2/);
    await press('Lift it, with a reason');
    await page.getByLabel('Why may we write again?').fill('asked again');
    await press('Lift the entry');
    await headline('We may write to Reader 2 for Larkfield Observatory.');
    await page.getByText('Nothing stands in the way.').waitFor();
  });

  test('a domain’s entry is named as such in the verdict', async () => {
    const own = (await service.client.suppressionLists()).find(({ name }) => name === 'Do not write')!;
    const { id } = await makeList(service.client, ['ann@hearthmail.example'], 'Of the domain');
    await service.client.addEntries({
      id: own.id,
      values: ['hearthmail.example'],
      reason: 'a mailbox house that asked',
    });
    await go(`/contacts/${(await service.client.check({ address: 'ann@hearthmail.example' })).contact!.id}`);
    await headline(/: by its domain hearthmail\.example on the list “Do not write”/);
    expect(id).toBeGreaterThan(0);
  });
});

describe('on lists', () => {
  test('whoever is archived leaves the contacts that are not, and the figures of the page go along', async () => {
    await go('/contacts?archived=no&part=reader2');
    // 2, and 20 to 29.
    await headline('11 contacts match');
    await page.getByRole('checkbox', { name: `Pick ${at('reader21')}` }).check();
    await page.getByRole('combobox', { name: 'What to do' }).click();
    await page.getByRole('option', { name: 'Archive them' }).click();
    await press('Count whom it would change');
    await press('See what it would change');
    await press('Say why');
    await page.getByLabel('Why').fill('moved away');
    await page.getByLabel(/may still be written to/).fill('1');
    await press('Archive 1');
    await page.getByText(/^Applied as run/).waitFor();
    await headline('10 contacts match');
    await page.getByText('10 of 10').waitFor();
  });

  test('the entries of a list and of all go up as they are entered, and down as they are lifted', async () => {
    const own = (await service.client.suppressionLists()).find(({ name }) => name === 'Do not write')!;
    await go(`/suppression?list=${own.id}`);
    const before = Number(/^(\d+)/.exec((await page.getByRole('heading', { level: 1 }).textContent())!)![1]);
    await press('Add entries');
    await page.getByLabel(/one a line/).fill(`${at('reader3')}\n${at('reader4')}`);
    await page.getByLabel('Reason').fill('asked in person');
    await press('Enter them on Do not write');
    await headline(new RegExp(`^${before + 2} entries keep`));
    // The rows move while the new ones come in.
    await atRest(page);
    await page.getByRole('checkbox', { name: `Pick ${at('reader4')}` }).check();
    await page.getByLabel('Why may we write again?').fill('a slip');
    await press('Lift 1 entry');
    await headline(new RegExp(`^${before + 1} entries keep`));
    await gone(page.getByRole('checkbox', { name: `Pick ${at('reader4')}` }));
  });

  test('a page of many turns both ways, and the focus stays with what turns it', async () => {
    await go('/contacts?of=all');
    const first = await page.locator('main table.rows tbody tr').first().textContent();
    await page.getByRole('button', { name: 'Next 25' }).focus();
    await page.keyboard.press('Enter');
    await until(async () => (await page.locator('main table.rows tbody tr').count()) < 25);
    await until(async () => Boolean(await page.evaluate('document.activeElement !== document.body')));
    // A page that is opened in its middle knows none before it, but the beginning.
    await page.reload();
    await press('Back 25');
    await until(async () => (await page.locator('main table.rows tbody tr').first().textContent()) === first);
    await gone(page.getByRole('button', { name: /^Back|^From the beginning/ }));
  });
});

describe('on a campaign', () => {
  test('the count of a draft goes along with an entry, and its report ends by itself', async () => {
    const id = await makeCampaign(service.client, list, 'Night Digest 1');
    await go(`/campaigns/${id}`);
    const { willGet } = await service.client.preflight({ id });
    await headline(`${willGet} of 30 will get this`);
    await press(/^Send to/);
    await press(/^Yes, send/);
    await headline(/^\d+ (person|people) opened it/);
    expect((await service.client.report({ id })).ledger.accepted).toBe(willGet);
    await gone(page.getByRole('heading', { name: 'Under way' }));
  });
});

describe('on an import', () => {
  test('what is applying ends in the bar and on its page', async () => {
    await go('/contacts/import');
    await page
      .locator('input[type=file]')
      .setInputFiles({ name: 'few.csv', mimeType: 'text/csv', buffer: Buffer.from('address\nfew@quillmail.example') });
    await page.getByRole('combobox', { name: 'List' }).click();
    await page.getByRole('option', { name: 'Night Digest' }).click();
    await press('Dry run');
    await headline('1 of 1 rows would come in or change something');
    await press('Import 1 row');
    await headline('1 of 1 rows came in or changed something');
    await page.getByRole('banner').getByText('few.csv').waitFor({ state: 'detached' });
  });

  test('its undo says how far it is, and at its end that nothing of it stands', async () => {
    const rows = Array.from({ length: 30_000 }, (_, row) => `guest${row}@quillmail.example`);
    const { id } = await service.client.importFile({
      listId: list.id,
      fileName: 'guests.csv',
      file: `address\n${rows.join('\n')}`,
    });
    await until(async () => (await service.client.import({ id })).state === 'finished');
    await go(`/runs/${(await service.client.import({ id })).runId}`);
    await page.getByLabel(/Why/).fill('the wrong file');
    await press('Put everything back');
    await page.getByRole('main').getByRole('progressbar').waitFor();
    await page.getByRole('heading', { name: 'Being undone' }).waitFor();
    await page.getByRole('heading', { name: 'Undone', exact: true }).waitFor();
    expect((await service.client.contacts({ brandId: list.brandId, part: 'guest' })).total).toBe(0);
  });
});

test('a name of two hundred characters widens no page, and whoever was erased says so on theirs', async () => {
  const name = 'Wilhelmina'.repeat(20);
  const { id } = await service.client.importFile({
    listId: list.id,
    fileName: 'long.csv',
    file: `address,name\n${at('long')},${name}\n${at('erased')},Lu`,
  });
  await until(async () => (await service.client.import({ id })).state === 'finished');
  const long = (await service.client.check({ address: at('long') })).contact!.id;
  const erased = (await service.client.check({ address: at('erased') })).contact!.id;
  for (const path of ['/contacts?of=all&part=wilhelmina', `/contacts/${long}`, '/contacts?of=all&order=newest']) {
    await go(path);
    await page.getByText(name).first().waitFor();
    expect([path, await page.evaluate('document.documentElement.scrollWidth')]).toEqual([path, 1280]);
  }
  const selection = { act: 'erase' as const, addresses: [at('erased')] };
  const { stillMailable } = await service.client.previewAct(selection);
  await service.client.applyAct({ ...selection, expect: 1, expectMailable: stillMailable.contacts, reason: 'asked' });
  await go(`/contacts/${erased}`);
  await headline('This person was erased');
  await gone(page.getByText('Lu', { exact: true }));
});

test('a brand that has sent nothing yet is led through its first steps, and each that is done is ticked', async () => {
  const { id } = await service.client.createBrand({
    name: 'Larkfield Friends',
    fromAddress: 'friends@larkfield.example',
    returnDomain: 'returns.friends.example',
  });
  await go(`/brand/${id}`);
  const steps = page.locator('[class*=firstSteps] li');
  // The brand is made, and a relay is there.
  const done = (count: number): Promise<void> =>
    until(async () => (await steps.filter({ has: page.getByLabel('done') }).count()) === count, 10_000);
  await done(2);
  await expect(page.locator('[aria-current=step]').textContent()).resolves.toMatch(/^2Make a list/);
  const own = await service.client.createList({ brandId: id, name: 'Friends’ Letter' });
  const { id: importId } = await service.client.importFile({
    listId: own.id,
    fileName: 'one.csv',
    file: 'address\nfriend.quin@lanternpost.example',
  });
  await until(async () => (await service.client.import({ id: importId })).state === 'finished');
  await go(`/brand/${id}`);
  await page.getByText('1 person is on them').waitFor();
  await done(4);
  await expect(page.locator('[aria-current=step] [class*=words]').textContent()).resolves.toBe(
    'Send yourself a test message',
  );
  await service.client.createCampaign({
    brandId: id,
    name: 'First',
    subject: 's',
    html: '<p>x</p>',
    listIds: [own.id],
  });
  await go(`/brand/${id}`);
  await gone(steps);
});

test('on a phone acts come before history, an entry list into view, and the other pages about contacts under one menu', async () => {
  const phone = await signIn(browser, service, { viewport: { width: 390, height: 800 } });
  await phone.goto(
    `${service.console}/contacts/${(await service.client.check({ address: at('reader5') })).contact!.id}`,
  );
  await atRest(phone);
  const top = async (name: string): Promise<number> => (await phone.getByRole('heading', { name }).boundingBox())!.y;
  expect(await top('What can be done')).toBeLessThan(await top('Time line'));
  await phone.goto(`${service.console}/contacts`);
  await phone.getByRole('button', { name: 'More of contacts' }).click();
  await phone.getByRole('menuitem', { name: 'Archive and cost' }).click();
  await phone.waitForURL(/\/contacts\/cost$/);
  await phone.goto(`${service.console}/suppression`);
  await atRest(phone);
  await phone.getByRole('button', { name: /^Do not write/ }).click();
  await until(async () => (await phone.getByRole('heading', { name: /^Do not write: / }).boundingBox())!.y < 400);
  await phone.goto(`${service.console}/rules`);
  await atRest(phone);
  const chart = phone.getByRole('group', { name: /^Contacts by days of silence/ });
  expect((await chart.boundingBox())!.width).toBeLessThanOrEqual(358);
  const fits = `((box) => box.scrollWidth <= box.clientWidth)(document.querySelector('[aria-label^="Contacts by days of silence"]').parentElement)`;
  await expect(phone.evaluate(fits)).resolves.toBe(true);
});
