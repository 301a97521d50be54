import { afterAll, beforeAll, beforeEach, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { atRest, openBrowser, signIn, giveFile } from '../support/browser.ts';
import { focusedName, makeKeyboard } from '../support/keyboard.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';
import type { List } from '../../src/shared/contract/organisation.ts';

/** Tasks of every week, done with the keyboard alone: no key leaves the focus nowhere. */
let service: Running;
let browser: Browser;
let page: Page;
let list: List;
let keyboard: ReturnType<typeof makeKeyboard>;

const at = (name: string): string => `${name}@lanternpost.example`;

beforeAll(async () => {
  service = await startRealService();
  list = await makeList(service.client, ['ada', 'ben', 'cy'].map(at));
  await service.client.createSuppressionList({ name: 'Do not write' });
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});
beforeEach(() => {
  keyboard = makeKeyboard(page);
});

const go = async (path: string): Promise<void> => {
  await page.goto(`${service.console}${path}`);
  await atRest(page);
};
const headline = (text: string | RegExp): Promise<void> =>
  page.getByRole('heading', { level: 1, name: text }).waitFor();
const contactPage = async (name: string): Promise<void> =>
  go(`/contacts/${(await service.client.check({ address: at(name) })).contact!.id}`);
/** Opens a chooser that has the focus and takes an option by arrows. */
async function take(option: string): Promise<void> {
  await keyboard.press('ArrowDown');
  await page.getByRole('option', { name: option }).waitFor();
  for (let turns = 0; turns < 12; turns++) {
    const marked = page.locator('[role=option][data-combobox-selected]');
    if ((await marked.count()) > 0 && (await marked.textContent())!.includes(option)) break;
    await keyboard.press('ArrowDown');
  }
  await keyboard.press('Enter');
}

test('a list of one’s own for one list alone is made, entries are entered on it, and one is lifted', async () => {
  await go('/suppression');
  await keyboard.tabTo('New list');
  await keyboard.press('Enter');
  await page.getByRole('dialog').waitFor();
  await until(async () => (await focusedName(page)).startsWith('Name'));
  await keyboard.type('Not the digest');
  await keyboard.tabTo(/^Where it applies/);
  await take('Night Digest alone');
  await keyboard.tabTo('Create the list');
  await keyboard.press('Enter');
  await page.getByRole('button', { name: /^Not the digest/ }).waitFor();
  await until(async () => !(await page.getByRole('dialog').isVisible()));
  expect((await service.client.suppressionLists()).find(({ name }) => name === 'Not the digest')).toMatchObject({
    scope: 'list',
    scopeId: list.id,
  });
  // Where the dialog was opened, the focus is again.
  await until(async () => (await focusedName(page)) === 'New list');
  await keyboard.tabTo(/^Not the digest/, 'Shift+Tab');
  await keyboard.press('Enter');
  await page.getByRole('heading', { name: /^Not the digest: 0 in effect/ }).waitFor();
  await keyboard.tabTo('Add entries');
  await keyboard.press('Enter');
  await keyboard.tabTo(/one a line$/);
  await keyboard.type(at('ben'));
  await keyboard.tabTo('Reason');
  await keyboard.type('asked');
  await page.getByText('1 contact of ours would be stopped').waitFor();
  await keyboard.tabTo('Enter them on Not the digest');
  await keyboard.press('Enter');
  await page.getByText('1 entered, 0 stood there already').waitFor();
  await keyboard.tabTo(`Pick ${at('ben')}`);
  await keyboard.press('Space');
  await page.getByText('Lift 1 entry').first().waitFor();
  await keyboard.tabTo('Why may we write again?', 'Shift+Tab');
  await keyboard.type('a slip');
  await keyboard.tabTo('Lift 1 entry');
  await keyboard.press('Enter');
  await page.getByRole('heading', { name: /^Not the digest: 0 in effect, 1 lifted/ }).waitFor();
});

test('by telephone one is taken off one list, from the lookup field', async () => {
  await go('/rules');
  await keyboard.press('/');
  await keyboard.type('ada');
  await keyboard.press('Enter');
  await page.getByRole('dialog', { name: 'Who is ada' }).waitFor();
  await keyboard.tabTo('Reader 0');
  await keyboard.press('Enter');
  await page.getByText('We may write for Larkfield Observatory').waitFor();
  await keyboard.tabTo('Unsubscribe, as they asked');
  await keyboard.press('Enter');
  await keyboard.tabTo(/^What do they want no more of/);
  await take('Night Digest alone');
  await keyboard.tabTo(/^What did they say/);
  await keyboard.type('no more digest');
  await keyboard.tabTo('No more from Night Digest');
  await keyboard.press('Enter');
  await until(async () => !(await service.client.check({ address: at('ada') })).brands[0]!.eligible);
});

test('an entry is lifted on the page of a contact, and they are archived and restored', async () => {
  const own = (await service.client.suppressionLists()).find(({ name }) => name === 'Do not write')!;
  await service.client.addEntries({ id: own.id, values: [at('cy')], reason: 'asked by letter' });
  await contactPage('cy');
  await keyboard.tabTo('Lift it, with a reason');
  await keyboard.press('Enter');
  await keyboard.tabTo('Why may we write again?');
  await keyboard.type('asked again');
  await keyboard.tabTo('Lift the entry');
  await keyboard.press('Enter');
  await headline('We may write to Reader 2 for Larkfield Observatory.');

  await go('/contacts?part=cy');
  await keyboard.tabTo('What to do');
  await take('Archive them');
  await keyboard.tabTo('Count whom it would change');
  await keyboard.press('Enter');
  await page.getByRole('button', { name: 'See what it would change' }).waitFor();
  await keyboard.tabTo('See what it would change');
  await keyboard.press('Enter');
  await until(async () => (await focusedName(page)) === 'Say why');
  await keyboard.press('Enter');
  await keyboard.type('moved');
  await keyboard.tabTo(/may still be written to/);
  await keyboard.type('1');
  await keyboard.tabTo('Archive 1');
  await keyboard.press('Enter');
  await page.getByText(/^Applied as run/).waitFor();

  await contactPage('cy');
  await headline(/archived/);
  await keyboard.tabTo('Restore from the archive');
  await keyboard.press('Enter');
  await keyboard.tabTo('Why');
  await keyboard.type('back');
  await keyboard.tabTo('Restore');
  await keyboard.press('Enter');
  await headline('We may write to Reader 2 for Larkfield Observatory.');
});

test('another brand is looked at, and the way back leads to the first', async () => {
  await service.client.createBrand({
    name: 'Larkfield Friends',
    fromAddress: 'friends@larkfield.example',
    returnDomain: 'returns.friends.example',
  });
  await go('/suppression');
  await keyboard.tabTo(/^Brand: /);
  await keyboard.press('Enter');
  await page.getByRole('menuitem', { name: 'Larkfield Friends' }).waitFor();
  for (let turns = 0; turns < 6 && (await focusedName(page)) !== 'Larkfield Friends'; turns++)
    await keyboard.press('ArrowDown');
  await keyboard.press('Enter');
  await page.getByRole('button', { name: 'Brand: Larkfield Friends' }).waitFor();
  await page.goBack();
  await page.getByRole('button', { name: 'Brand: Larkfield Observatory' }).waitFor();
});

test('held rows are decided, and a corrected column is what is imported', async () => {
  await service.client.saveSeverities({ 'role-name': 'hold' });
  await go('/contacts/import');
  await giveFile(page, 'fair.csv', 'address,stall\ninfo@quillmail.example,12\nfew@quillmail.example,13');
  await page.getByRole('heading', { name: '2 columns' }).waitFor();
  await keyboard.tabTo('List');
  await take('Night Digest');
  await keyboard.tabTo('What stall is', 'Shift+Tab');
  await take('Tags');
  await keyboard.tabTo('Dry run');
  await keyboard.press('Enter');
  await headline('1 of 2 rows would come in or change something');
  await keyboard.tabTo('Import 1 row');
  await keyboard.press('Enter');
  await headline('1 of 2 rows came in or changed something');
  await keyboard.tabTo('Take them in as they are');
  await keyboard.press('Enter');
  await headline('1 of 1 rows came in or changed something');
  expect((await service.client.check({ address: 'info@quillmail.example' })).contact).toMatchObject({ tags: ['12'] });
});

test('however fast one types into a field that narrows a list, every letter stands there, and going back empties it', async () => {
  const own = (await service.client.suppressionLists()).find(({ name }) => name === 'Do not write')!;
  await service.client.addEntries({
    id: own.id,
    values: ['tollgate-freight.example', 'quillmail.example'],
    reason: 'asked',
  });
  await go('/suppression');
  await page.getByRole('button', { name: /^Do not write/ }).click();
  const narrowed = page.getByLabel('Part of an entry');
  const entries = page.getByRole('checkbox', { name: /^Pick/ });
  await narrowed.focus();
  for (const part of ['TollGate', 'tollgate-freight', 'quillmail.example']) {
    await page.keyboard.press('Control+A');
    await page.keyboard.type(part);
    expect(await narrowed.inputValue()).toBe(part);
    await until(async () => (await entries.count()) === 1);
    expect(await narrowed.inputValue()).toBe(part);
    await atRest(page);
  }
  // It stands in the address, whole, and is there again after a reload.
  expect(new URL(page.url()).searchParams.get('part')).toBe('quillmail.example');
  await page.reload();
  await until(async () => (await narrowed.inputValue()) === 'quillmail.example');
  await narrowed.fill('');
  await until(async () => (await entries.count()) === 2);

  await go('/contacts?part=cy');
  await page.getByLabel('Part of an address or name').fill('nobody of that name');
  await page.getByRole('button', { name: 'Show all contacts' }).click();
  await page.getByRole('link', { name: 'Reader 0' }).waitFor();
  expect(await page.getByLabel('Part of an address or name').inputValue()).toBe('');
});
