import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { chromium, type Browser, type Page } from 'playwright-core';
import type * as Axe from 'axe-core';
import { startOutsideWorld, type OutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import { EMAIL, makeCampaign, makeList, PASSWORD, startRealService, until, type Running } from '../support/service.ts';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const ARGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
const PEOPLE = [
  'reads.ada',
  'clicks.bo',
  'gone.cy',
  'bounces.di',
  'complains.ed',
  'leaves.fay',
  'writes.gus',
  'silent.hal',
];

let service: Running;
let outside: OutsideWorld;
let browser: Browser;
let draftId: number;
let sentId: number;
let complainer: number;

beforeAll(async () => {
  service = await startRealService();
  outside = await startOutsideWorld({
    host: '127.0.0.1',
    port: service.relayPort,
    intakeHost: '127.0.0.1',
    intakePort: service.intakePort,
    pace: 1,
    people: [],
    say: () => undefined,
  });
  const list = await makeList(service.client, PEOPLE.map((name) => `${name}@lanternpost.example`)); // prettier-ignore
  sentId = await makeCampaign(service.client, list, 'Night Digest 1');
  draftId = await makeCampaign(service.client, list, 'Night Digest 2');
  const doNotWrite = await service.client.createSuppressionList({ name: 'Do not write' });
  await service.client.addEntries(
    doNotWrite.id,
    ['silent.hal@lanternpost.example', '.alumni.campusnet.example'],
    'asked by telephone',
  );
  complainer = (await service.client.check('complains.ed@lanternpost.example')).contact!.id;
  browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ARGS });
});
afterAll(async () => {
  await browser.close();
  await outside.stop();
  await service.stop();
});

async function signIn(options: { colorScheme?: 'light' | 'dark'; width?: number } = {}): Promise<Page> {
  const context = await browser.newContext({
    colorScheme: options.colorScheme ?? 'light',
    viewport: { width: options.width ?? 1280, height: 800 },
    reducedMotion: 'reduce',
  });
  const page = await context.newPage();
  await page.goto(service.console);
  await page.getByLabel('Address').fill(EMAIL);
  await page.getByRole('textbox', { name: 'Password' }).fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Places' }).waitFor();
  return page;
}

test('the loop in the console: preflight, send, what came back, and the second campaign holds them back', async () => {
  const page = await signIn();
  await page.goto(`${service.console}/campaigns/${sentId}`);
  await page.getByRole('heading', { name: '7 of 8 will get this' }).waitFor();
  await page.getByRole('button', { name: /suppressed/ }).click();
  await page.getByRole('cell', { name: 'silent.hal@lanternpost.example' }).waitFor();
  await page.getByRole('button', { name: 'Send to 7' }).click();
  await page.getByRole('heading', { name: /6 accepted/ }).waitFor({ timeout: 20_000 });
  await until(async () => {
    const { complained, unsubscribed, bounced, clicked } = await service.client.report(sentId);
    return complained === 1 && unsubscribed === 2 && bounced.hard === 2 && clicked.human === 1;
  });
  await page.goto(`${service.console}/campaigns/${draftId}`);
  await page.getByRole('heading', { name: '2 of 8 will get this' }).waitFor();
  for (const reason of ['2 undeliverable', '1 suppressed', '1 complained', '2 unsubscribed']) {
    const [contacts, word] = reason.split(' ');
    expect(await page.getByRole('button', { name: new RegExp(`^${word}`) }).textContent()).toContain(contacts);
  }
  await page.keyboard.press('/');
  await page.keyboard.type('complains.ed@lanternpost.example');
  await page.keyboard.press('Enter');
  await page.getByText('We may not write for Larkfield Observatory').waitFor();
  await page.getByRole('link', { name: 'Open the contact' }).click();
  await page
    .getByRole('heading', { name: /We may not write to Reader 4 for Larkfield Observatory: complained/ })
    .waitFor();
  await page.getByText('Only a fresh confirmation by the contact lifts a complaint.').waitFor();
});

test('an entry is added and lifted by a person, the rule is tried and applied, and a run is undone', async () => {
  const page = await signIn();
  await page.goto(`${service.console}/suppression`);
  await page.getByRole('button', { name: 'Add entries' }).click();
  await page.getByLabel(/one a line/).fill('clicks.bo@lanternpost.example\nnonsense');
  await page.getByLabel('Reason').fill('asked in person');
  await page.getByRole('button', { name: 'Enter them on Do not write' }).click();
  await page.getByText('1 entered, 0 stood there already').waitFor();
  await page.getByText('Line 2, “nonsense”').waitFor();
  await page.getByLabel('May we write to').fill('clicks.bo+moon@lanternpost.example');
  await page.getByLabel('May we write to').press('Enter');
  await page.getByRole('heading', { name: 'No, nothing at all.' }).waitFor();
  await page.getByRole('link', { name: /^Run \d+$/ }).click();
  await page.getByLabel('Why').fill('a mistake');
  await page.getByRole('button', { name: 'Put everything back' }).click();
  await page.getByRole('heading', { name: 'Undone' }).waitFor();
  expect((await service.client.check('clicks.bo@lanternpost.example')).brands[0]!.eligible).toBe(true);

  await page.goto(`${service.console}/rules`);
  await page.getByLabel('Days of grace').fill('0');
  await page.getByLabel('Messages of grace').fill('1');
  await page.getByRole('heading', { name: /would move/ }).first().waitFor(); // prettier-ignore
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill('a shorter grace');
  await page.getByRole('button', { name: /^Move \d+$/ }).click();
  await page.getByRole('heading', { name: 'Everybody stands where the ladder puts them' }).waitFor();
  expect((await service.client.sunsetRule(1)).rule.grace).toEqual({ days: 0, messages: 1 });
});

describe.each(['light', 'dark'] as const)('axe-core finds no violation in the %s theme', (colorScheme) => {
  let page: Page;
  beforeAll(async () => {
    page = await signIn({ colorScheme });
  });

  test.each([
    '/',
    '/contacts',
    '/contacts/import',
    'contact',
    '/campaigns',
    'draft',
    'sent',
    '/suppression',
    '/rules',
    '/runs',
    '/runs/1',
  ])('%s', async (path) => {
    const places: Record<string, string> = {
      contact: `/contacts/${complainer}`,
      draft: `/campaigns/${draftId}`,
      sent: `/campaigns/${sentId}`,
    };
    await page.goto(`${service.console}${places[path] ?? path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForLoadState('networkidle');
    await page.evaluate(AXE);
    const { passes, violations } = await page.evaluate(async () => {
      const { axe } = globalThis as unknown as { axe: typeof Axe };
      const found = await axe.run({ exclude: [['iframe']] } as Axe.ElementContext);
      const words = found.violations.map(
        (one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 120)).join(' | ')}`,
      );
      return { passes: found.passes.length, violations: words };
    });
    expect(passes).toBeGreaterThan(15);
    expect(violations).toEqual([]);
  });
});

test('on a phone nothing runs out of the page', async () => {
  const page = await signIn({ width: 390 });
  for (const path of [
    '/',
    '/contacts',
    `/contacts/${complainer}`,
    `/campaigns/${draftId}`,
    `/campaigns/${sentId}`,
    '/suppression',
    '/rules',
  ]) {
    await page.goto(`${service.console}${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForLoadState('networkidle');
    expect([path, await page.evaluate('document.documentElement.scrollWidth')]).toEqual([path, 390]);
  }
});
