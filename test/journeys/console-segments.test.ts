import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { focusedName, makeKeyboard } from '../support/keyboard.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let browser: Browser;
let page: Page;
let listId: number;
let brandId: number;

beforeAll(async () => {
  service = await startRealService();
  const list = await makeList(
    service.client,
    Array.from({ length: 30 }, (_, index) => `reader${index}@${index % 3 ? 'lanternpost' : 'quillmail'}.example`),
  );
  ({ id: listId, brandId } = list);
  await service.client.applyAct({
    act: 'tag',
    tag: 'board',
    addresses: Array.from(
      { length: 12 },
      (_, index) => `reader${index}@${index % 3 ? 'lanternpost' : 'quillmail'}.example`,
    ),
    expect: 12,
    reason: 'a test',
  });
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
  await page.keyboard.press('Enter');
  // Its value, then the next part.
  await page.keyboard.press('Enter');
  await page.keyboard.type('domain is "nowhere.example"');
  await page.keyboard.press('Tab');
  await headline('4 of 30 match');
  await expect(asText().inputValue()).resolves.toMatch(/^tagged "board"\nand \(domain is .*\nor domain is .*\)$/);
  const group = page.getByRole('group', { name: 'any of these' });
  await group.getByRole('combobox').first().selectOption('none');
  await headline('8 of 30 match');
  // What a part alone matches is a door to those contacts.
  await expect(page.getByRole('link', { name: '12 match “tagged "board"”' }).getAttribute('href')).resolves.toMatch(
    /^\/brand\/\d+\/contacts\?of=all&where=tagged%20%22board%22$/,
  );
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
});

test('“on a list, and (clicked in 60 days or joined in 30), and not suppressed” takes under 80 keys', async () => {
  await page.goto(`${service.console}/segments`);
  await page.getByRole('link', { name: 'New segment' }).focus();
  const { press, type, keys } = makeKeyboard(page);
  await press('Enter');
  await page.getByRole('combobox', { name: 'A part, in words' }).waitFor();
  await expect(focusedName(page)).resolves.toBe('A part, in words');
  await type('on l');
  await page.getByRole('option', { name: 'on list "Night Digest"', exact: true }).waitFor();
  await press('Enter');
  await expect(focusedName(page)).resolves.toBe('"Night Digest" in “on list "Night Digest"”');
  await press('Enter');
  await expect(focusedName(page)).resolves.toBe('Add a part');
  await press('Tab', 'Enter');
  await type('clic');
  await press('Enter');
  await type('60');
  await press('Enter');
  await expect(focusedName(page)).resolves.toBe('days in “clicked in the last 60 days”');
  await press('Enter');
  await expect(focusedName(page)).resolves.toBe('A part, in words');
  // One list of suggestions at a time.
  await expect(page.getByRole('listbox').count()).resolves.toBe(1);
  await type('joi');
  await press('Enter');
  await type('30');
  await press('Enter', 'Enter');
  await expect(focusedName(page)).resolves.toBe('Add a part');
  await press('Tab', 'Tab', 'Enter');
  await type('not supp');
  await page.getByRole('option', { name: 'not suppressed', exact: true }).waitFor();
  await press('Enter', 'Tab', 'Tab', 'Enter');
  await type('Recent');
  await press('Enter');
  await headline('0 of 30 match');
  await page.getByText('Segment “Recent”').waitFor();
  expect(keys()).toBeLessThan(80);
  const kept = (await service.client.segments({ brandId })).find(({ name }) => name === 'Recent');
  expect(kept!.condition.replaceAll('\n', ' ')).toBe(
    'on list "Night Digest" and (clicked in the last 60 days or joined in the last 30 days) and not suppressed',
  );
  await service.client.removeSegment({ id: kept!.id });
});

