import { afterAll, beforeAll, expect, test } from '@jest/globals';
import pg from 'pg';
import type { Browser, Page } from 'playwright-core';
import { atRest, gone, openBrowser, signIn } from '../support/browser.ts';
import { makeAvendel } from '../support/cli.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let browser: Browser;
let page: Page;
const holding = async (): Promise<pg.Client> => {
  const client = new pg.Client({ connectionString: service.databaseUrl });
  await client.connect();
  return client;
};

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await sink.close();
  await service.stop();
});

test('after an upgrade the console says that what was sent before is still being counted, and no longer when it is', async () => {
  const list = await makeList(service.client, ['ada@lanternpost.example', 'ben@lanternpost.example']);
  const id = await makeCampaign(service.client, list, 'Before');
  await service.client.startCampaign({ id, expect: 2 });
  await until(async () => (await service.client.report({ id })).state === 'finished');
  const [held, other] = [await holding(), await holding()];
  // Whoever takes in what was sent waits for this, so that it stays where it is while we look.
  await held.query('BEGIN; LOCK TABLE mailed IN ROW EXCLUSIVE MODE');
  await other.query('UPDATE catching_up SET upto = 0, finished_at = NULL');
  try {
    const shown = await makeAvendel(service)('tallies', 'show');
    expect(shown.stdout).toBe(
      'Which messages reached each contact: what was stored before is still being counted, 0 % so far.\n' +
        'Tallies of campaigns and days: what was stored before is still being counted, 0 % so far.\n',
    );
    await page.goto(`${service.console}/campaigns/${id}`);
    await atRest(page);
    const bar = page.getByRole('link', { name: 'Counting what was sent before', exact: true });
    await bar.waitFor();
    await page.getByText('what was sent before is still being counted').waitFor();
    await held.query('COMMIT');
    await gone(bar);
    await gone(page.getByText('what was sent before is still being counted'));
  } finally {
    await held.end();
    await other.end();
  }
  expect(await service.client.checkTallies()).toMatchObject({
    tallies: { differing: 0 },
    messages: { differing: 0 },
    mailed: { rows: 2, differing: 0 },
    catchingUp: [],
  });
});
