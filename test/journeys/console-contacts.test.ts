import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { atRest, gone, openBrowser, signIn } from '../support/browser.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';

const ROWS = 600_000;
const file = join(mkdtempSync(join(tmpdir(), 'avendel-')), 'summer-fair.csv');
let service: Running;
let browser: Browser;
let page: Page;

beforeAll(async () => {
  service = await startRealService();
  await makeList(service.client, ['ada@lanternpost.example']);
  writeFileSync(
    file,
    `address,name\n${Array.from({ length: ROWS }, (_, row) => `reader${row}@quillmail.example,Reader ${row}`).join('\n')}\n`,
  );
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const headline = (text: string | RegExp): Promise<void> =>
  page.getByRole('heading', { level: 1, name: text }).waitFor();

test('a long import says how far it is and how long it takes, goes on when the page is left, and is stopped from there', async () => {
  await page.goto(`${service.console}/contacts/import`);
  await page.locator('input[type=file]').setInputFiles(file);
  await page.getByRole('heading', { name: '2 columns' }).waitFor();
  await page.getByRole('combobox', { name: 'List' }).click();
  await page.getByRole('option').first().click();
  await page.getByRole('button', { name: 'Dry run' }).click();
  await page.getByText(/^[\d,]+ of [\d,]+, [\d,]+ a second, \d+ s left$/).waitFor();
  await expect(page.getByRole('button', { name: 'Counting …' }).isDisabled()).resolves.toBe(true);
  // Everywhere else the bar has it, and leads back.
  await page.getByRole('link', { name: 'Suppression' }).click();
  await page.getByRole('progressbar', { name: 'summer-fair.csv: so far' }).waitFor();
  await page.getByRole('banner').getByRole('link', { name: 'summer-fair.csv' }).click();
  await page.getByRole('button', { name: 'Stop' }).click();
  await headline(/^Stopped after [\d,]+ of about [\d,]+ rows$/);
  const [row] = (await service.client.imports()).items;
  expect(row).toMatchObject({ dryRun: true, state: 'cancelled', runId: null });
  expect(row!.rowsDone).toBeLessThan(ROWS);
  expect((await service.client.check({ address: 'reader1@quillmail.example' })).contact).toBeNull();
});

test('an earlier import opens with its outcome and its run, and a number that is none says so', async () => {
  const [list] = await service.client.lists();
  const { id } = await service.client.importFile({
    listId: list!.id,
    fileName: 'three.csv',
    file: 'address\nben@quillmail.example\ncy@quillmail.example\nno address\n',
  });
  await until(async () => (await service.client.import({ id })).state === 'finished');
  await page.goto(`${service.console}/contacts/import`);
  await page.getByRole('link', { name: 'three.csv' }).click();
  await headline('2 of 3 rows came in or changed something');
  await page.getByRole('row', { name: /^refused/ }).waitFor();
  await page
    .getByRole('main')
    .getByRole('link', { name: /^Run \d+$/ })
    .click();
  await headline(/2/);
  await page.goto(`${service.console}/contacts/import/999`);
  await page.getByRole('alert').filter({ hasText: 'There is no import 999.' }).waitFor();
});

const rowsOf = (lines: string[], name: string) => ({
  name,
  mimeType: 'text/csv',
  buffer: Buffer.from(lines.join('\n')),
});
/** Chooses a file and the first list, as far as its columns. */
async function chooseFile(lines: string[], name: string): Promise<void> {
  await page.goto(`${service.console}/contacts/import`);
  await page.locator('input[type=file]').setInputFiles(rowsOf(lines, name));
  await page.getByRole('heading', { name: /^\d+ columns?/ }).waitFor();
  await page.getByRole('combobox', { name: 'List' }).click();
  await page.getByRole('option').first().click();
}
const chooseUse = async (column: string, use: string): Promise<void> => {
  await page.getByRole('combobox', { name: `What ${column} is` }).click();
  await page.getByRole('option', { name: use, exact: true }).click();
};
test.each([
  ['import', 'imports', ['address,First\nida@tidemail.example,1', 'address,Second\nida@tidemail.example,2']],
  [
    'verifications',
    'verifications',
    ['address,First\nida@tidemail.example,valid', 'address,Second\nida@tidemail.example,valid'],
  ],
])(
  'of two files chosen for %s one after the other the second counts, also where the first is read last',
  async (place, asked, files) => {
    let letFirst: () => void = () => undefined;
    const held = new Promise<void>((resolve) => (letFirst = resolve));
    const heads = new RegExp(`/api/v1/${asked}/head`);
    let requests = 0;
    await page.route(heads, async (route) => {
      requests++;
      if (requests === 1) await held;
      await route.continue();
    });
    await page.goto(`${service.console}/contacts/${place}`);
    for (const [n, text] of files.entries()) {
      await page.locator('input[type=file]').setInputFiles(rowsOf([text], `file-${n}.csv`));
      await until(() => requests === n + 1);
    }
    const column = (name: string) =>
      place === 'import'
        ? page.getByRole('combobox', { name: `What ${name} is` })
        : page.getByRole('option', { name, exact: true });
    if (place === 'verifications') await page.getByRole('combobox', { name: 'Column of verdicts' }).click();
    await column('Second').waitFor();
    const late = page.waitForResponse(heads);
    letFirst();
    await late;
    await atRest(page);
    expect([await column('Second').count(), await column('First').count()]).toEqual([1, 0]);
    await page.unroute(heads);
  },
);
const contactOf = async (address: string) => (await service.client.check({ address })).contact;

describe('a page of an import acts on that import alone', () => {
  const FILE = [
    'address,name,Stall',
    'held.ida@refused.example,Ida,7',
    'held.noa@refused.example,Noa,8',
    'info@tidemail.example,Info,9',
    'olaf@tidemail.example,Olaf,10',
  ];

  beforeAll(async () => {
    await service.client.saveSeverities({ 'refuse-list': 'hold', 'role-name': 'hold' });
    await service.client.refuse({ values: ['refused.example'], reason: 'competitors' });
  });

  test('what is imported is what the dry run has read; held rows are decided on its page, and the decisions stand there', async () => {
    await chooseFile(FILE, 'fair.csv');
    // Each sample is of another row.
    await page.getByText('7, 8, 9', { exact: true }).waitFor();
    await page.getByRole('button', { name: 'Dry run' }).click();
    await headline('1 of 4 rows would come in or change something');
    await page.getByRole('heading', { name: '3 rows would wait for your decision' }).waitFor();
    const heads = await page.getByRole('heading', { level: 2 }).allTextContents();
    expect(heads.indexOf('3 rows would wait for your decision')).toBeLessThan(
      heads.indexOf('What would become of each row'),
    );
    // Tried only: nothing of it can be imported from there.
    await page.getByRole('button', { name: 'Try them as they are' }).first().click();
    await headline(/rows would come in or change something$/);
    await page.getByText('Tried only. Decide about the held rows where they wait.').waitFor();
    await gone(page.getByRole('button', { name: /^Import \d/ }));
    await page.getByRole('link', { name: /^Import \d+$/ }).click();
    // A reload loses nothing: the service has the file.
    await page.reload();
    await page.getByRole('button', { name: 'Import 1 row', exact: true }).click();
    await headline('1 of 4 rows came in or changed something');
    expect(await contactOf('olaf@tidemail.example')).toMatchObject({ name: 'Olaf' });
    expect(await contactOf('info@tidemail.example')).toBeNull();
    await page.getByRole('heading', { name: '3 rows wait for your decision' }).waitFor();
    const importPage = page.url();
    const role = page.locator('div', { has: page.getByText(/^1 row: /) }).last();
    await role.getByRole('button', { name: 'Leave them out' }).click();
    await page.getByText(/^Left out, /).waitFor();
    await page.getByRole('heading', { name: '2 rows wait for your decision' }).waitFor();
    await page.getByRole('button', { name: 'Take them in as they are' }).first().click();
    await headline('2 of 2 rows came in or changed something');
    expect(await contactOf('held.ida@refused.example')).toMatchObject({ name: 'Ida' });
    expect(await contactOf('info@tidemail.example')).toBeNull();
    // The page of the rows that were taken in imports nothing more, and leads back.
    await gone(page.getByRole('button', { name: /^(Import \d|Dry run)/ }));
    await page.getByRole('link', { name: /^Import \d+$/ }).click();
    await page.getByRole('heading', { name: '3 rows were held, and decided about' }).waitFor();
    expect(page.url()).toBe(importPage);
    await page.getByText(/^Taken in as they are, .*: import \d+$/).waitFor();
    expect(
      (await service.client.imports()).items.filter(({ fileName, dryRun }) => fileName === 'fair.csv' && !dryRun),
    ).toHaveLength(1);
  });

  test('what stands on the screen is what is sent, also where it is what would have been guessed', async () => {
    const file = ['address,Pitch', 'gil@tidemail.example,north', 'hue@tidemail.example,south'];
    await chooseFile(file, 'pitches.csv');
    await chooseUse('Pitch', 'Tags');
    await page.getByRole('button', { name: 'Dry run' }).click();
    await page.getByText(/Pitch is tags/).waitFor();
    // Back at the file nothing has to be chosen again.
    await page.getByRole('link', { name: 'go back to the file' }).click();
    expect(await page.getByRole('combobox', { name: 'What Pitch is' }).inputValue()).toBe('Tags');
    await chooseUse('Pitch', 'Text');
    await page.getByRole('button', { name: 'Dry run' }).click();
    await page.getByText(/Pitch is pitch/).waitFor();
    await page.getByRole('button', { name: 'Import 2 rows', exact: true }).click();
    await headline('2 of 2 rows came in or changed something');
    const { id } = (await contactOf('gil@tidemail.example'))!;
    expect(await service.client.contact({ id })).toMatchObject({ attributes: { pitch: 'north' }, tags: [] });
    // Said once, it holds for the next file with this header.
    await chooseFile(file, 'pitches-2.csv');
    expect(await page.getByRole('combobox', { name: 'What Pitch is' }).inputValue()).toBe('Text');
  });
});

test('whoever asks by telephone is taken off from the lookup field, without leaving the page', async () => {
  await page.goto(`${service.console}/rules`);
  await page.getByRole('heading', { level: 1 }).waitFor();
  await page.keyboard.press('/');
  await page.keyboard.type('ADA@lanternpost.example');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Unsubscribe, as they asked' }).click();
  await page.getByLabel('What did they say, and how?').fill('asked on the telephone');
  await page.getByRole('button', { name: /^No more from/ }).click();
  await page.getByRole('heading', { name: /^We may not write for/ }).waitFor();
  await gone(page.getByRole('button', { name: 'Unsubscribe, as they asked' }));
  expect(new URL(page.url()).pathname).toMatch(/^\/brand\/\d+\/rules$/);
  const { subscriptions } = await service.client.check({ address: 'ada@lanternpost.example' });
  expect(subscriptions).toMatchObject([{ state: 'unsubscribed' }]);
});

test('exactly what is found is downloaded, with the columns that are wanted', async () => {
  await page.goto(`${service.console}/contacts?part=quillmail`);
  await headline('2 contacts match');
  await page.getByRole('button', { name: 'Download' }).click();
  const saved = async (): Promise<string> => {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: 'Download all that match' }).click(),
    ]);
    return readFileSync(await download.path(), 'utf8');
  };
  await page.getByRole('checkbox', { name: 'joined at' }).uncheck();
  await page.getByRole('checkbox', { name: 'name' }).uncheck();
  expect(await saved()).toBe(
    'address,stage,lists\nben@quillmail.example,new,Night Digest\ncy@quillmail.example,new,Night Digest\n',
  );
  await page.getByText('JSON Lines').click();
  expect((await saved()).split('\n')[0]).toBe(
    '{"address":"ben@quillmail.example","stage":"new","lists":["Night Digest"]}',
  );
});

