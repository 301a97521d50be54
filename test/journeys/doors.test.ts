import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { type OutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import { atRest, openBrowser, signIn } from '../support/browser.ts';
import { makeCampaign, startRealService, until, type Running } from '../support/service.ts';
import { startOutside } from '../support/outside.ts';

/**
 * Every figure that is a door leads to a list of as many. The base has two brands that share people, and people who are
 * archived, erased, automated, undeliverable, waiting to confirm and unsubscribed.
 */
let service: Running;
let outside: OutsideWorld;
let browser: Browser;
let page: Page;
let campaignId: number;
let segmentId: number;

const at = (name: string): string => `${name}@lanternpost.example`;
const NAMES = [
  'reads.ada',
  'clicks.bo',
  'gone.cy',
  'complains.ed',
  'leaves.fay',
  'silent.hal',
  'silent.ida',
  'silent.jo',
  'bot.kit',
  'erased.lu',
  'archived.mo',
  'archived.ny',
];

beforeAll(async () => {
  service = await startRealService();
  const { client } = service;
  outside = await startOutside(service);
  const brand = (name: string) =>
    client.createBrand({ name, fromAddress: 'digest@larkfield.example', returnDomain: 'returns.larkfield.example' });
  const [first, second] = [await brand('Larkfield Observatory'), await brand('Larkfield Friends')];
  const list = await client.createList({ brandId: first.id, name: 'Night Digest' });
  const double = await client.createList({ brandId: first.id, name: 'Members’ Letter', optIn: 'double' });
  const other = await client.createList({ brandId: second.id, name: 'Friends’ Letter' });
  const take = async (listId: number, names: string[]): Promise<void> => {
    const { id } = await client.importFile({
      listId,
      fileName: 'people.csv',
      file: ['address', ...names.map(at)].join('\n'),
    });
    await until(async () => (await client.import({ id })).state === 'finished');
  };
  await take(list.id, NAMES);
  await take(double.id, ['waits.oz', 'waits.pia', 'archived.ny']);
  await take(other.id, ['reads.ada', 'friend.quin', 'friend.ray', 'friend.sue']);
  campaignId = await makeCampaign(client, list, 'Night Digest 1');
  const { willGet } = await client.preflight({ id: campaignId });
  await client.startCampaign({ id: campaignId, expect: willGet });
  await until(async () => (await client.campaign({ id: campaignId })).state === 'finished');
  await until(async () => {
    const came = await client.report({ id: campaignId });
    return came.complained === 1 && came.unsubscribed > 0 && came.clicked.human > 0 && came.opened.human > 0;
  });
  const act = async (selection: Parameters<typeof client.previewAct>[0]): Promise<void> => {
    const { willChange, stillMailable } = await client.previewAct(selection);
    const { id } = await client.applyAct({
      ...selection,
      expect: willChange,
      expectMailable: stillMailable.contacts,
      reason: 'for the test',
    });
    await until(async () => (await client.run({ id })).finishedAt !== null);
  };
  await act({ act: 'archive', addresses: ['archived.mo', 'archived.ny'].map(at) });
  await act({ act: 'erase', addresses: [at('erased.lu')] });
  await act({ act: 'tag', addresses: ['silent.hal', 'friend.ray', 'archived.mo'].map(at), tag: 'board' });
  await client.judgeAutomated({ addresses: [at('bot.kit')], as: 'machine', reason: 'opens everything at once' });
  segmentId = (await client.createSegment({ brandId: first.id, name: 'Board', condition: 'tagged "board"' })).id;
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await outside.stop();
  await service.stop();
});

const PAGES = [
  '/',
  '/contacts',
  '/contacts/waiting',
  '/contacts/cost',
  '/contacts/machines',
  '/contacts/addresses',
  '/contacts/verifications',
  '/contacts/import',
  '/segments',
  '/segments/:segment',
  '/campaigns',
  '/campaigns/:campaign',
  '/suppression',
  '/rules',
  '/returns',
  '/runs',
  '/settings',
];

/** Pages whose figures are a brand's; the others are the organisation's, and are gone through once. */
const OF_A_BRAND = ['/', '/contacts', '/contacts/waiting', '/segments/:segment', '/suppression', '/rules', '/settings'];

/** The figure at the beginning of a door's words, as it is written: 1,204 of “1,204 contacts”. */
const figureOf = (words: string): string | undefined => /^[\d,]+(?=$|[\s %])/.exec(words.trim())?.[0];

async function settled(path: string): Promise<void> {
  await page.goto(`${service.console}${path}`);
  await page.getByRole('heading', { level: 1 }).waitFor();
  await atRest(page);
}

/** Doors of a page that lead to another, with their figures. */
async function doorsOf(path: string): Promise<{ words: string; href: string; figure: string }[]> {
  await settled(path);
  const links = await page.locator('main a.door[href^="/"]').all();
  const doors = await Promise.all(
    links.map(async (link) => ({ words: (await link.textContent()) ?? '', href: (await link.getAttribute('href'))! })),
  );
  return doors.flatMap((door) => {
    const figure = figureOf(door.words);
    // A run's number is its name.
    return figure === undefined || /\/runs\/\d+$/.test(door.href) ? [] : [{ ...door, figure }];
  });
}

/** What a door leads to: the headline, and how many rows of a list. Each is gone through once. */
const gone = new Map<string, { headline: string; rows: number }>();
async function goThrough(href: string): Promise<{ headline: string; rows: number }> {
  const known = gone.get(href);
  if (known) return known;
  await settled(href);
  const headline = (await page.getByRole('heading', { level: 1 }).textContent()) ?? '';
  const found = { headline, rows: await page.locator('main table.rows tbody tr').count() };
  gone.set(href, found);
  return found;
}

describe.each([
  ['Larkfield Observatory', PAGES],
  ['Larkfield Friends', OF_A_BRAND],
] as const)('doors, looked at for %s', (brand, pages) => {
  beforeAll(async () => {
    await settled('/');
    await page.getByRole('button', { name: /^Brand:/ }).click();
    await page.getByRole('menuitem', { name: brand }).click();
    await page.getByRole('button', { name: `Brand: ${brand}` }).waitFor();
  });

  test.each(pages)('of %s', async (path) => {
    const real = path.replace(':segment', String(segmentId)).replace(':campaign', String(campaignId));
    const wrong: string[] = [];
    for (const { words, href, figure } of await doorsOf(real)) {
      const { headline, rows } = await goThrough(href);
      const n = Number(figure.replaceAll(',', ''));
      const says = new RegExp(`(^|\\D)${figure}(\\D|$)`).test(headline);
      // The list of returns has the same headline whatever it is narrowed to.
      if (!says && !href.includes('/returns?')) wrong.push(`“${words}” leads to ${href}, which says “${headline}”`);
      if (href.includes('/contacts?') && rows !== Math.min(25, n))
        wrong.push(`“${words}” leads to ${href} with ${rows} rows`);
      if (href.includes('/returns?') && rows < Math.min(25, n))
        wrong.push(`“${words}” leads to ${href} with ${rows} rows`);
    }
    expect(wrong).toEqual([]);
  });
});

test('there are doors to go through: of those that were wrong once each is among them', async () => {
  await settled('/');
  await page.getByRole('button', { name: /^Brand:/ }).click();
  await page.getByRole('menuitem', { name: 'Larkfield Observatory' }).click();
  const hrefs: string[] = [];
  for (const path of ['/', '/settings', '/rules', '/contacts/cost', `/segments/${segmentId}`])
    hrefs.push(...(await doorsOf(path)).map(({ href }) => href));
  const wanted = [
    'among=came-in',
    'among=unsubscribed',
    'among=became-undeliverable',
    'among=complained',
    'among=held-back',
    'among=may-be-written',
    'list=',
    'stage=new',
    'archived=yes',
    '/contacts/waiting?list=',
    'where=tagged',
  ];
  expect(wanted.filter((part) => !hrefs.some((href) => href.includes(part)))).toEqual([]);
});

test('figures of a report that open on the page open as many, each with its words', async () => {
  await settled(`/campaigns/${campaignId}`);
  const doors = page.locator('main button.door[aria-label]');
  const labels = await Promise.all((await doors.all()).map((door) => door.getAttribute('aria-label')));
  const wrong: string[] = [];
  for (const label of labels) {
    const [, figure, words] = /^([\d,]+) (.+)$/.exec(label!)!;
    await page.getByRole('button', { name: label!, exact: true }).first().click();
    const opened = page.getByRole('region', { name: `Who ${words}`, exact: true });
    await opened.waitFor();
    await atRest(page);
    const head = await opened.getByRole('heading').textContent();
    const rows = await opened.locator('tbody tr').count();
    const n = Number(figure!.replaceAll(',', ''));
    if (head !== `${n === 1 ? '1 contact' : `${figure} contacts`} ${words}` || rows !== Math.min(20, n))
      wrong.push(`“${label}” opens “${head}” with ${rows} rows`);
  }
  expect(wrong).toEqual([]);
  expect(labels.length).toBeGreaterThan(5);
});

test('reasons of a preflight open as many contacts as they count', async () => {
  const id = await makeCampaign(service.client, (await service.client.lists())[0]!, 'Night Digest 2');
  const { reasons } = await service.client.preflight({ id });
  expect(reasons.length).toBeGreaterThan(3);
  await settled(`/campaigns/${id}`);
  for (const { reason, contacts } of reasons) {
    const row = page.locator('button[class*=reasonRow]').nth(reasons.findIndex((one) => one.reason === reason));
    await expect(row.locator('.figure').textContent()).resolves.toBe(String(contacts));
    await row.click();
    await atRest(page);
    await expect(page.locator('main table.rows.folds').first().locator('tbody tr').count()).resolves.toBe(contacts);
    await row.click();
  }
});
