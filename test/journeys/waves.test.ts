import { afterEach, beforeEach, expect, test } from '@jest/globals';
import pg from 'pg';
import { makeSaying } from '../support/cli.ts';
import { openBrowser, signIn } from '../support/browser.ts';
import { startSink, twice } from '../support/sink.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let clock: pg.Client;
beforeEach(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  clock = new pg.Client({ connectionString: service.databaseUrl });
  await clock.connect();
});
afterEach(async () => {
  await clock.end();
  await service.stop();
  await sink.close();
});

const people = (count: number): string[] =>
  Array.from({ length: count }, (_, index) => `reader${index}@lanternpost.example`);
const stateOf = async (id: number) => (await service.client.campaign({ id })).state;
const FIRST = { of: { condition: 'tagged "first"' }, afterHours: null, at: null, test: null };
const REST = { of: { rest: true as const }, afterHours: 24, at: null, test: null };
/** The hours between two waves have passed. */
const dayLater = (id: number) =>
  clock.query(`UPDATE campaign_wave SET begun_at = begun_at - interval '25 hours' WHERE campaign_id = $1`, [id]);

test('invariant 14, wave: killed at each change of state, with another process at it, nothing leaves early, twice or not at all', async () => {
  const addresses = people(60);
  const first = addresses.slice(0, 20);
  const list = await makeList(service.client, addresses);
  await service.client.applyAct({ act: 'tag', tag: 'first', addresses: first, expect: 20, reason: 'a test' });
  const id = await makeCampaign(service.client, list, 'In waves');
  await service.client.changeCampaign({ id, waves: [FIRST, REST] });
  sink.behaviour.delayMs = 10;
  const at = new Date(Date.now() + 3_600_000).toISOString();
  await service.client.scheduleCampaign({ id, at, expect: 60 });
  const kill = async (): Promise<void> => {
    service.kill();
    await service.restart();
  };
  // Scheduled → sending.
  await clock.query(`UPDATE campaign SET starts_at = now() - interval '1 second' WHERE id = $1`, [id]);
  await kill();
  await service.startAnother();
  await until(async () => (await stateOf(id)) === 'resting');
  const early = sink.received.map(({ to }) => to);
  expect(early.filter((address) => !first.includes(address))).toEqual([]);
  // Between waves.
  await kill();
  await dayLater(id);
  await until(() => sink.received.length > early.length + 5);
  // In the second one.
  await kill();
  await until(async () => (await stateOf(id)) === 'finished');
  expect(twice(sink.received)).toEqual([]);
  const { ledger } = await service.client.report({ id });
  expect(ledger).toMatchObject({ audience: 60, waiting: 0, heldBack: 0, agrees: true });
  expect(ledger.accepted + ledger.uncertain).toBe(60);
  const { waves } = await service.client.waves({ id });
  expect(waves.map(({ state, audience }) => [state, audience])).toEqual([
    ['begun', 20],
    ['begun', 40],
  ]);
  const begun = (await service.client.campaignChanges({ id })).filter(({ because }) => because?.includes('begins'));
  expect(begun).toHaveLength(1);
});