test('a slip in one address is mended on the contact’s page, through its steps; what cannot be an address is refused', async () => {
  const [list] = await service.client.lists();
  const { id } = await service.client.importFile({
    listId: list!.id,
    fileName: 'slip.csv',
    file: 'address\ndot@quilmail.example\n',
  });
  await until(async () => (await service.client.import({ id })).state === 'finished');
  const slip = (await service.client.check({ address: 'dot@quilmail.example' })).contact!;
  await page.goto(`${service.console}/contacts/${slip.id}`);
  await page.getByRole('button', { name: 'Mend the address' }).click();
  const field = page.getByLabel('What it should be');
  await field.fill('no address');
  await field.press('Enter');
  await page.getByRole('alert').waitFor();
  await field.fill('dot@quillmail.example');
  await field.press('Enter');
  await page.getByText('1 would be mended').waitFor();
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill('one letter is missing');
  await page.getByRole('button', { name: 'Mend 1' }).click();
  await page.getByText(/^Applied as run/).waitFor();
  expect((await service.client.check({ address: 'dot@quillmail.example' })).contact!.id).toBe(slip.id);
});

test('contacts and entries come in the order that is asked for, page by page, and the address bar keeps it', async () => {
  const list = await service.client.createSuppressionList({ name: 'Asked by hand' });
  await service.client.addEntries({
    id: list.id,
    values: ['first@hearthmail.example', 'second@hearthmail.example'],
    reason: 'asked',
  });
  const shown = (column: number): Promise<string[]> =>
    page.locator(`main table.rows tbody td:nth-child(${column})`).allTextContents();
  const choose = async (order: string): Promise<void> => {
    await page.getByRole('combobox', { name: 'Order' }).click();
    await page.getByRole('option', { name: order, exact: true }).click();
  };
  await page.goto(`${service.console}/contacts`);
  await choose('by address, from z');
  await page.locator('th[aria-sort=descending]').waitFor();
  const [brand] = await service.client.brands();
  const known = (await service.client.contacts({ brandId: brand!.id })).items.map(({ address }) => address);
  const isSorted = async (): Promise<boolean> => (await shown(3)).join() === known.sort().reverse().join();
  expect(known.length).toBeGreaterThan(2);
  await until(isSorted);
  await page.reload();
  await until(isSorted);
  await page.goto(`${service.console}/suppression?list=${list.id}`);
  await page.getByText('second@hearthmail.example').waitFor();
  expect(await shown(2)).toEqual(['second@hearthmail.example', 'first@hearthmail.example']);
  await choose('as they came in');
  await until(async () => (await shown(2))[0] === 'first@hearthmail.example');
  await page.getByRole('textbox', { name: 'Part of an entry' }).fill('SECOND');
  await until(async () => (await shown(2)).join() === 'second@hearthmail.example');
  expect(new URL(page.url()).searchParams.toString()).toBe(`list=${list.id}&order=oldest&part=SECOND`);
  await page.goBack();
  await page.getByRole('heading', { level: 1, name: /^\d+ contacts are, or were, on a list of/ }).waitFor();
});
