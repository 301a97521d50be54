import { afterEach, beforeEach, expect, test } from '@jest/globals';
import pg from 'pg';
import { makeSaying } from '../support/cli.ts';
import { openBrowser, signIn } from '../support/browser.ts';
import { startSink } from '../support/sink.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
beforeEach(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
});
afterEach(async () => {
  await service.stop();
  await sink.close();
});

const people = (count: number): string[] =>
  Array.from({ length: count }, (_, index) => `reader${index}@lanternpost.example`);

test('invariant 13, cap: five campaigns, two processes and kill -9: each contact gets two, nobody three, and nobody fewer', async () => {
  const addresses = people(150);
  const list = await makeList(service.client, addresses);
  await service.client.createCap({ messages: 2, days: 7 });
  sink.behaviour.delayMs = 10;
  await service.startAnother();
  const ids: number[] = [];
  for (let number = 0; number < 5; number++) ids.push(await makeCampaign(service.client, list, `Campaign ${number}`));
  for (const id of ids) await service.client.startCampaign({ id, expect: 150 });
  const clock = new pg.Client({ connectionString: service.databaseUrl });
  await clock.connect();
  // All compete, as if each had waited its hour for those before it; a minute passes at each look.
  const pass = async (): Promise<void> => {
    await clock.query(
      `UPDATE delivery SET not_before = least(not_before, now()), yielding_since = now() - interval '61 minutes' WHERE state = 'queued' AND not_before > now()`,
    );
  };
  await until(async () => (await pass(), sink.received.length > 60));
  // The relay holds its answers: with more than eight of them out, both processes have some.
  let letGo = (): void => undefined;
  sink.behaviour.held = new Promise((resolve) => (letGo = resolve));
  const before = sink.received.length;
  await until(async () => (await pass(), sink.received.length > before + 8));
  service.kill();
  delete sink.behaviour.held;
  letGo();
  await service.restart();
  await until(async () => {
    await pass();
    const reports = await Promise.all(ids.map((id) => service.client.report({ id })));
    return reports.every(({ state }) => state === 'finished');
  });
  await clock.end();
  const got = new Map<string, number>();
  for (const { to } of sink.received) got.set(to, (got.get(to) ?? 0) + 1);
  expect([...got].filter(([, messages]) => messages > 2)).toEqual([]);
  const doubted = new Set<string>();
  for (const id of ids) {
    const { ledger } = await service.client.report({ id });
    expect(ledger).toMatchObject({ audience: 150, waiting: 0, onTheirWay: 0, agrees: true });
    expect(ledger.reasons.every(({ reason }) => reason === 'capped')).toBe(true);
    for (const { address } of (await service.client.recipients({ id, state: 'uncertain', limit: 500 })).items)
      doubted.add(address);
  }
  expect(doubted.size).toBeGreaterThan(0);
  expect(addresses.filter((address) => got.get(address) !== 2 && !doubted.has(address))).toEqual([]);
  expect(await service.client.checkTallies()).toMatchObject({
    mailed: { differing: 0 },
    tallies: { differing: 0 },
  });
});

