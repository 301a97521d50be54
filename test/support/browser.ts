import { readFileSync } from 'node:fs';
import {
  chromium,
  type Browser,
  type BrowserContextOptions,
  type Locator,
  type Page,
  type Request,
} from 'playwright-core';
import { EMAIL, PASSWORD, until, type Running } from './service.ts';

const ARGUMENTS = JSON.parse(readFileSync('scripts/chromium-arguments.json', 'utf8')) as string[];

/** The Chromium of Debian, without a window. */
export function openBrowser(more: string[] = []): Promise<Browser> {
  return chromium.launch({ executablePath: '/usr/bin/chromium', args: [...ARGUMENTS, ...more] });
}

/** A page of the console in a context of its own, signed in; nothing moves on it. */
export async function signIn(browser: Browser, service: Running, options: BrowserContextOptions = {}): Promise<Page> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    reducedMotion: 'reduce',
    ...options,
  });
  const page = await context.newPage();
  countRequests(page);
  await page.goto(service.console);
  await page.getByLabel('Address').fill(EMAIL);
  await page.getByRole('textbox', { name: 'Password' }).fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  const places = page.getByRole('navigation', { name: 'Places' });
  await places.or(page.getByRole('heading', { name: 'There is no brand yet' })).waitFor();
  return page;
}

/** Requests of each page that have no answer yet. */
const underWay = new WeakMap<Page, Set<Request>>();

function countRequests(page: Page): void {
  const open = new Set<Request>();
  underWay.set(page, open);
  page.on('request', (request) => open.add(request));
  page.on('requestfinished', (request) => open.delete(request));
  page.on('requestfailed', (request) => open.delete(request));
}

/**
 * Waits until a page that `signIn` made has all it asks for: its figures come one after the other, and some headlines
 * with them. Looking once is too early on a busy machine, where the next question follows an answer a while later.
 */
export async function atRest(page: Page): Promise<void> {
  const isBusy = async (): Promise<boolean> =>
    (underWay.get(page)?.size ?? 0) > 0 || (await page.getByRole('status', { name: 'loading' }).count()) > 0;
  for (let quiet = 0, looks = 0; quiet < 4; quiet = (await isBusy()) ? 0 : quiet + 1, looks++) {
    if (looks > 400) throw new Error(`${page.url()} never came to rest`);
    await page.waitForTimeout(100);
  }
}

/** Waits until nothing of the kind stands on the page any more: it goes when its own answer comes, not before. */
export async function gone(what: Locator): Promise<void> {
  await until(async () => (await what.count()) === 0, 10_000);
}

/** Gives a CSV file to the page's field for one. */
export function giveFile(page: Page, name: string, text: string): Promise<void> {
  return page.locator('input[type=file]').setInputFiles({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });
}
