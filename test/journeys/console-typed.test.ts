import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { atRest, gone, openBrowser, signIn } from '../support/browser.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import type { List } from '../../src/shared/contract/organisation.ts';

/** What is typed and not kept is not lost; who changes what somebody else changed meanwhile is told, and chooses. */
let service: Running;
let browser: Browser;
let page: Page;
let list: List;

beforeAll(async () => {
  service = await startRealService();
  list = await makeList(service.client, ['ada@lanternpost.example', 'ben@lanternpost.example']);
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const go = async (path: string): Promise<void> => {
  await page.goto(`${service.console}${path}`);
  await atRest(page);
};
const field = (name: string) => page.getByRole('textbox', { name, exact: true });
const press = (name: string | RegExp) => page.getByRole('button', { name }).click();
const isBack = () => page.getByText('What you typed here, and did not keep, is back.');
const told = () => page.getByRole('alert').filter({ hasText: 'Somebody else has kept a change since you began' });
const rows = (): Promise<string[]> => told().getByRole('row').allTextContents();

test('a draft that is left, or loaded again, opens with what was typed; closing it without saving drops that', async () => {
  const id = await makeCampaign(service.client, list, 'Left');
  await go(`/campaigns/${id}`);
  await press('Edit');
  await field('Name').fill('Moon over the observatory');
  await page.reload();
  await isBack().waitFor();
  await expect(field('Name').inputValue()).resolves.toBe('Moon over the observatory');
  await page.getByRole('navigation', { name: 'Places' }).getByRole('link', { name: 'Contacts' }).click();
  await page.getByRole('heading', { level: 1, name: /contacts are/ }).waitFor();
  await page.goBack();
  await isBack().waitFor();
  await press('Close without saving');
  await page.reload();
  await atRest(page);
  await gone(field('Name'));
  await press('Edit');
  await expect(field('Name').inputValue()).resolves.toBe('Left');
  await gone(isBack());
});

test('a message that is left comes back as it was typed, its body too', async () => {
  const id = await makeCampaign(service.client, list, 'Typed');
  await go(`/campaigns/${id}/message`);
  await field('Subject').fill('Moon over the observatory');
  await field('HTML').fill('<p>Tonight</p>');
  await page.reload();
  await isBack().waitFor();
  await expect(field('Subject').inputValue()).resolves.toBe('Moon over the observatory');
  await expect(field('HTML').textContent()).resolves.toBe('<p>Tonight</p>');
  await press('Back to what is kept');
  await page.reload();
  await atRest(page);
  await expect(field('Subject').inputValue()).resolves.not.toBe('Moon over the observatory');
  await gone(isBack());
});

test('two who write one message: the second sees what is another by now, goes on, and both changes are kept', async () => {
  const id = await makeCampaign(service.client, list, 'Both');
  await go(`/campaigns/${id}/message`);
  await field('Subject').fill('Mine');
  await service.client.changeCampaign({ id, previewLine: 'Theirs, too', subject: 'Theirs' });
  await press('Keep the message');
  await told().waitFor();
  const [, subject, line] = await rows();
  expect(subject).toMatch(/^Subject.*TheirsMine$/);
  expect(line).toBe('Shown after itTheirs, tooas it was');
  await expect(service.client.campaign({ id })).resolves.toMatchObject({ subject: 'Theirs', version: 2 });
  await press('Go on with mine');
  await expect(field('Shown after it in the list of messages').inputValue()).resolves.toBe('Theirs, too');
  await press('Keep the message');
  await page.getByText('Kept.', { exact: true }).waitFor();
  await expect(service.client.campaign({ id })).resolves.toMatchObject({
    previewLine: 'Theirs, too',
    subject: 'Mine',
    version: 3,
  });
});

test('whose message somebody changed while nothing was typed sees that change, and is asked nothing', async () => {
  const id = await makeCampaign(service.client, list, 'Followed');
  await go(`/campaigns/${id}/message`);
  await service.client.changeCampaign({ id, subject: 'Theirs' });
  await page.reload();
  await atRest(page);
  await expect(field('Subject').inputValue()).resolves.toBe('Theirs');
  await gone(told());
});

test('a list that somebody changed meanwhile: what is kept can be taken, and what was typed left', async () => {
  await go('/settings');
  await press(`Change ${list.name}`);
  await field('What is agreed to').fill('Mine');
  await page.reload();
  await isBack().waitFor();
  await service.client.changeList({ id: list.id, agreement: 'Theirs', isPublic: false });
  await press('Keep');
  await told().waitFor();
  expect((await rows()).slice(1)).toEqual([
    'Shown on the preference pageyesnoas it was',
    'What is agreed tonothingTheirsMine',
  ]);
  await press('Leave mine, take what is kept');
  await expect(field('What is agreed to').inputValue()).resolves.toBe('Theirs');
  await expect(page.getByLabel('Shown on the preference page').isChecked()).resolves.toBe(false);
  await gone(told());
});

test('a ladder that is tried is tried still after a reload; one that somebody applied meanwhile is not gone over', async () => {
  await go('/rules');
  await field('Days of grace').fill('5');
  await page.getByText(/changed and not yet applied/).waitFor();
  await page.reload();
  await isBack().waitFor();
  await expect(field('Days of grace').inputValue()).resolves.toBe('5');
  const { rule } = await service.client.sunsetRule({ brandId: list.brandId });
  const theirs = { ...rule, steps: rule.steps.map((step) => ({ ...step, days: step.days + 7 })) };
  const { moving } = await service.client.previewSunset({ brandId: list.brandId, rule: theirs });
  await service.client.applySunset({ brandId: list.brandId, expect: moving, reason: 'theirs', rule: theirs });
  await expect(
    service.client.applySunset({ brandId: list.brandId, expect: 0, reason: 'mine', rule, version: 0 }),
  ).rejects.toMatchObject({
    problem: { status: 409 },
  });
  await page.reload();
  await told().waitFor();
  expect((await rows()).slice(1)).toEqual([expect.stringMatching(/^Days and messages until each stage.*as it was$/)]);
  await press('Go on with mine');
  await expect(field('Days of grace').inputValue()).resolves.toBe('5');
  await expect(field('Days until fading').inputValue()).resolves.toBe(String(theirs.steps[0]!.days));
  await press('Put back as it was');
  await page.getByText(/changed and not yet applied/).waitFor({ state: 'hidden' });
  await expect(field('Days of grace').inputValue()).resolves.toBe(String(rule.grace.days));
});

test('whoever signs out leaves nothing of what they typed behind', async () => {
  const id = await makeCampaign(service.client, list, 'Mine alone');
  await go(`/campaigns/${id}/message`);
  await field('Subject').fill('For nobody else');
  await until(async () => Boolean(await page.evaluate('Object.keys(sessionStorage).length')));
  await press('Sign out');
  await page.getByRole('button', { name: 'Sign in' }).waitFor();
  await expect(page.evaluate('Object.keys(sessionStorage).length')).resolves.toBe(0);
});
