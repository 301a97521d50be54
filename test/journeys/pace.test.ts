import { afterEach, beforeEach, expect, test } from '@jest/globals';
import pg from 'pg';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeSaying } from '../support/cli.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink, twice } from '../support/sink.ts';

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

const people = (domain: string, count: number): string[] =>
  Array.from({ length: count }, (_, index) => `reader${index}@${domain}.example`);
const [SLOW, DEAD] = ['quillmail.example', 'hearthmail.example'];
const of = (domain: string): string[] => sink.received.map(({ to }) => to).filter((to) => to.endsWith(`@${domain}`));
const stateOf = async (id: number) => (await service.client.campaign({ id })).state;
const progress = (id: number) => service.client.campaignProgress({ id });
const domain = async (id: number, name: string) => (await progress(id)).domains.find((one) => one.domain === name)!;
/** So many minutes have passed for whoever waits. */
async function later(minutes: number): Promise<void> {
  await clock.query(
    `UPDATE campaign_pace SET tokens_at = tokens_at - $1 * interval '1 minute', quiet_since = quiet_since - $1 * interval '1 minute'`,
    [minutes],
  );
  await clock.query(
    `UPDATE delivery SET not_before = not_before - $1 * interval '1 minute' WHERE state = 'queued' AND not_before IS NOT NULL`,
    [minutes],
  );
}

test('killed while one domain is slowed down and another is braked, with another process at it: both stay so, and everybody gets it once', async () => {
  const [well, slow, dead] = [people('lanternpost', 400), people('quillmail', 60), people('hearthmail', 320)];
  const list = await makeList(service.client, [...well, ...slow, ...dead]);
  const id = await makeCampaign(service.client, list, 'To three domains');
  // Some are left when the brake has seen the others.
  const domains = [{ domain: DEAD, perHour: 90_000, connections: null }];
  await service.client.setCampaignPace({ id, pace: { perHour: null, connections: null, domains } });
  const gone = new Set<string>();
  let isSlow = true;
  sink.behaviour.rcpt = (to) => {
    if (isSlow && to.endsWith(`@${SLOW}`)) return { code: 451, message: '4.7.1 too much at once' };
    // Only once so many have gone that the others’ part in it says nothing of the whole.
    if (!to.endsWith(`@${DEAD}`) || of(DEAD).length < 180 || (gone.size >= 16 && !gone.has(to))) return undefined;
    gone.add(to);
    return { code: 550, message: '5.1.1 mailbox unknown' };
  };
  await service.client.startCampaign({ id, expect: 780 });
  await service.startAnother();
  await until(async () => (await domain(id, DEAD)).stopped);
  await until(() => of('lanternpost.example').length === 400);
  await until(async () => (await domain(id, SLOW)).slowed);
  expect(await domain(id, DEAD)).toMatchObject({ stoppedBy: 'the brake', hard: gone.size });
  const { brakes } = await progress(id);
  expect(brakes[brakes.length - 1]).toMatchObject({ figure: 'hard', said: [{ text: '550 5.1.1 mailbox unknown' }] });
  service.kill();
  await service.restart();
  expect(await domain(id, DEAD)).toMatchObject({ stopped: true });
  expect(await domain(id, SLOW)).toMatchObject({ slowed: true, accepted: 0 });
  const before = of(DEAD).length;
  await later(1);
  await later(1);
  isSlow = false;
  await until(async () => {
    await later(5);
    return of(SLOW).length > 10;
  });
  service.kill();
  await service.restart();
  await until(async () => {
    await later(5);
    return (await stateOf(id)) === 'paused';
  });
  expect(of(DEAD).length).toBe(before);
  await service.client.goOnWithDomain({ id, domain: DEAD, reason: 'the dead are one file' });
  await until(async () => {
    await later(5);
    return (await stateOf(id)) === 'finished';
  });
  expect(twice(sink.received)).toEqual([]);
  const { ledger } = await service.client.report({ id });
  expect(ledger).toMatchObject({ audience: 780, waiting: 0, onTheirWay: 0, heldBack: 0, agrees: true });
  expect(ledger.accepted + ledger.refused + ledger.uncertain).toBe(780);
});

