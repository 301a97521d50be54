import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeList, startRealService, type Running } from '../support/service.ts';

let service: Running;
let browser: Browser;
let page: Page;

/** Ada had two lesser bounces, on two campaigns nine days apart; Ben had one. */
beforeAll(async () => {
  service = await startRealService();
  const list = await makeList(service.client, ['ada@lanternpost.example', 'ben@lanternpost.example']);
  const day = 86_400_000;
  const at = (days: number): string => new Date(Date.now() - days * day).toISOString();
  const campaigns = [20, 11].map((days) => ({ name: `Digest ${days}`, startedAt: at(days) }));
  const ids: number[] = [];
  for (const one of campaigns) ids.push((await service.client.recordCampaign({ ...one, brandId: list.brandId, subject: 's', html: '', text: '', listIds: [list.id] })).id); // prettier-ignore
  const event = (kind: string, address: string, campaign: number, days: number, more: object = {}) => ({ kind, address, brandId: list.brandId, campaignId: ids[campaign], at: at(days), source: 'elsewhere', externalId: `${kind} ${address} ${days}`, ...more }); // prettier-ignore
  const events = [
    event('sent', 'ada@lanternpost.example', 0, 20), event('sent', 'ben@lanternpost.example', 0, 20), event('sent', 'ada@lanternpost.example', 1, 11),
    event('bounced', 'ada@lanternpost.example', 0, 19.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
    event('bounced', 'ben@lanternpost.example', 0, 19.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
    event('bounced', 'ada@lanternpost.example', 1, 10.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
  ]; // prettier-ignore
  await service.client.recordEvents(events.map((one) => JSON.stringify(one)).join('\n'));
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

test('the bounce rule is tried with other numbers, says whose mark would change, is kept as a run, and undone', async () => {
  await page.goto(`${service.console}/rules`);
  await page.getByRole('heading', { name: 'Bounce rule: 3 bounces within 45 days, on 3 campaigns, make an address undeliverable' }).waitFor(); // prettier-ignore
  await page.getByText('0 would become undeliverable now').waitFor();
  await page.getByRole('textbox', { name: 'Bounces', exact: true }).fill('2');
  await page.getByRole('textbox', { name: 'Different campaigns' }).fill('2');
  await page.getByText('1 would become undeliverable now').waitFor();
  await page.getByRole('row', { name: /^ada@lanternpost\.example .* 2 bounces$/ }).waitFor();
  // Trying changes nothing, and goes back with one press.
  expect((await service.client.bounceRule()).rule).toMatchObject({ count: 3, onCampaigns: 3 });
  await page.getByRole('button', { name: 'As it is' }).click();
  await page.getByText('0 would become undeliverable now').waitFor();
  await page.getByRole('textbox', { name: 'Bounces', exact: true }).fill('2');
  await page.getByRole('textbox', { name: 'Different campaigns' }).fill('2');
  const section = page.locator('section').filter({ has: page.getByRole('heading', { name: /^Bounce rule/ }) });
  await section.getByRole('button', { name: 'See what it would change' }).click();
  await section.getByRole('button', { name: 'Say why' }).click();
  await section.getByLabel('Why').fill('two are enough');
  await section.getByRole('button', { name: 'Mark 1' }).click();
  await page.getByRole('heading', { name: /^Bounce rule: 2 bounces within 45 days, on 2 campaigns/ }).waitFor();
  await section.getByRole('status').getByRole('link').click();
  expect((await service.client.check('ada@lanternpost.example')).contact!.deliverability).toBe('undeliverable');
  await page.getByLabel(/Why/).fill('too early');
  await page.getByRole('button', { name: 'Put everything back' }).click();
  await page.getByRole('heading', { name: 'Undone' }).waitFor();
  expect((await service.client.check('ada@lanternpost.example')).contact!.deliverability).not.toBe('undeliverable');
});