test('by command line: the engaged first, held by its test, gone on with a reason; scheduled and called off; hours', async () => {
  const { said, refused } = makeSaying(service);
  const list = await makeList(service.client, people(30));
  const id = await makeCampaign(service.client, list, 'Half first');
  await said('campaigns', 'edit', 'Half first', '--share-first', '50');
  expect(await said('campaigns', 'preflight', 'Half first')).toMatch(/50 %, by chance +\d+ +0/);
  expect(await said('campaigns', 'show', 'Half first')).toContain('Wave 2: the rest, 24 hours after the one before');
  // Three of the first wave are refused for good: with so few that is too many.
  let refusals = 0;
  sink.behaviour.rcpt = () => ((refusals += 1) <= 3 ? { code: 550, message: '5.1.1 no such mailbox' } : undefined);
  await said('campaigns', 'send', `${id}`, '--expect', '30');
  await until(async () => (await stateOf(id)) === 'resting');
  await dayLater(id);
  await until(async () => (await stateOf(id)) === 'paused');
  const shown = await said('campaigns', 'waves', `${id}`);
  expect(shown).toMatch(/2 +the rest +held/);
  expect(shown).toContain('Wave 2 is held: wave 1: 3 bounced hard, 0 complained');
  expect(await refused('campaigns', 'resume', `${id}`)).toContain('Begin it with a reason');
  expect(await refused('campaigns', 'begin-wave', `${id}`, '2')).toContain('--reason');
  await said('campaigns', 'begin-wave', `${id}`, '2', '--reason', 'one file, which is mended');
  await until(async () => (await stateOf(id)) === 'finished');
  expect(await said('campaigns', 'changes', `${id}`)).toContain('wave 2 begins: one file, which is mended');

  const later = await makeCampaign(service.client, list, 'Later');
  await said('campaigns', 'edit', 'Later', '--hours', 'mon-fri,sun 09:00-18:00', '--engaged-first');
  expect(await said('campaigns', 'show', 'Later')).toContain('Is sent Mon, Tue, Wed, Thu, Fri, Sun, 09:00 to 18:00');
  expect(await said('campaigns', 'schedule', 'Later', '--at', '2099-01-08 08:30', '--expect', '27')).toContain(
    'starts at 2099-01-08 08:30',
  );
  expect(await said('campaigns', 'list', '--state', 'scheduled')).toContain('Later');
  expect(await refused('campaigns', 'edit', 'Later', '--subject', 'x')).toContain('only a draft can be changed');
  expect(await said('campaigns', 'call-off', 'Later')).toContain('is a draft again');
  await said('campaigns', 'copy', 'Later', 'Later too');
  expect(await service.client.campaign({ id: later + 1 })).toMatchObject({ sendWindow: { from: '09:00' } });
  await said('campaigns', 'edit', 'Later', '--hours', 'any', '--at-once');
  expect(await service.client.campaign({ id: later })).toMatchObject({ sendWindow: null, waves: null });
  expect(await refused('campaigns', 'edit', 'Later', '--hours', 'noon')).toContain('names no hours');
  expect(await refused('campaigns', 'edit', 'Later', '--hours', '09:00-09:00')).toContain('never be open');
  expect(await refused('campaigns', 'edit', 'Later', '--engaged-first', '--at-once')).toContain('Say one of');
  expect(await refused('campaigns', 'schedule', 'Later', '--at', 'noon', '--expect', '27')).toContain('is no time');
});

test('in the console: parts and hours are chosen, it is scheduled, rests, and a held wave is gone on with', async () => {
  const list = await makeList(service.client, people(12));
  await service.client.applyAct({ act: 'tag', tag: 'first', addresses: people(4), expect: 4, reason: 'a test' });
  const id = await makeCampaign(service.client, list, 'In waves');
  const browser = await openBrowser();
  try {
    const page = await signIn(browser, service);
    await page.goto(`${service.console}/campaigns/${id}`);
    await page.getByRole('button', { name: 'Edit the draft' }).click();
    await page.getByRole('combobox', { name: 'In which parts' }).click();
    await page.getByRole('option', { name: /^The engaged first/ }).click();
    await page.getByRole('group', { name: 'Wave 1' }).getByLabel('Condition').fill('tagged "first"');
    await page.getByRole('button', { name: 'Save the draft' }).click();
    await page.getByRole('row', { name: /^1 tagged "first" at the start 4 0/ }).waitFor();
    await page.getByRole('row', { name: /^2 the rest 24 hours after the one before, if that went well 8 0/ }).waitFor();

    await page.getByRole('button', { name: 'Send it later' }).click();
    await page.getByLabel(/^When, by the clock in/).fill('2099-01-08T08:30');
    await page.getByRole('button', { name: 'Schedule it' }).click();
    await page.getByText(/^Starts by itself on .*08:30/).waitFor();
    await page.getByRole('button', { name: 'Call it off, make it a draft again' }).click();
    await page.getByRole('button', { name: 'Send it later' }).waitFor();

    await page.getByRole('button', { name: 'Send to 12' }).click();
    await page.getByText('in 2 waves, the first now').waitFor();
    await page.getByRole('button', { name: 'Yes, send it to 12' }).click();
    await page.getByText(/It rests between waves/).waitFor({ timeout: 150_000 });
    await page.getByRole('heading', { name: 'Waves' }).waitFor();
    // A complaint about the first of them: the second waits.
    const { items } = await service.client.recipients({ id, state: 'accepted', limit: 1 });
    const complaint = { kind: 'complained', address: items[0]!.address, brandId: list.brandId, campaignId: id };
    const event = { ...complaint, at: new Date().toISOString(), source: 'elsewhere', externalId: 'one' };
    await service.client.recordEvents({ file: JSON.stringify(event) });
    await dayLater(id);
    const ask = page.getByRole('group', { name: 'Begin wave 2' });
    await ask.getByText(/^Wave 2 waits for you: wave 1: 0 bounced hard, 1 complained/).waitFor();
    const goOn = ask.getByRole('button', { name: 'Go on with the 8' });
    expect(await goOn.isDisabled()).toBe(true);
    await ask.getByLabel('Reason').fill('they pressed the wrong button');
    await goOn.click();
    await page.getByText('wave 2 begins: they pressed the wrong button').waitFor();
    await until(async () => (await stateOf(id)) === 'finished');
    expect(sink.received).toHaveLength(12);
  } finally {
    await browser.close();
  }
});
