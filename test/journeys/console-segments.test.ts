import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let browser: Browser;
let page: Page;
let listId: number;
let brandId: number;

beforeAll(async () => {
  service = await startRealService();
  const list = await makeList(service.client, Array.from({ length: 30 }, (_, index) => `reader${index}@${index % 3 ? 'lanternpost' : 'quillmail'}.example`)); // prettier-ignore
  ({ id: listId, brandId } = list);
  await service.client.applyAct({ act: 'tag', tag: 'board', addresses: Array.from({ length: 12 }, (_, index) => `reader${index}@${index % 3 ? 'lanternpost' : 'quillmail'}.example`), expect: 12, reason: 'a test' }); // prettier-ignore
  browser = await openBrowser();
  page = await signIn(browser, service, { viewport: { width: 1280, height: 900 } });
  await page.getByRole('navigation', { name: 'Places' }).waitFor();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const headline = (text: string): Promise<void> => page.getByRole('heading', { level: 1, name: text }).waitFor();
const asText = () => page.getByRole('textbox', { name: 'Condition' });

test('a condition is built with the keyboard alone, counted as it grows, kept, changed as text, frozen and compared', async () => {
  await page.goto(`${service.console}/segments/new`);
  // The first part waits to be written.
  const part = page.getByRole('combobox', { name: 'A part, in words' });
  await part.focus();
  await page.keyboard.type('tagged "bo');
  await page.getByRole('option', { name: 'tagged "board"' }).waitFor();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await headline('12 of 30 match');
  await page.getByRole('button', { name: 'Add a group' }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.type('domain is "quillmail.example"');
  await part.first().focus();
  await page.keyboard.type('domain is "nowhere.example"');
  await page.keyboard.press('Tab');
  await headline('4 of 30 match');
  await expect(asText().inputValue()).resolves.toMatch(/^tagged "board"\nand \(domain is .*\nor domain is .*\)$/);
  const group = page.getByRole('group', { name: 'any of these' });
  await group.getByRole('combobox').first().selectOption('none');
  await headline('8 of 30 match');
  // What a part alone matches is a door to those contacts.
  await expect(page.getByRole('link', { name: '12 match “tagged "board"”' }).getAttribute('href')).resolves.toBe(`/contacts?where=${encodeURIComponent('tagged "board"')}`); // prettier-ignore
  await page.getByLabel('Name', { exact: true }).fill('Of the board');
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.getByText('Segment “Of the board”').waitFor();

  // The text leads, and the rows follow it; a slip is shown at its place, and what was typed stays.
  await asText().fill('tagged "board" and joined in the lst 30 days');
  await page.getByText('Did you mean “last”?').waitFor();
  await asText().fill('tagged "board"');
  await headline('12 of 30 match');
  await page.getByRole('button', { name: 'Remove “tagged "board"”' }).waitFor();
  await page.getByRole('button', { name: 'Freeze a snapshot of the kept version' }).click();
  await page.getByRole('complementary').getByRole('link', { name: '8', exact: true }).waitFor();
  await page.getByLabel('Why').fill('the shop joins them');
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.getByText('2, ').filter({ hasText: 'the shop joins them' }).waitFor();
  await page.getByRole('complementary').getByRole('link', { name: '8', exact: true }).click();
  await headline('4 came in and 0 left since then');
  await page.getByRole('cell', { name: 'reader0@quillmail.example' }).waitFor();
}); // prettier-ignore

test('who goes elsewhere while a new segment is being kept stays there', async () => {
  await page.goto(
    `${service.console}/segments/new?name=All%20but%20those&condition=${encodeURIComponent('not tagged "board"')}`,
  );
  await headline('18 of 30 match');
  let goOn = (): void => undefined;
  const gone = new Promise<void>((resolve) => (goOn = resolve));
  await page.route('**/api/v1/segments', async (route) => (await gone, await route.continue()));
  const kept = page.waitForResponse((response) => response.request().method() === 'POST' && response.url().endsWith('/segments')); // prettier-ignore
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Suppression' }).click();
  await page.getByRole('table').first().waitFor();
  // What is shown is asked for again once the segment is kept; what leads to another page would have led there before.
  const again = page.waitForResponse((response) => response.url().includes('/suppression'));
  goOn();
  await expect((await kept).json()).resolves.toMatchObject({ name: 'All but those' });
  await again;
  await page.unroute('**/api/v1/segments');
  expect(new URL(page.url()).pathname).toBe('/suppression');
});

test('a campaign takes the segment in and leaves another out; contacts are found by a condition', async () => {
  const board = (await service.client.segments(brandId)).find(({ name }) => name === 'Of the board');
  const quill = await service.client.createSegment({ brandId, name: 'At quillmail', condition: 'domain is "quillmail.example"' }); // prettier-ignore
  const campaign = await service.client.createCampaign({ brandId, name: 'To the board', subject: 's', html: '<p>x</p>', listIds: [listId] }); // prettier-ignore
  await page.goto(`${service.console}/campaigns/${campaign.id}`);
  await page.getByRole('button', { name: 'Edit', exact: false }).first().click();
  await page.getByRole('combobox', { name: 'Taken in' }).click({ force: true });
  await page.getByRole('option', { name: 'Of the board' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('combobox', { name: 'Left out' }).click({ force: true });
  await page.getByRole('option', { name: 'At quillmail' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Save the draft' }).click();
  await until(async () => (await service.client.campaign(campaign.id)).leftOutSegmentIds.length === 1);
  expect(await service.client.campaign(campaign.id)).toMatchObject({ segmentIds: [board!.id], leftOutSegmentIds: [quill.id] }); // prettier-ignore
  await headline('20 of 30 will get this');
  await page.goto(`${service.console}/contacts`);
  await page.getByRole('textbox', { name: 'Condition' }).fill('segment "Of the board" and not segment "At quillmail"');
  await page.getByRole('textbox', { name: 'Condition' }).press('Enter');
  await headline('8 contacts match');
});

test('a coverage of the ladder that cannot be read is said beside it, and what was typed stays', async () => {
  await page.goto(`${service.console}/rules`);
  const covers = page.getByRole('textbox', { name: 'Condition of whom the ladder covers' });
  await covers.fill('purchasd in the last 12 months');
  await covers.press('Enter');
  await page.getByText('Did you mean “purchased”?').waitFor();
  await expect(covers.inputValue()).resolves.toBe('purchasd in the last 12 months');
  await covers.fill('segment "Of the board"');
  await covers.press('Enter');
  await page.getByText('Did you mean “purchased”?').waitFor({ state: 'hidden' });
  await page.getByText(/changed and not yet applied/).waitFor();
});
