import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { findViolations } from '../support/axe.ts';
import { atRest, openBrowser, signIn, giveFile } from '../support/browser.ts';
import { makeCampaign, makeList, startRealService, type Running } from '../support/service.ts';

/**
 * axe-core on what opens: menus, panels, dialogs, forms within pages, questions that are asked once more; in both
 * themes.
 */
let service: Running;
let browser: Browser;
let page: Page;
let draftId: number;
let segmentId: number;
let contactId: number;
let reconciledId: number;

beforeAll(async () => {
  service = await startRealService();
  const list = await makeList(service.client, ['ada@lanternpost.example', 'ben@lanternpost.example']);
  const own = await service.client.createSuppressionList({ name: 'Do not write' });
  await service.client.addEntries({
    id: own.id,
    values: ['ben@lanternpost.example', 'hearthmail.example'],
    reason: 'asked',
  });
  draftId = await makeCampaign(service.client, list, 'Night Digest 1');
  ({ id: segmentId } = await service.client.createSegment({
    brandId: list.brandId,
    name: 'All',
    condition: 'everyone',
  }));
  contactId = (await service.client.check({ address: 'ada@lanternpost.example' })).contact!.id;
  ({ id: reconciledId } = await service.client.reconcile({
    name: 'theirs.csv',
    file: 'email\nada@lanternpost.example\nnew@quillmail.example\nnonsense',
  }));
  browser = await openBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

const press = (name: string | RegExp) => page.getByRole('button', { name }).first().click();
const choose = async (field: string, option: string | RegExp): Promise<void> => {
  await page.getByRole('combobox', { name: field }).click();
  await page.getByRole('option', { name: option }).first().click();
};
const lookUp = async (text: string): Promise<void> => {
  await page.keyboard.press('/');
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
  await page.getByRole('dialog', { name: `Who is ${text}` }).waitFor();
};

/** What opens, where, and how. */
const OPENED: [string, string | (() => string), () => Promise<void>][] = [
  ['the menu of brands', '/', () => press(/^Brand: /)],
  ['the answer of the lookup, of an address', '/', () => lookUp('ada@lanternpost.example')],
  ['the answer of the lookup, of a name', '/', () => lookUp('Reader')],
  ['the download of contacts', '/contacts', () => press('Download')],
  [
    'an act on who was found',
    '/contacts?part=a',
    async () => {
      await choose('What to do', 'Archive them');
      await press('Count whom it would change');
      await press('See what it would change');
      await press('Say why');
      await page.getByLabel(/may still be written to/).waitFor();
    },
  ],
  [
    'the columns of a file',
    '/contacts/import',
    async () => {
      await giveFile(page, 'few.csv', 'address,stall\nfew@quillmail.example,12');
      await page.getByRole('heading', { name: '2 columns' }).waitFor();
    },
  ],
  [
    'the verifier’s file',
    '/contacts/verifications',
    async () => {
      await giveFile(page, 'v.csv', 'email,verdict,verifier\nada@lanternpost.example,ok,Harbour Checks');
      await page.getByRole('combobox', { name: 'Column of verdicts' }).waitFor();
    },
  ],
  [
    'what the base does not have',
    () => `/contacts/reconcile/${reconciledId}?way=given-no`,
    () => choose('Suppression list', 'Do not write'),
  ],
  ['unsubscribing as they asked', () => `/contacts/${contactId}`, () => press('Unsubscribe, as they asked')],
  ['erasing one person', () => `/contacts/${contactId}`, () => press('Erase this person')],
  ['mending an address', () => `/contacts/${contactId}`, () => press('Mend the address')],
  [
    'a new part of a condition with what goes on from it',
    '/segments/new',
    async () => {
      await page.keyboard.type('on l');
      await page.getByRole('option', { name: 'on list "Night Digest"', exact: true }).waitFor();
    },
  ],
  [
    'a part that cannot be read',
    () => `/segments/${segmentId}`,
    async () => {
      await press('Add a part');
      await page.keyboard.type('clicked in the lst 3 days');
      await page.keyboard.press('Tab');
      await page.getByRole('alert').waitFor();
    },
  ],
  ['deleting a segment, asked once more', () => `/segments/${segmentId}`, () => press('Delete All')],
  ['a new campaign', '/campaigns', () => press('New campaign')],
  ['the editor of a draft', () => `/campaigns/${draftId}`, () => press('Edit the draft')],
  ['sending, asked once more', () => `/campaigns/${draftId}`, () => press(/^Send to/)],
  ['a new suppression list', '/suppression', () => press('New list')],
  [
    'entries to be entered',
    '/suppression',
    async () => {
      await press('Add entries');
      await page.getByLabel(/one a line/).fill('hearthmail.example');
      await page.getByText(/of ours would be stopped/).waitFor();
    },
  ],
  [
    'entries to be lifted',
    '/suppression',
    async () => {
      await page.getByRole('checkbox', { name: 'Pick hearthmail.example' }).check();
      await page.getByText('No contact is stopped by them.').waitFor();
    },
  ],
  [
    'a ladder that is tried',
    '/rules',
    async () => {
      await page.getByLabel('Days of grace').fill('1');
      await page.getByText(/changed and not yet applied/).waitFor();
    },
  ],
  ['a new list', '/settings', () => press('New list')],
  ['a mailbox', '/returns', () => press('Add one')],
];

describe.each(['light', 'dark'] as const)('in the %s theme axe-core finds no violation in', (colorScheme) => {
  beforeAll(async () => {
    page = await signIn(browser, service, { colorScheme });
  });

  test.each(OPENED)('%s', async (_what, path, open) => {
    await page.goto(`${service.console}${typeof path === 'string' ? path : path()}`);
    await atRest(page);
    await open();
    await atRest(page);
    const { passes, violations } = await findViolations(page);
    expect(passes).toBeGreaterThan(15);
    expect(violations).toEqual([]);
    // What was typed here is not to be found by the next.
    await page.evaluate('sessionStorage.clear()');
  });
});