test('by command line: a cap and a standing exclusion, each on its line, one set aside with a reason', async () => {
  const { said, refused } = makeSaying(service);
  const list = await makeList(service.client, people(6));
  await service.client.applyAct({ act: 'tag', tag: 'guests', addresses: people(2), expect: 2, reason: 'a test' });
  expect(await said('caps', 'list')).toContain('There is no cap');
  expect(await said('exclusions', 'list')).toContain('There is none');
  const guests = ['--where', 'tagged "guests"', '--all-brands'];
  expect(await said('exclusions', 'preview', ...guests)).toMatch(/Larkfield Observatory +6 +2 +33/);
  expect(await said('exclusions', 'add', 'Guests', ...guests, '--reason', 'they come anyway')).toContain('“Guests”');
  expect(await said('exclusions', 'list')).toMatch(/Guests +tagged "guests" +all brands +they come anyway/);
  expect(await said('caps', 'set', '--messages', '1', '--days', '2')).toContain('1 message in 2 days');
  const [first, second] = [
    await makeCampaign(service.client, list, 'First'),
    await makeCampaign(service.client, list, 'Second'),
  ];
  await said('campaigns', 'send', `${first}`, '--expect', '4');
  await until(async () => (await service.client.report({ id: first })).state === 'finished');
  const counted = await said('campaigns', 'preflight', 'Second');
  expect(counted).toContain('0 of 6 will get this; 6 are held back');
  expect(counted).toMatch(/left-out: standing exclusion “Guests” +2/);
  expect(counted).toMatch(/capped +4/);
  const held = await said('campaigns', 'held-back', 'Second', '--reason', 'capped');
  expect(held).toMatch(/reader2@lanternpost\.example +Reader 2 +capped +1 message in 2 days, of this brand: First \(/);
  const aside = ['campaigns', 'set-aside', 'Second', 'Guests'];
  expect(await refused(...aside)).toContain('--reason');
  await said(...aside, '--reason', 'it is for them');
  expect(await said('campaigns', 'preflight', 'Second')).toContain('Does without “Guests”: it is for them');
  await said('campaigns', 'send', `${second}`, '--expect', '2');
  await until(async () => (await service.client.report({ id: second })).state === 'finished');
  expect(await said('campaigns', 'report', 'Second')).toContain('It did without “Guests”: it is for them');
  expect(await said('campaigns', 'recipients', 'Second', '--reason', 'capped')).toContain('1 message in 2 days');
  expect(await said('campaigns', 'recipients', 'First', '--by', 'exclusion 1')).toContain(
    'standing exclusion “Guests”',
  );
  expect(await said('contacts', 'check', 'reader3@lanternpost.example')).toContain('Marketing again from');
  await said(
    'campaigns',
    'edit',
    `${await makeCampaign(service.client, list, 'Third')}`,
    '--rest-days',
    '9',
    '--priority',
    '1',
  );
  expect(await said('campaigns', 'show', 'Third')).toMatch(/had a marketing message in 9 days\nPriority 1/);
  await said('caps', 'end', '1');
  await said('exclusions', 'end', 'Guests', '--reason', 'they ask for it');
  expect(await said('exclusions', 'list', '--ended')).toContain('they ask for it');
  expect(await said('caps', 'list', '--ended')).toContain('1 message in 2 days');
  // What cannot be.
  const set = ['caps', 'set', '--days', '7', '--messages'];
  expect(await refused(...set, '0')).toContain('messages must be greater than or equal to 1');
  expect(await refused(...set, '33')).toContain('messages must be less than or equal to 32');
  expect(await refused('caps', 'end', '1')).toContain('has ended already');
  expect(await refused('campaigns', 'edit', 'Third', '--priority', '6')).toContain('priority must be less than');
  const add = ['exclusions', 'add', 'Odd', '--reason', 'r'];
  expect(await refused(...add)).toContain('Say whom it leaves out');
  expect(await refused(...add, '--where', 'tagged')).toContain('condition');
  expect(await refused(...add, '--where', 'everyone')).toContain('It would leave out all 6 contacts');
});

test('in the console: a cap is set, somebody always left out, and one campaign does without it', async () => {
  const list = await makeList(service.client, people(6));
  await service.client.applyAct({ act: 'tag', tag: 'guests', addresses: people(2), expect: 2, reason: 'a test' });
  const [first, second] = [
    await makeCampaign(service.client, list, 'First'),
    await makeCampaign(service.client, list, 'Second'),
  ];
  await service.client.startCampaign({ id: first, expect: 6 });
  await until(async () => (await service.client.report({ id: first })).state === 'finished');
  const browser = await openBrowser();
  try {
    const page = await signIn(browser, service);
    await page.goto(`${service.console}/rules`);
    await page.getByText('No cap: nothing keeps two campaigns').waitFor();
    await page.getByRole('button', { name: 'Set a cap' }).click();
    await page.getByLabel('Messages at most').fill('1');
    await page.getByRole('button', { name: 'Set the cap' }).click();
    await page.getByRole('cell', { name: '1 message in 7 days', exact: true }).waitFor();
    await page.getByRole('button', { name: 'Leave somebody out' }).click();
    await page.getByPlaceholder('bounced in the last 45 days').fill('tagged "guests"');
    await page.getByRole('button', { name: 'Count whom that leaves out' }).click();
    await page.getByText('2 of the 6 to whom Larkfield Observatory may write').waitFor();
    await page.getByLabel('Name').fill('Guests');
    await page.getByLabel('Reason').last().fill('they come anyway');
    await page.getByRole('button', { name: 'Leave them out' }).click();
    await page.getByRole('row', { name: /^Guests.*tagged "guests".*they come anyway/ }).waitFor();

    await page.goto(`${service.console}/campaigns/${second}`);
    await page.getByRole('heading', { name: '0 of 6 will get this' }).waitFor();
    await page.getByRole('button', { name: /^capped 4/ }).click();
    await page
      .getByText(/^1 message in 7 days, of this brand: First/)
      .first()
      .waitFor();
    await page.getByRole('button', { name: /left out.*Guests.*2/ }).click();
    await page.getByRole('button', { name: 'Set “Guests” aside in this campaign' }).click();
    const act = page.getByRole('button', { name: 'Set Guests aside' });
    expect(await act.isDisabled()).toBe(true);
    await page.getByLabel('Why this campaign does without it').fill('it is for them');
    await act.click();
    await page.getByText('It does without “Guests”: it is for them').waitFor();
    await page.getByRole('button', { name: /^capped 6/ }).waitFor();
    await page.getByRole('button', { name: 'Take it up again' }).click();
    await page.getByRole('button', { name: /left out.*Guests.*2/ }).waitFor();

    await page.goto(`${service.console}/rules`);
    await page.getByRole('button', { name: 'End the cap of 1 message in 7 days' }).click();
    await page.getByRole('button', { name: 'Yes, end 1 message in 7 days' }).click();
    await page.getByText('No cap: nothing keeps two campaigns').waitFor();
    await page.getByRole('button', { name: 'End Guests' }).click();
    await page.getByLabel('Why “Guests” ends').fill('they ask for it');
    await page.getByRole('group', { name: 'End Guests' }).getByRole('button', { name: 'End Guests' }).click();
    await page.getByText('Nobody beyond what suppression stops.').waitFor();
    expect((await service.client.preflight({ id: second })).willGet).toBe(6);
  } finally {
    await browser.close();
  }
});
