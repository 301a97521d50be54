import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeAvendel, type Said } from '../support/cli.ts';
import { makeCampaign, makeList, until } from '../support/service.ts';
import { startWithSink } from '../support/sink.ts';

const NAMES = Array.from({ length: 12 }, (_, index) => `reader${index}`);
const READER = { 'user-agent': 'Mozilla/5.0 Mail' };
const { service, sink, stop } = await startWithSink();
const ids: number[] = [];
let avendel: (...args: string[]) => Promise<Said>;
let browser: Browser;
let page: Page;

/** The addresses of a message’s links, in the order of its text. */
function linksOf(to: string): string[] {
  const { raw } = sink.received.filter((message) => message.to.startsWith(`${to}@`)).at(-1)!;
  const whole = raw.replace(/=\r\n/g, '').replace(/=3D/g, '=');
  return [...new Set([...whole.matchAll(new RegExp(`${service.public}/to/[a-z2-7]{39}`, 'g'))].map(([url]) => url))];
}

beforeAll(async () => {
  avendel = makeAvendel(service);
  const list = await makeList(
    service.client,
    NAMES.map((name) => `${name}@lanternpost.example`),
  );
  for (const [index, name] of ['First', 'Second', 'Third'].entries()) {
    sink.received.length = 0;
    const id = await makeCampaign(service.client, list, name);
    ids.push(id);
    await service.client.startCampaign({ id, expect: NAMES.length });
    await until(async () => (await service.client.report({ id })).state === 'finished');
    // What is followed at once is a program's act, and no person's.
    await until(() => Date.now() - Math.max(...sink.received.map((message) => message.at)) > 2100);
    // One more each time follows the first link, and one the second.
    for (const reader of NAMES.slice(0, index + 1))
      await fetch(linksOf(reader)[0]!, { redirect: 'manual', headers: READER });
    await fetch(linksOf('reader5')[1]!, { redirect: 'manual', headers: READER });
    await until(async () => (await service.client.report({ id })).clicked.human === index + 2);
  }
  browser = await openBrowser();
  page = await signIn(browser, service);
}, 300_000);
afterAll(async () => {
  await browser.close();
  await stop();
});

test('a report by command line says when people opened, with which links, and what is usual', async () => {
  const { stdout } = await avendel('campaigns', 'report', 'Third');
  expect(stdout).toMatch(/Usually, by the median of the last 2, people open [\d.]+ % and click 20\.83 %/);
  expect(stdout).toMatch(/1 {2}https:\/\/larkfield\.example\/sky +3 +3\n/);
  expect(stdout).toMatch(/2 {2}https:\/\/larkfield\.example\/map +1 +1\n/);
  const who = await avendel('campaigns', 'recipients', 'Third', '--acted', 'clicked', '--link', '2');
  expect(who.stdout).toContain('reader5@lanternpost.example');
  expect(who.stdout).not.toContain('reader0@');
  const json = JSON.parse((await avendel('campaigns', 'report', 'Third', '--json')).stdout) as object;
  expect(json).toMatchObject({ clicked: { human: 4 }, usual: { campaigns: 2 }, links: [{ people: 3 }, { people: 1 }] });
});

test('campaigns are compared by command line; one alone, and one that is not there, are refused', async () => {
  const { stdout } = await avendel('campaigns', 'compare', 'First', 'Third', String(ids[1]));
  expect(stdout).toMatch(/First .* 12 .*16\.67 %/);
  expect(stdout).toMatch(/Third .* 12 .*33\.33 %/);
  expect(stdout).toMatch(/Second .* 12 .*25\.00 %/);
  expect(await avendel('campaigns', 'compare', 'First', String(ids[0]))).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('Name two campaigns or more') as unknown,
  });
  expect((await avendel('campaigns', 'compare', 'First', 'Nothing')).stderr).toContain(
    'There is no campaign “Nothing”',
  );
});

test('the API refuses what is no list of campaigns', async () => {
  for (const list of ['', '1', 'a,b', '1,,2', Array.from({ length: 21 }, (_, index) => index + 1).join(',')])
    await expect(service.client.compareCampaigns({ ids: list })).rejects.toThrow(/ids/);
});

test('the report in the console: beside what is usual, when, and each link with who clicked it', async () => {
  await page.goto(`${service.console}/campaigns/${ids[2]}`);
  await page.getByRole('heading', { name: 'Links' }).waitFor();
  await page.getByText('of 12 delivered; usually, in the end: the median of the last 2').waitFor();
  const clicked = page.getByRole('row', { name: /^Clicked, by people/ });
  expect((await clicked.innerText()).split(/\s*\t\s*/)).toEqual([
    'Clicked, by people',
    '4',
    '33.33 %',
    '20.83 %',
    '+12.50',
  ]);
  await page.getByRole('button', { name: '1 clicked https://larkfield.example/map, by people' }).click();
  await page.getByRole('heading', { name: '1 contact clicked https://larkfield.example/map, by people' }).waitFor();
  await page.getByRole('link', { name: 'Reader 5' }).waitFor();
  await page.getByRole('heading', { name: 'When' }).waitFor();
});

test('campaigns are picked in the list and compared; a page that names none says what to do', async () => {
  await page.goto(`${service.console}/campaigns`);
  await page.getByRole('checkbox', { name: 'Compare First' }).check();
  await page.getByRole('button', { name: 'Pick another to compare' }).waitFor();
  await page.getByRole('checkbox', { name: 'Compare Third' }).check();
  await page.getByRole('button', { name: 'Compare 2' }).click();
  await page.getByRole('heading', { level: 1, name: /was opened most|Nothing was delivered/ }).waitFor();
  const row = page.getByRole('row', { name: /^Clicked, by people/ });
  expect((await row.innerText()).split(/\s*\t\s*/)).toEqual(['Clicked, by people', '16.67 %', '33.33 %']);
  await page.goto(`${service.console}/campaigns/compare?ids=x,${ids[0]}`);
  await page.getByRole('heading', { name: 'Choose two campaigns or more to compare' }).waitFor();
  await page.goto(`${service.console}/campaigns/compare?ids=${ids[0]},999`);
  await page.getByText('There is no campaign 999').waitFor();
});