test('nothing is red before it is left; what is taken out or changed keeps the focus in the builder', async () => {
  const { press, type } = makeKeyboard(page);
  await page.goto(`${service.console}/segments/new?condition=${encodeURIComponent('clicked in the last 30 days')}`);
  const days = page.getByRole('textbox', { name: '30 in “clicked in the last 30 days”' });
  await days.fill('60');
  await days.press('Enter');
  await expect(asText().inputValue()).resolves.toBe('clicked in the last 60 days');
  // A number and its unit are two: with the keyboard the unit changes where it stands.
  await press('ArrowDown');
  await expect(asText().inputValue()).resolves.toBe('clicked in the last 60 weeks');
  await press('ArrowUp');
  await page.getByRole('textbox', { name: '60 in “clicked in the last 60 days”' }).fill('1');
  await press('Enter');
  await expect(asText().inputValue()).resolves.toBe('clicked in the last 1 day');
  await page.getByRole('button', { name: 'Change the words of “clicked in the last 1 day”' }).focus();
  await press('Enter');
  await type('clicked in the lst 2 days');
  await page.getByText('Did you mean “last”?').waitFor();
  await expect(page.getByRole('alert').count()).resolves.toBe(0);
  await expect(page.locator('.problem, [data-refused], [data-error]').count()).resolves.toBe(0);
  await press('Tab');
  await page.getByRole('alert').filter({ hasText: 'Did you mean “last”?' }).waitFor();
  await page.getByRole('button', { name: 'Remove “clicked in the lst 2 days”' }).focus();
  await press('Enter');
  await expect(focusedName(page)).resolves.toBe('Add a part');
  // A group that leaves out says “not” itself.
  await page.getByRole('group', { name: 'all of these' }).getByRole('combobox').first().selectOption('none');
  await page.getByRole('button', { name: 'Add a part' }).focus();
  await press('Enter');
  await type('not supp');
  await press('Enter');
  await expect(asText().inputValue()).resolves.toBe('not (suppressed)');
  await headline('30 of 30 match');
  // The chooser of how a group is put together shows its focus.
  await page.getByRole('group', { name: 'none of these' }).getByRole('combobox').first().focus();
  await press('Tab', 'Shift+Tab');
  await expect(page.evaluate('getComputedStyle(document.activeElement).outlineStyle')).resolves.toBe('solid');
  await asText().fill('');
});

test('what was said against half a part is not held against the whole one', async () => {
  const { press, type } = makeKeyboard(page);
  await page.goto(`${service.console}/segments/new?name=Half`);
  await page.getByRole('combobox', { name: 'A part, in words' }).waitFor();
  await type('on l');
  await page.getByText('Here should be “list”').waitFor();
  await press('Enter', 'Enter');
  await headline('30 of 30 match');
  await page.getByRole('combobox', { name: '"Night Digest" in “on list "Night Digest"”' }).waitFor();
  await expect(page.getByRole('combobox', { name: 'A part, in words' }).count()).resolves.toBe(0);
});

test('what is typed and not kept is there again after a reload and on coming back, and can be left', async () => {
  const { id } = await service.client.createSegment({ brandId, name: 'Typed', condition: 'tagged "board"' });
  await page.goto(`${service.console}/segments/${id}`);
  await headline('12 of 30 match');
  await asText().fill('not tagged "board"');
  await headline('18 of 30 match');
  await page.reload();
  await page.getByText('What you typed here, and did not keep, is back.').waitFor();
  await expect(asText().inputValue()).resolves.toBe('not tagged "board"');
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Rules' }).click();
  await page.getByRole('heading', { level: 1, name: /stands|would move/ }).waitFor();
  await page.goBack();
  await page.getByText('What you typed here, and did not keep, is back.').waitFor();
  await headline('18 of 30 match');
  await page.getByRole('button', { name: 'Leave it' }).click();
  await headline('12 of 30 match');
  await expect(asText().inputValue()).resolves.toBe('tagged "board"');
  await page.reload();
  await headline('12 of 30 match');
  await expect(page.getByText('What you typed here').count()).resolves.toBe(0);
  await service.client.removeSegment({ id });
});

