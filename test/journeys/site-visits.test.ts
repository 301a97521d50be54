import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, BrowserContextOptions, Page } from 'playwright-core';
import { openBrowser } from '../support/browser.ts';
import { startRealService, until, type Running, sendFirst } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

const NAMES = ['ada', 'bo', 'cy'];
const MAIL = 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let browser: Browser;

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  await sendFirst(service, sink, NAMES);
  await until(() => Date.now() - Math.max(...sink.received.map((message) => message.at)) > 2100);
  // The made-up site is on no network, and its script on loopback, which a browser would ask about.
  browser = await openBrowser(['--disable-features=LocalNetworkAccessChecks']);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
  await sink.close();
});

function linksOf(name: string): string[] {
  const { raw } = sink.received.find(({ to }) => to.startsWith(`${name}@`))!;
  const decoded = raw.replace(/=\r\n/g, '').replace(/=3D/g, '=');
  return [...new Set([...decoded.matchAll(new RegExp(`${service.public}/to/[a-z2-7]{39}`, 'g'))].map(([url]) => url))];
}

/** Where a link leads. */
async function redirectOf(url: string): Promise<string> {
  return (await fetch(url, { headers: { 'user-agent': MAIL }, redirect: 'manual' })).headers.get('location') ?? '';
}

/** A browser in which the observatory's site stands, its pages with our script on them. */
async function openSite(options: BrowserContextOptions, script: string): Promise<Page> {
  const context = await browser.newContext({ userAgent: MAIL, ...options });
  await context.route('https://larkfield.example/**', (request) =>
    request.fulfill({ contentType: 'text/html', body: `<title>The map</title>${script}<p>Stars</p>` }),
  );
  return context.newPage();
}

const visits = async (name: string) => {
  const { contact } = await service.client.check({ address: `${name}@lanternpost.example` });
  return (await service.client.timeLine({ id: contact!.id })).items.filter(({ kind }) => kind === 'visited');
};

test('the script tells of visits by whoever came from a message, and of nobody who asks not to be tracked', async () => {
  const sky = linksOf('ada')[0]!;
  expect(await redirectOf(sky)).toBe('https://larkfield.example/sky');
  await expect(service.client.saveSites({ hosts: ['https://larkfield.example'] })).rejects.toMatchObject({
    problem: { status: 422 },
  });
  const { scriptUrl } = await service.client.saveSites({ hosts: ['larkfield.example'] });
  expect(await redirectOf(sky)).toMatch(/^https:\/\/larkfield\.example\/sky\?av=[a-z2-7]{39}$/);

  const page = await openSite({}, `<script src="${scriptUrl}" defer></script>`);
  await page.goto(await redirectOf(sky));
  // The token goes out of the address at once, and the site knows them on the next page.
  await page.waitForURL('https://larkfield.example/sky');
  await until(async () => (await visits('ada')).length === 1);
  await page.goto('https://larkfield.example/tickets');
  await page.goto('https://larkfield.example/tickets');
  await until(async () => (await visits('ada')).length === 2);
  expect((await visits('ada')).map(({ actor, detail }) => [actor, detail?.['url']])).toEqual([
    ['human', '/tickets'],
    ['human', '/sky'],
  ]);

  const wary = await openSite(
    {},
    `<script>navigator.__defineGetter__('globalPrivacyControl', () => true)</script><script src="${scriptUrl}" defer></script>`,
  );
  await wary.goto(await redirectOf(linksOf('bo')[0]!));
  await wary.waitForLoadState('networkidle');
  const beacon = JSON.stringify({
    token: new URL(await redirectOf(linksOf('bo')[0]!)).searchParams.get('av'),
    path: '/',
  });
  await fetch(`${service.public}/visit`, { method: 'POST', body: beacon, headers: { 'sec-gpc': '1' } });
  await fetch(`${service.public}/visit`, { method: 'POST', body: beacon.replace(/"token":".{4}/, '"token":"aaaa') });
  expect((await fetch(`${service.public}/visit`, { method: 'POST', body: 'no JSON' })).status).toBe(204);
  expect(await visits('bo')).toEqual([]);
});

test('Machines do not engage: a scanner that runs the script visits nothing', async () => {
  const to = await Promise.all(linksOf('cy').map(redirectOf));
  const token = to.map((url) => /av=([a-z2-7]{39})/.exec(url)?.[1]).find(Boolean);
  await fetch(`${service.public}/visit`, {
    method: 'POST',
    body: JSON.stringify({ token, path: '/map' }),
    headers: { 'user-agent': MAIL },
  });
  expect(await visits('cy')).toMatchObject([{ actor: 'machine', actorReason: 'trap-link' }]);
});
