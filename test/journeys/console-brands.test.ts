import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { gone, openBrowser, signIn } from '../support/browser.ts';
import { EMAIL, PASSWORD, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let browser: Browser;
let page: Page;
let first: number;
let second: number;
let listId: number;

beforeAll(async () => {
  service = await startRealService();
  const { client } = service;
  const brand = async (name: string) =>
    (
      await client.createBrand({
        name,
        fromAddress: 'digest@larkfield.example',
        returnDomain: 'returns.larkfield.example',
      })
    ).id;
  [first, second] = [await brand('Larkfield Observatory'), await brand('Larkfield Friends')];
  listId = (await client.createList({ brandId: first, name: 'Night Digest' })).id;
  await client.createList({ brandId: first, name: 'Open Evenings' });
  const { id } = await client.importFile({
    listId,
    fileName: 'people.csv',
    file: 'address,name\nada@lanternpost.example,Ada\nbo@lanternpost.example,Bo\ncy@quillmail.example,Cy',
  });
  await until(async () => (await client.import({ id })).state === 'finished');
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const go = async (path: string, on = page): Promise<void> => {
  await on.goto(`${service.console}${path}`);
  await on.getByRole('heading', { level: 1 }).waitFor();
};
const headline = (text: string | RegExp, on = page): Promise<void> =>
  on.getByRole('heading', { level: 1, name: text }).waitFor();
const chooseBrand = async (name: string, on = page): Promise<void> => {
  await on.getByRole('button', { name: /^Brand:/ }).click();
  await on.getByRole('menuitem', { name }).click();
  await on.getByRole('button', { name: `Brand: ${name}` }).waitFor();
};
const contactId = async (address: string): Promise<number> => (await service.client.check({ address })).contact!.id;

describe('the brand stands in the address', () => {
  test('two tabs look at two brands, also after a reload and going back', async () => {
    await go('/contacts');
    const other = await page.context().newPage();
    await go('/contacts', other);
    await chooseBrand('Larkfield Friends', other);
    expect(new URL(other.url()).pathname).toBe(`/brand/${second}/contacts`);
    await page.reload();
    await page.getByRole('button', { name: 'Brand: Larkfield Observatory' }).waitFor();
    await other.reload();
    await other.getByRole('button', { name: 'Brand: Larkfield Friends' }).waitFor();
    await other.getByRole('link', { name: 'Rules' }).click();
    expect(new URL(other.url()).pathname).toBe(`/brand/${second}/rules`);
    await other.goBack();
    await other.goBack();
    await other.getByRole('button', { name: 'Brand: Larkfield Observatory' }).waitFor();
    await headline(/^3 contacts are/, other);
    await other.close();
  });

  test('a brand without anybody shows nobody of another: no contact, import, list, rate or sunset', async () => {
    await go(`/brand/${second}/contacts`);
    await headline(/^0 contacts/);
    await go(`/brand/${second}/contacts/import`);
    await page.waitForLoadState('networkidle');
    await gone(page.getByText('people.csv'));
    await go(`/brand/${second}/contacts/waiting`);
    await headline('Nobody waits to confirm');
    await go(`/brand/${second}/`);
    // Nobody reads before it that all is in order: the first headline is the last.
    expect(await page.getByRole('heading', { level: 1 }).textContent()).toMatch(/^[12] of 5 first steps/);
    // What is nought is left out, and nothing is said twice.
    await page.getByText('Nobody came in, and nobody left.').waitFor();
    await gone(page.getByRole('heading', { name: 'Nothing needs a look', exact: true }));
    await go(`/brand/${second}/suppression`);
    await gone(page.getByText('Night Digest'));
  });

  test('what is of another brand says so, and leads there; a contact stays the same person', async () => {
    const { id } = await service.client.createSegment({ brandId: first, name: 'Named', condition: 'name is set' });
    await go(`/brand/${second}/segments/${id}`);
    await page
      .getByRole('note')
      .filter({ hasText: 'This segment is of Larkfield Observatory, not of Larkfield Friends.' })
      .waitFor();
    await page.getByRole('button', { name: 'Look at Larkfield Observatory' }).click();
    await page.getByRole('button', { name: 'Brand: Larkfield Observatory' }).waitFor();
    expect([new URL(page.url()).pathname, await page.getByRole('note').count()]).toEqual([
      `/brand/${first}/segments/${id}`,
      0,
    ]);
    const ada = await contactId('ada@lanternpost.example');
    await go(`/brand/${first}/contacts/${ada}`);
    await chooseBrand('Larkfield Friends');
    await headline(/^We may not write to Ada for Larkfield Friends/);
    await chooseBrand('Larkfield Observatory');
  });

  test('a wrong address says so, and so does a brand that is none', async () => {
    await go(`/brand/${first}/contatcs`);
    await headline('There is no such page');
    await page.getByText('Nothing stands under /contatcs.').waitFor();
    await go('/brand/99/contacts');
    await headline('There is no brand 99');
    await page.getByRole('button', { name: 'Larkfield Friends' }).click();
    await page.getByRole('button', { name: 'Brand: Larkfield Friends' }).waitFor();
    await chooseBrand('Larkfield Observatory');
  });
});

test('whose session ended elsewhere signs in again where they were, and what was typed is still there', async () => {
  await go(`/brand/${first}/segments/new?condition=${encodeURIComponent('name is set')}`);
  await page.getByRole('textbox', { name: 'Name', exact: true }).fill('Half typed');
  await page.getByLabel('Why').fill('for the autumn');
  for (const { id, isThis } of await service.client.sessions()) if (!isThis) await service.client.endSession({ id });
  // What the page asks by itself may notice it before the press does.
  const press = page.getByRole('button', { name: 'Keep the segment' }).click({ timeout: 5000 });
  await Promise.all([press.catch(() => undefined), page.getByText('Your session has ended.').waitFor()]);
  await page.getByRole('textbox', { name: 'Address' }).fill(EMAIL);
  await page.getByRole('textbox', { name: 'Password' }).fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('button', { name: 'Keep the segment' }).waitFor();
  expect(await page.getByRole('textbox', { name: 'Name', exact: true }).inputValue()).toBe('Half typed');
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.waitForURL(/\/segments\/\d+$/);
  expect((await service.client.segments({ brandId: first })).map(({ name }) => name)).toContain('Half typed');
});

describe('suppression', () => {
  test('a domain says whom it stops before it is entered; it is not lifted through one person but on its own page', async () => {
    const { id: own } = await service.client.createSuppressionList({ name: 'Do not write' });
    await go(`/brand/${first}/suppression?list=${own}`);
    await page.getByRole('button', { name: 'Add entries' }).click();
    await page.getByLabel(/one a line/).fill('lanternpost.example');
    await page.getByText('2 contacts of ours would be stopped: 2 at lanternpost.example.').waitFor();
    await page.getByLabel('Reason').fill('their lawyer asked');
    await page.getByRole('button', { name: 'Enter them on Do not write' }).click();
    await page.getByText('1 entered, 0 stood there already').waitFor();
    await go(`/brand/${first}/contacts/${await contactId('ada@lanternpost.example')}`);
    await page.getByText('The domain lanternpost.example is on Do not write').waitFor();
    await page.getByText('It stops 2 contacts.').waitFor();
    await gone(page.getByRole('button', { name: /Lift/ }));
    await page.getByRole('link', { name: 'Look at the entry' }).click();
    await page.getByRole('checkbox', { name: 'Pick lanternpost.example' }).check();
    await page.getByText('2 contacts are stopped by them').waitFor();
    await page.getByLabel('Why may we write again?').fill('settled');
    await page.getByRole('button', { name: 'Lift 1 entry' }).click();
    await page.getByText('No entry matches.').waitFor();
    expect((await service.client.check({ address: 'bo@lanternpost.example' })).brands[0]).toMatchObject({
      eligible: true,
    });
  });

  test('several at once are lifted, digests and addresses of nobody among them; what people said themselves cannot be picked', async () => {
    const own = (await service.client.suppressionLists()).find(({ name }) => name === 'Do not write')!;
    await service.client.addEntries({
      id: own.id,
      values: ['nobody@x.example', 'a'.repeat(64), 'stays@x.example'],
      reason: 'for a while',
    });
    await service.client.unsubscribeContact({ address: 'cy@quillmail.example', reason: 'by letter', brandId: first });
    await go(`/brand/${first}/suppression?list=${own.id}`);
    await page.getByRole('checkbox', { name: 'Pick nobody@x.example' }).check();
    await page.getByRole('checkbox', { name: /^Pick aaaa/ }).check();
    await page.getByText('No contact is stopped by them.').waitFor();
    await page.getByLabel('Why may we write again?').fill('a mistake');
    await page.getByRole('button', { name: 'Lift 2 entries' }).click();
    await page.getByRole('heading', { name: /^Do not write: 1 in effect/ }).waitFor();
    const optOut = (await service.client.suppressionLists()).find(
      ({ builtIn, scopeId }) => builtIn === 'opt-out' && scopeId === first,
    )!;
    await go(`/brand/${first}/suppression?list=${optOut.id}`);
    await page.getByRole('row', { name: /cy@quillmail\.example/ }).waitFor();
    await gone(page.getByRole('checkbox'));
  });

  test('a list of one’s own can be for one list alone, and stops that list alone', async () => {
    await go(`/brand/${first}/suppression`);
    await page.getByRole('button', { name: 'New list' }).click();
    await page.getByLabel('Name').fill('Not the digest');
    await page.getByRole('combobox', { name: 'Where it applies' }).click();
    await page.getByRole('option', { name: 'Night Digest alone' }).click();
    await page.getByRole('button', { name: 'Create the list' }).click();
    await page.getByRole('button', { name: /^Not the digest/ }).waitFor();
    expect((await service.client.suppressionLists()).find(({ name }) => name === 'Not the digest')).toMatchObject({
      scope: 'list',
      scopeId: listId,
    });
    await page.goto(`${service.console}/brand/${second}/suppression`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await gone(page.getByRole('button', { name: /^Not the digest/ }));
  });
});

test('by telephone one is taken off one list alone', async () => {
  const evenings = (await service.client.lists()).find(({ name }) => name === 'Open Evenings')!;
  const { id: importId } = await service.client.importFile({
    listId: evenings.id,
    fileName: 'bo.csv',
    file: 'address\nbo@lanternpost.example',
  });
  await until(async () => (await service.client.import({ id: importId })).state === 'finished');
  const id = await contactId('bo@lanternpost.example');
  await go(`/brand/${first}/contacts/${id}`);
  await page.getByRole('button', { name: 'Unsubscribe, as they asked' }).click();
  await page.getByRole('combobox', { name: 'What do they want no more of?' }).click();
  await page.getByRole('option', { name: 'Open Evenings alone' }).click();
  await page.getByLabel('What did they say, and how?').fill('only the digest, on the telephone');
  await page.getByRole('button', { name: 'No more from Open Evenings' }).click();
  await until(
    async () =>
      (await service.client.contact({ id })).subscriptions.find(({ listId: of }) => of === evenings.id)!.state ===
      'unsubscribed',
  );
  expect((await service.client.contact({ id })).subscriptions.find(({ listId: of }) => of === listId)!.state).toBe(
    'subscribed',
  );
});

test('a contact that is restored is not archived in the title any more, in two steps', async () => {
  const address = 'ada@lanternpost.example';
  const selection = { act: 'archive' as const, addresses: [address] };
  const { stillMailable } = await service.client.previewAct(selection);
  await service.client.applyAct({ ...selection, expect: 1, expectMailable: stillMailable.contacts, reason: 'moved' });
  await go(`/brand/${first}/contacts/${await contactId(address)}`);
  await headline(/archived/);
  await page.getByRole('button', { name: 'Restore from the archive' }).click();
  await page.getByLabel('Why').fill('moved back');
  await page.getByRole('button', { name: 'Restore', exact: true }).click();
  await headline('We may write to Ada for Larkfield Observatory.');
});