test('by command line: a pace is set, a domain stopped and gone on with, the brake’s limits changed', async () => {
  const { said, refused } = makeSaying(service);
  const list = await makeList(service.client, [...people('lanternpost', 6), ...people('hearthmail', 4)]);
  const id = await makeCampaign(service.client, list, 'Slowly');
  expect(await said('campaigns', 'pace', 'Slowly')).toContain('goes as fast as the relay takes it');
  await said('campaigns', 'pace', 'Slowly', '--per-hour', '36000', '--domain', `${DEAD}=600/2`);
  expect(await said('campaigns', 'show', 'Slowly')).toContain('Pace: 36,000 an hour');
  expect(await said('campaigns', 'pace', 'Slowly')).toContain(`${DEAD}: 600 an hour, 2 at once`);
  for (const [given, answer] of [
    [['--per-hour', '0'], 'at least 1; to hold a campaign back, pause it'],
    [['--per-hour', 'fast'], 'no whole number'],
    [['--domain', DEAD], 'is no pace of a domain'],
    [['--domain', 'no domain=5'], 'valid domain name'],
    [['--domain', `${DEAD}=1/0`], 'at least 1'],
  ] as const)
    expect(await refused('campaigns', 'pace', 'Slowly', ...given)).toContain(answer);
  expect(await refused('campaigns', 'stop-domain', 'Slowly', DEAD, '--reason', 'x')).toContain('is draft');

  await said('campaigns', 'pace', 'Slowly', '--per-hour', 'any', '--domain', `${DEAD}=1`);
  await said('campaigns', 'send', `${id}`, '--expect', '10');
  await until(() => of('lanternpost.example').length === 6);
  expect(await said('campaigns', 'progress', 'Slowly')).toMatch(
    /Waiting: 4 for the pace\..*hearthmail\.example +4 +0 +0 +0 +0 +1 an hour/s,
  );
  expect(await refused('campaigns', 'stop-domain', 'Slowly', DEAD)).toContain('--reason');
  await said('campaigns', 'stop-domain', 'Slowly', DEAD, '--reason', 'their postmaster asked');
  await until(async () => (await stateOf(id)) === 'paused');
  const shown = await said('campaigns', 'progress', 'Slowly');
  expect(shown).toContain('Waiting: 4 for a stopped domain');
  expect(shown).toContain(`${DEAD} is stopped by Rosa Lindgard`);
  expect(await refused('campaigns', 'resume', 'Slowly')).toContain('but who waits at domains that are stopped');
  await said('campaigns', 'pace', 'Slowly', '--none');
  expect(await said('campaigns', 'go-on', 'Slowly', DEAD, '--reason', 'they are well')).toContain('goes on');
  await until(async () => (await stateOf(id)) === 'finished');
  expect(of(DEAD)).toHaveLength(4);
  expect(await said('campaigns', 'changes', 'Slowly')).toContain(`${DEAD} goes on: they are well`);
  expect(await refused('campaigns', 'go-on', 'Slowly', DEAD, '--reason', 'again')).toContain(
    'only one that is sending',
  );
  expect(await refused('campaigns', 'pace', 'Slowly', '--per-hour', '5')).toContain('given a pace');

  expect(await said('brake', 'show')).toMatch(/hard bounces, of those tried +3 %/);
  expect(await said('brake', 'set', '--hard', '1.5', '--complaints', '0.2')).toMatch(/1\.5 %[^]*0\.2 %/);
  expect(await refused('brake', 'set')).toContain('Say which');
  expect(await refused('brake', 'set', '--hard', '0')).toContain('greater than 0');
  expect(await refused('brake', 'set', '--hard', 'few')).toContain('hard');
});

