import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';

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
  for (const one of campaigns)
    ids.push(
      (
        await service.client.recordCampaign({
          ...one,
          brandId: list.brandId,
          subject: 's',
          html: '',
          text: '',
          listIds: [list.id],
        })
      ).id,
    );
  const event = (kind: string, address: string, campaign: number, days: number, more: object = {}) => ({
    kind,
    address,
    brandId: list.brandId,
    campaignId: ids[campaign],
    at: at(days),
    source: 'elsewhere',
    externalId: `${kind} ${address} ${days}`,
    ...more,
  });
  const events = [
    event('sent', 'ada@lanternpost.example', 0, 20),
    event('sent', 'ben@lanternpost.example', 0, 20),
    event('sent', 'ada@lanternpost.example', 1, 11),
    event('bounced', 'ada@lanternpost.example', 0, 19.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
    event('bounced', 'ben@lanternpost.example', 0, 19.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
    event('bounced', 'ada@lanternpost.example', 1, 10.9, { class: 'soft', reply: '452 4.2.2 mailbox full' }),
  ];
  await service.client.recordEvents({ file: events.map((one) => JSON.stringify(one)).join('\n') });
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

test('the bounce rule is tried with other numbers, says whose mark would change, is kept as a run, and undone', async () => {
  await page.goto(`${service.console}/rules`);
  await page
    .getByRole('heading', {
      name: 'Bounce rule: 3 bounces within 45 days, on 3 campaigns, make an address undeliverable',
    })
    .waitFor();
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
  expect((await service.client.check({ address: 'ada@lanternpost.example' })).contact!.deliverability).toBe(
    'undeliverable',
  );
  // The run's page, and no longer that of the rules, which asks why as well.
  await page.getByRole('button', { name: 'Put everything back' }).waitFor();
  await page.getByLabel(/Why/).fill('too early');
  await page.getByRole('button', { name: 'Put everything back' }).click();
  await page.getByRole('heading', { name: 'Undone', exact: true }).waitFor();
  expect((await service.client.check({ address: 'ada@lanternpost.example' })).contact!.deliverability).not.toBe(
    'undeliverable',
  );
});

test('the four steps are gone through with the keyboard alone, and the focus is never lost', async () => {
  const focused = (): Promise<string> =>
    page.evaluate(`document.activeElement.textContent + '|' + document.activeElement.tagName`);
  await page.goto(`${service.console}/rules`);
  const section = page
    .locator('section')
    .filter({ has: page.getByRole('heading', { name: /^Bounce rule: 2 bounces/ }) });
  await page.getByRole('textbox', { name: 'Bounces', exact: true }).fill('1');
  await page.getByRole('textbox', { name: 'Different campaigns' }).fill('1');
  const begin = section.getByRole('button', { name: 'See what it would change' });
  await until(() => begin.isEnabled());
  await begin.focus();
  await page.keyboard.press('Enter');
  expect(await focused()).toBe('Say why|BUTTON');
  await page.keyboard.press('Enter');
  expect(await focused()).toBe('|TEXTAREA');
  await page.keyboard.type('two are enough after all');
  await page.keyboard.press('Tab');
  expect(await focused()).toMatch(/^Mark \d\|BUTTON$/);
  await page.keyboard.press('Enter');
  await page.getByText(/^Applied as/).waitFor();
  expect((await service.client.bounceRule()).rule).toMatchObject({ count: 1, onCampaigns: 1 });
});

test('the answer of the lookup takes the focus and gives it back; Escape closes it; a name finds somebody, too', async () => {
  await page.goto(`${service.console}/rules`);
  await page.getByRole('heading', { level: 1 }).waitFor();
  const field = page.getByRole('textbox', { name: 'Look somebody up' });
  await page.keyboard.press('/');
  await page.keyboard.type('ben@lanternpost.example');
  await page.keyboard.press('Enter');
  const answer = page.getByRole('dialog', { name: 'Who is ben@lanternpost.example' });
  await answer.getByRole('link', { name: 'Open the contact' }).waitFor();
  // Whoever goes on with Tab is within the answer.
  await page.keyboard.press('Tab');
  expect(await page.evaluate(`document.querySelector('[role=dialog]').contains(document.activeElement)`)).toBe(true);
  await page.keyboard.press('Escape');
  await answer.waitFor({ state: 'detached' });
  expect(await page.evaluate(`document.activeElement.getAttribute('aria-label')`)).toBe('Look somebody up');
  await field.fill('LANTERNPOST');
  await page.keyboard.press('Enter');
  const named = page.getByRole('dialog', { name: 'Who is LANTERNPOST' });
  await named.getByText('ada@lanternpost.example').waitFor();
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await page
    .getByRole('dialog', { name: 'Who is ada@lanternpost.example' })
    .getByRole('heading', { name: /^We may .* for Larkfield Observatory$/ })
    .waitFor();
  await page.keyboard.press('Escape');
});

test('the answer stays within a phone', async () => {
  const phone = await signIn(browser, service, { viewport: { width: 390, height: 844 } });
  await phone.getByRole('textbox', { name: 'Look somebody up' }).fill('ben@lanternpost.example');
  await phone.keyboard.press('Enter');
  const answer = phone.getByRole('dialog', { name: 'Who is ben@lanternpost.example' });
  await answer.getByRole('link', { name: 'Open the contact' }).waitFor();
  const { x, width } = (await answer.boundingBox())!;
  expect(x).toBeGreaterThanOrEqual(0);
  expect(x + width).toBeLessThanOrEqual(390);
  await phone.context().close();
});