test('two who change a segment: the second is told, sees what the first changed, and chooses', async () => {
  const { id } = await service.client.createSegment({ brandId, name: 'Both', condition: 'tagged "board"' });
  const at = async (condition: string): Promise<void> => {
    await page.goto(`${service.console}/segments/${id}`);
    await page.getByRole('heading', { level: 1, name: /match/ }).waitFor();
    await asText().fill(condition);
    await page.getByLabel('Why').fill('mine');
  };
  await at('not tagged "board"');
  await service.client.changeSegment({ id, name: 'Both of us', reason: 'theirs' });
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  const told = page.getByRole('alert').filter({ hasText: 'Somebody else has kept a change since you began' });
  await told.waitFor();
  await expect(told.getByRole('row').nth(1).textContent()).resolves.toBe('NameBothBoth of usas it was');
  await expect(service.client.segment({ id })).resolves.toMatchObject({ condition: 'tagged "board"', version: 2 });
  // What was left as it was follows theirs; what was typed stays.
  await told.getByRole('button', { name: 'Go on with mine' }).click();
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.getByText('Kept as version 3.').waitFor();
  await expect(focusedName(page)).resolves.toBe('Kept as version 3.');
  await expect(service.client.segment({ id })).resolves.toMatchObject({
    name: 'Both of us',
    condition: 'not tagged "board"',
  });
  await at('tagged "none"');
  await service.client.changeSegment({ id, condition: 'everyone', reason: 'theirs again' });
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await told.waitFor();
  await told.getByRole('button', { name: 'Leave mine, take what is kept' }).click();
  await headline('30 of 30 match');
  await expect(asText().inputValue()).resolves.toBe('everyone');
  await expect(service.client.segment({ id })).resolves.toMatchObject({ condition: 'everyone', version: 4 });
  await service.client.removeSegment({ id });
});

test('who goes elsewhere while a new segment is being kept stays there', async () => {
  await page.goto(
    `${service.console}/segments/new?name=All%20but%20those&condition=${encodeURIComponent('not tagged "board"')}`,
  );
  await headline('18 of 30 match');
  let goOn = (): void => undefined;
  const gone = new Promise<void>((resolve) => (goOn = resolve));
  await page.route('**/api/v1/segments', async (route) => (await gone, await route.continue()));
  const kept = page.waitForResponse(
    (response) => response.request().method() === 'POST' && response.url().endsWith('/segments'),
  );
  await page.getByRole('button', { name: 'Keep the segment' }).click();
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Suppression' }).click();
  await page.getByRole('table').first().waitFor();
  // What is shown is asked for again once the segment is kept; what leads to another page would have led there before.
  const again = page.waitForResponse((response) => response.url().includes('/suppression'));
  goOn();
  await expect((await kept).json()).resolves.toMatchObject({ name: 'All but those' });
  await again;
  await page.unroute('**/api/v1/segments');
  expect(new URL(page.url()).pathname).toMatch(/^\/brand\/\d+\/suppression$/);
});

test('a campaign takes the segment in and leaves another out; contacts are found by a condition', async () => {
  const board = (await service.client.segments({ brandId })).find(({ name }) => name === 'Of the board');
  const quill = await service.client.createSegment({
    brandId,
    name: 'At quillmail',
    condition: 'domain is "quillmail.example"',
  });
  const campaign = await service.client.createCampaign({
    brandId,
    name: 'To the board',
    subject: 's',
    html: '<p>x</p>',
    listIds: [listId],
  });
  await page.goto(`${service.console}/campaigns/${campaign.id}`);
  await page.getByRole('button', { name: 'Edit', exact: false }).first().click();
  await page.getByRole('combobox', { name: 'Who gets it' }).click({ force: true });
  await page.getByRole('option', { name: 'Of the board' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('combobox', { name: 'Who is left out' }).click({ force: true });
  await page.getByRole('option', { name: 'At quillmail' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Save the draft' }).click();
  await until(async () => (await service.client.campaign({ id: campaign.id })).leftOutSegmentIds.length === 1);
  expect(await service.client.campaign({ id: campaign.id })).toMatchObject({
    segmentIds: [board!.id],
    leftOutSegmentIds: [quill.id],
  });
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
