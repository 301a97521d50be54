import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { BadDay } from '../../src/simulator/outside/mailbox.ts';
import { startOutsideWorld, type OutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import { speakHttp } from '../../src/simulator/speak-http.ts';
import { loadWorld } from '../../src/simulator/world/load-world.ts';
import { makePeople } from '../../src/simulator/world/people.ts';
import { startRealService, until, type Running } from '../support/service.ts';

/** The demo as somebody sees it first, with fewer people: what the product is for is there to be looked at. */
const PEOPLE = 1500;
let service: Running;
let outside: OutsideWorld;
let brandId: number;

beforeAll(async () => {
  service = await startRealService();
  const badDays = new Map<string, BadDay>();
  outside = await startOutsideWorld({
    host: '127.0.0.1',
    port: service.relayPort,
    intakeHost: '127.0.0.1',
    intakePort: service.intakePort,
    pace: 0.1,
    people: makePeople(PEOPLE),
    badDays: () => badDays,
    say: (text) => console.error(text),
  });
  await loadWorld(speakHttp(service.console, service.token), new Date(), () => undefined, {
    peopleCount: PEOPLE,
    providers: {
      beginBadDay: (domain) => badDays.set(domain, 'unknown'),
      endBadDay: (domain) => badDays.delete(domain),
    },
  });
  brandId = (await service.client.brands()).find(({ name }) => name === 'Larkfield Observatory')!.id;
});
afterAll(async () => {
  await outside.stop();
  await service.stop();
});

test('Today has something of each kind that needs a look, and a step of the ladder that is due', async () => {
  await until(async () => {
    const { storms, changed, unmatchedReturns, asking, ladder } = await service.client.today({ brandId });
    expect(storms).toMatchObject([{ domain: 'campusnet.example' }]);
    expect(changed.bounceCount).toBeGreaterThan(0);
    expect(unmatchedReturns).toBeGreaterThan(0);
    expect(asking).toBeGreaterThan(0);
    expect(ladder!.moving).toBeGreaterThan(0);
    return true;
  }, 20_000);
});

test('the latest campaign left just now, with hold-backs and refusals in a ledger that agrees', async () => {
  // It waits for the storm to be decided: nobody else is left.
  await until(async () => (await service.client.campaigns({ brandId, state: 'paused' })).items.length === 1, 20_000);
  const [latest] = (await service.client.campaigns({ brandId, state: 'paused' })).items;
  const { domains, waits } = await service.client.campaignProgress({ id: latest!.id });
  expect(domains[0]).toMatchObject({ domain: 'campusnet.example', stopped: true, waiting: waits.stopped });
  expect(waits).toMatchObject({ next: 0, pace: 0, time: 0, laterWaves: 0 });
  const { ledger, bounced } = await service.client.report({ id: latest!.id });
  expect(Date.now() - Date.parse(latest!.startedAt!)).toBeLessThan(600_000);
  expect(ledger.agrees).toBe(true);
  expect(ledger.refused).toBeGreaterThan(0);
  expect(ledger.reasons.map(({ reason }) => reason)).toEqual(
    expect.arrayContaining(['undeliverable', 'unsubscribed', 'sunset']),
  );
  expect(bounced.hard).toBeGreaterThanOrEqual(30);
  await until(async () => {
    const { opened, clicked } = await service.client.report({ id: latest!.id });
    return opened.human > 0 && opened.any > opened.human && clicked.human > 0 && clicked.any > clicked.human;
  }, 20_000);
});

test('somebody who asks to stop wrote so in their own words, and granting it takes them off', async () => {
  const [reply] = (await service.client.returns({ state: 'asks' })).items;
  const { message } = await service.client.return({ id: reply!.id });
  expect(message).toContain('please stop sending these to me');
  const from = /From: <(.+)>/.exec(message!)![1]!;
  await service.client.grantStop({ id: reply!.id });
  const verdict = (await service.client.check({ address: from })).brands.find((one) => one.brandId === brandId)!;
  expect(verdict.eligible).toBe(false);
});
