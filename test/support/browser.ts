import { readFileSync } from 'node:fs';
import { chromium, type Browser, type BrowserContextOptions, type Page } from 'playwright-core';
import { EMAIL, PASSWORD, type Running } from './service.ts';

const ARGUMENTS = JSON.parse(readFileSync('scripts/chromium-arguments.json', 'utf8')) as string[];

/** The Chromium of Debian, without a window. */
export function openBrowser(more: string[] = []): Promise<Browser> {
  return chromium.launch({ executablePath: '/usr/bin/chromium', args: [...ARGUMENTS, ...more] });
}

/** A page of the console in a context of its own, signed in; nothing moves on it. */
export async function signIn(browser: Browser, service: Running, options: BrowserContextOptions = {}): Promise<Page> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce', ...options }); // prettier-ignore
  const page = await context.newPage();
  await page.goto(service.console);
  await page.getByLabel('Address').fill(EMAIL);
  await page.getByRole('textbox', { name: 'Password' }).fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  const places = page.getByRole('navigation', { name: 'Places' });
  await places.or(page.getByRole('heading', { name: 'There is no brand yet' })).waitFor();
  return page;
}