test('after the brake going on needs a reason, by every way in', async () => {
  const { said, refused } = makeSaying(service);
  const addresses = people('lanternpost', 260);
  const list = await makeList(service.client, addresses);
  const id = await makeCampaign(service.client, list, 'Too many complaints');
  await service.client.setCampaignPace({ id, pace: { perHour: 79_200, connections: null, domains: [] } });
  await service.client.startCampaign({ id, expect: 260 });
  await until(() => sink.received.length >= 210);
  await service.client.setCampaignPace({ id, pace: { perHour: 1, connections: null, domains: [] } });
  const lines = sink.received.slice(0, 8).map(({ to }, index) =>
    JSON.stringify({
      kind: 'complained',
      address: to,
      brandId: list.brandId,
      campaignId: id,
      at: new Date().toISOString(),
      source: 'reports',
      externalId: `${index}`,
    }),
  );
  await service.client.recordEvents({ file: lines.join('\n') });
  await until(async () => (await stateOf(id)) === 'paused');
  expect((await service.client.campaign({ id })).pausedBecause).toMatch(/^the brake: 8 of \d+ complained/);
  expect(await refused('campaigns', 'resume', `${id}`)).toContain('Going on needs a reason');
  const browser = await openBrowser();
  try {
    const page = await signIn(browser, service);
    await page.goto(`${service.console}/campaigns/${id}`);
    await page.getByRole('heading', { name: /^The brake stopped it: 8 of \d+ complained$/ }).waitFor();
    const goOn = page.getByRole('button', { name: 'Go on', exact: true });
    expect(await goOn.isDisabled()).toBe(true);
    await page.getByLabel('Reason').first().fill('the wrong link is mended');
    await goOn.click();
    await page.getByText('the wrong link is mended').waitFor();
  } finally {
    await browser.close();
  }
  expect((await progress(id)).brakes.find(({ slice }) => slice === 'campaign')).toMatchObject({
    releasedBy: 'Rosa Lindgard',
    reason: 'the wrong link is mended',
  });
  expect(await said('campaigns', 'progress', `${id}`)).toContain('Rosa Lindgard went on: the wrong link is mended');
});

test('in the console: a draft gets a pace, a running campaign another; a domain is stopped, and called off; the limits are the brand’s', async () => {
  const list = await makeList(service.client, [...people('lanternpost', 6), ...people('hearthmail', 4)]);
  const id = await makeCampaign(service.client, list, 'Slowly');
  const browser = await openBrowser();
  try {
    const page = await signIn(browser, service);
    await page.goto(`${service.console}/campaigns/${id}`);
    await page.getByRole('button', { name: 'Edit the draft' }).click();
    const pace = page.getByRole('group', { name: 'Pace' });
    await pace.getByRole('button', { name: 'A pace for a receiving domain' }).click();
    await pace.getByLabel('Receiving domain').fill(DEAD);
    await pace.getByLabel(`Messages an hour, ${DEAD}`).fill('1');
    await page.getByRole('button', { name: 'Save the draft' }).click();
    await page.getByRole('heading', { name: 'Edit the draft' }).waitFor({ state: 'hidden' });
    expect((await service.client.campaign({ id })).pace).toEqual({
      perHour: null,
      connections: null,
      domains: [{ domain: DEAD, perHour: 1, connections: null }],
    });

    await page.getByRole('button', { name: 'Send to 10' }).click();
    await page.getByRole('button', { name: 'Yes, send it to 10' }).click();
    await page.getByRole('row', { name: /hearthmail\.example 4 0 0 0 1 an hour/ }).waitFor();
    await page.getByText('of these for the pace').waitFor();
    await page.getByRole('button', { name: 'Set the pace' }).click();
    await page.getByLabel('On their way at once, in all').fill('3');
    await page.getByRole('button', { name: 'Go at this pace' }).click();
    await page.getByText(`Set: 3 at once; ${DEAD}: 1 an hour.`).waitFor();

    await page.getByRole('button', { name: `About ${DEAD}` }).click();
    const stop = page.getByRole('button', { name: `Stop ${DEAD}` });
    expect(await stop.isDisabled()).toBe(true);
    await page.getByLabel('Reason').fill('their postmaster asked');
    await stop.click();
    await page.getByRole('heading', { name: `${DEAD} is stopped` }).waitFor();
    await page.getByText('Stopped by Rosa Lindgard: their postmaster asked. 4 wait.').waitFor();
    await page.getByLabel('Reason').fill('too late');
    await page.getByRole('button', { name: 'Call the 4 off' }).click();
    await until(async () => (await stateOf(id)) === 'finished');
    await page.getByText(`who waits at ${DEAD} is called off: too late`).waitFor();
    expect(of(DEAD)).toEqual([]);

    await page.goto(`${service.console}/rules`);
    await page.getByLabel('Hard bounces, of those tried').fill('2');
    await page.getByRole('button', { name: 'Brake from these on' }).click();
    await until(async () => (await service.client.brakeLimits({ brandId: list.brandId })).hard === 0.02);
  } finally {
    await browser.close();
  }
});
