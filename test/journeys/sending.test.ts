import { afterEach, beforeEach, describe, expect, test } from '@jest/globals';
import { simpleParser } from 'mailparser';
import pg from 'pg';
import { mostUnrecorded } from '../../src/operations/campaigns/send-campaign.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { deliveryReport } from '../../src/simulator/reports.ts';
import { makeAvendel } from '../support/cli.ts';
import { startSink, twice } from '../support/sink.ts';

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
const ended = (id: number) => until(async () => (await service.client.report({ id })).state === 'finished');
const total = ({
  accepted,
  refused,
  uncertain,
  waiting,
  onTheirWay,
  heldBack,
}: Awaited<ReturnType<Running['client']['report']>>['ledger']) =>
  accepted + refused + uncertain + waiting + onTheirWay + heldBack;

test('a message is what the standards ask for', async () => {
  const list = await makeList(service.client, ['ada@lanternpost.example']);
  const id = await makeCampaign(service.client, list, 'One');
  await service.client.startCampaign({ id, expect: 1 });
  await ended(id);
  const { raw, from, to } = sink.received[0]!;
  const mail = await simpleParser(raw);
  expect(to).toBe('ada@lanternpost.example');
  expect(from).toMatch(/^b\.[a-z2-7]{39}@returns\.larkfield\.example$/);
  expect(raw).toMatch(/^Content-Type: multipart\/alternative/m);
  expect(raw).toMatch(/^List-Unsubscribe-Post: List-Unsubscribe=One-Click\r$/m);
  expect(mail.text).toContain('Dear Reader,');
  expect(mail.html).toContain(`${service.public}/to/`);
  expect(mail.html).toContain(`${service.public}/seen/`);
  expect(raw.split('\r\n').every((line) => line.length <= 998)).toBe(true);
});

describe('invariant 1, gate, and invariant 2, ledger', () => {
  test('entries added while the send runs stop every message after their acknowledgement; the ledger adds up at every look, with two processes', async () => {
    const addresses = people(300);
    const list = await makeList(service.client, addresses);
    const id = await makeCampaign(service.client, list, 'Slow');
    const doNotWrite = await service.client.createSuppressionList({ name: 'Do not write' });
    sink.behaviour.delayMs = 25;
    let letGo = (): void => undefined;
    sink.behaviour.held = new Promise((resolve) => (letGo = resolve));
    await service.startAnother();
    await service.client.startCampaign({ id, expect: 300 });
    await until(() => sink.received.length > 0);
    const acknowledged = new Map<string, number>();
    const announced = new Set<string>();
    // From the last on: the first of these come while the relay holds its answers, the others while messages go.
    const suppressed = addresses.filter((_, index) => index % 10 === 9).reverse();
    for (const address of suppressed) {
      if (acknowledged.size === 10) letGo();
      const { onTheirWay } = await service.client.addEntries({
        id: doNotWrite.id,
        values: [address],
        reason: 'asked while it was running',
      });
      acknowledged.set(address, Date.now());
      if (onTheirWay > 0) announced.add(address);
      const { ledger } = await service.client.report({ id });
      expect(total(ledger)).toBe(300);
      expect(ledger.audience).toBe(300);
    }
    await ended(id);
    // What was on its way beyond recall the answer said so; of all others nothing leaves after it.
    const late = sink.received.filter(({ to, at }) => !announced.has(to) && at > (acknowledged.get(to) ?? Infinity));
    expect(late.map(({ to }) => to)).toEqual([]);
    expect(announced.size).toBeLessThan(10);
    const { ledger } = await service.client.report({ id });
    const stopped = ledger.reasons.find(({ reason }) => reason === 'suppressed')?.contacts ?? 0;
    expect(stopped).toBeGreaterThanOrEqual(10);
    expect(ledger).toMatchObject({
      audience: 300,
      heldBack: stopped,
      accepted: 300 - stopped,
      uncertain: 0,
      waiting: 0,
      agrees: true,
    });
    expect(sink.received).toHaveLength(300 - stopped);
    expect(twice(sink.received)).toEqual([]);
  });
});

describe('invariant 6, once', () => {
  test('kill -9 in the middle of a send, with another process going on: nobody gets it twice, what cannot be known is uncertain', async () => {
    const list = await makeList(service.client, people(400));
    const id = await makeCampaign(service.client, list, 'Interrupted');
    sink.behaviour.delayMs = 15;
    await service.client.startCampaign({ id, expect: 400 });
    await until(() => sink.received.length > 120);
    service.kill();
    await service.restart();
    await ended(id);
    const { ledger } = await service.client.report({ id });
    expect(twice(sink.received)).toEqual([]);
    expect(total(ledger)).toBe(400);
    expect(ledger.accepted + ledger.uncertain).toBe(400);
    expect(ledger.uncertain).toBeGreaterThan(0);
    expect(ledger.uncertain).toBeLessThanOrEqual(mostUnrecorded(8));
    const reached = new Set(sink.received.map((message) => message.to));
    const uncertain = (await service.client.recipients({ id, state: 'uncertain', limit: 500 })).items.map(
      (one) => one.address,
    );
    expect(people(400).filter((address) => !reached.has(address) && !uncertain.includes(address))).toEqual([]);
  });

  test('the server ends every connection in the middle of a send: the process registers anew, and what it claims after that is settled when it dies', async () => {
    const list = await makeList(service.client, people(400));
    const id = await makeCampaign(service.client, list, 'Cut off');
    sink.behaviour.delayMs = 15;
    await service.client.startCampaign({ id, expect: 400 });
    await until(() => sink.received.length > 120);
    const other = new pg.Client({ connectionString: service.databaseUrl });
    await other.connect();
    const living = async (): Promise<string[]> =>
      (await other.query<{ id: string }>('SELECT id FROM service_process')).rows.map((row) => row.id);
    const [before] = await living();
    await other.query(
      'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()',
    );
    await until(async () => (await living()).some((one) => one !== before));
    await ended(id);
    const { ledger } = await service.client.report({ id });
    expect(ledger.accepted + ledger.uncertain).toBe(400);
    expect(ledger.uncertain).toBeLessThanOrEqual(mostUnrecorded(8));
    const next = await makeCampaign(service.client, list, 'Killed after that');
    const sent = sink.received.length;
    await service.client.startCampaign({ id: next, expect: 400 });
    await until(() => sink.received.length > sent + 120);
    service.kill();
    await service.restart();
    await ended(next);
    const after = (await service.client.report({ id: next })).ledger;
    expect(after.accepted + after.uncertain).toBe(400);
    expect(after.uncertain).toBeGreaterThan(0);
    expect(twice(sink.received.slice(0, sent))).toEqual([]);
    expect(twice(sink.received.slice(sent))).toEqual([]);
    await other.end();
  });

  test('invariant 19, tally: killed while it sends, with another at it and people clicking, every count is right; a wrong one is found', async () => {
    const list = await makeList(service.client, people(300));
    const id = await makeCampaign(service.client, list, 'Counted');
    const avendel = makeAvendel(service);
    sink.behaviour.delayMs = 10;
    await service.startAnother();
    await service.client.startCampaign({ id, expect: 300 });
    await until(() => sink.received.length > 60);
    const link = /http:\/\/\S+\/to\/[^\s"<]+/.exec((await simpleParser(sink.received[0]!.raw)).text!)![0];
    await Promise.all([fetch(link, { redirect: 'manual' }), fetch(link, { redirect: 'manual' })]);
    service.kill();
    await service.restart();
    await ended(id);
    const checked = await avendel('tallies', 'check');
    expect(checked.stdout).toMatch(/tallies counted anew: none differs\.\n/);
    expect(checked.stdout).toMatch(/messages with acts or bounces counted anew: none differs\.\n/);
    expect(checked.stdout).toMatch(/rows of which messages reached whom counted anew: none differs\.\n/);
    expect(checked).toMatchObject({ code: 0, stderr: '' });
    expect((await avendel('tallies', 'show')).stdout).toMatch(
      /^Tallies of campaigns and days: all is counted, since /m,
    );
    const other = new pg.Client({ connectionString: service.databaseUrl });
    await other.connect();
    const { rows } = await other.query<{ n: number }>('SELECT count(*)::int AS n FROM mailed WHERE ever = 1');
    const { ledger } = await service.client.report({ id });
    expect(rows[0]!.n).toBe(ledger.accepted);
    await other.query(`UPDATE campaign_tally SET n = n + 1 WHERE campaign_id = $1 AND figure = 'accepted'`, [id]);
    const spoiled = await avendel('tallies', 'check', '--json');
    await other.end();
    expect(spoiled.code).toBe(1);
    expect(JSON.parse(spoiled.stdout)).toMatchObject({
      tallies: {
        differing: 1,
        sample: [`campaign ${id} wave 1 accepted 0h: ${ledger.accepted + 1} instead of ${ledger.accepted}`],
      },
      messages: { differing: 0 },
      mailed: { differing: 0 },
    });
  });

  test('asked to end in the middle of a send it ends with nothing uncertain, and the rest goes when it is back', async () => {
    const id = await makeCampaign(service.client, await makeList(service.client, people(400)), 'Restarted');
    sink.behaviour.delayMs = 100;
    await service.client.startCampaign({ id, expect: 400 });
    await until(() => sink.received.length > 30);
    expect(await service.end()).toBe(0);
    // A claim of 400 would have gone on for five seconds; what had passed the gate is answered and recorded.
    const before = sink.received.length;
    expect(before).toBeLessThan(400);
    sink.behaviour.delayMs = 0;
    await service.restart();
    await ended(id);
    expect((await service.client.report({ id })).ledger).toMatchObject({ accepted: 400, uncertain: 0, agrees: true });
    expect(twice(sink.received)).toEqual([]);
    expect(sink.received).toHaveLength(400);
  });

  test('a line that breaks in the middle of DATA leaves uncertain, and is never tried again', async () => {
    sink.behaviour.cutData = (address) => address === 'reader3@lanternpost.example';
    const id = await makeCampaign(service.client, await makeList(service.client, people(8)), 'Cut');
    await service.client.startCampaign({ id, expect: 8 });
    await ended(id);
    expect((await service.client.report({ id })).ledger).toMatchObject({ accepted: 7, uncertain: 1 });
    expect(twice(sink.received)).toEqual([]);
  });
});

test('refusals at RCPT: 5xx is a bounce of its class at once, 4xx is tried again for a day and then counts as soft', async () => {
  const seen = new Map<string, number>();
  sink.behaviour.rcpt = (address) => {
    seen.set(address, (seen.get(address) ?? 0) + 1);
    if (address.startsWith('gone')) return { code: 550, message: '5.1.1 no such user' };
    if (address.startsWith('policy')) return { code: 550, message: '5.7.1 refused by policy' };
    if (address.startsWith('later') && seen.get(address) === 1) return { code: 451, message: '4.7.1 greylisted' };
    return address.startsWith('never') ? { code: 450, message: '4.2.1 busy' } : undefined;
  };
  const list = await makeList(
    service.client,
    ['gone', 'policy', 'later', 'never', 'fine'].map((name) => `${name}@lanternpost.example`),
  );
  const id = await makeCampaign(service.client, list, 'Refused');
  await service.client.startCampaign({ id, expect: 5 });
  await until(() => (seen.get('never@lanternpost.example') ?? 0) >= 3);
  expect(await service.client.report({ id })).toMatchObject({ state: 'sending', ledger: { accepted: 2, refused: 2 } });
  const clock = new pg.Client({ connectionString: service.databaseUrl });
  await clock.connect();
  await clock.query(`UPDATE delivery SET first_tried_at = first_tried_at - interval '1 day'`);
  await clock.end();
  await ended(id);
  expect(await service.client.report({ id })).toMatchObject({
    ledger: { accepted: 2, refused: 3 },
    delivered: 2,
    bounced: { hard: 0, soft: 0, block: 0, any: 0 },
    refusedAs: { hard: 1, soft: 1, block: 1, any: 3 },
    rates: [{ name: 'bounce', count: 3, of: 5 }, { name: 'hard', count: 1, of: 5 }, {}, {}],
  });
  // What comes back later is of those accepted, so that the sums are plain.
  const fine = sink.received.find(({ to }) => to.startsWith('fine@'))!;
  const original = { envelopeFrom: fine.from, to: fine.to, headers: fine.raw.slice(0, fine.raw.indexOf('\r\n\r\n')) };
  await service.client.receiveReturn({ file: deliveryReport(original, '5.2.2', '552 5.2.2 mailbox full') });
  expect(await service.client.report({ id })).toMatchObject({
    ledger: { accepted: 2, refused: 3 },
    delivered: 1,
    bounced: { soft: 1, any: 1 },
    refusedAs: { any: 3 },
    rates: [{ count: 4, of: 5 }, {}, {}, {}],
  });
  const later = (await service.client.recipients({ id, state: 'accepted', acted: 'bounced', actor: 'soft' })).items;
  expect(later.map(({ address }) => address)).toEqual(['fine@lanternpost.example']);
  const said = (await makeAvendel(service)('campaigns', 'report', String(id))).stdout;
  expect(said).toMatch(/− refused by the relay \(1 hard, 1 soft, 1 block\) +3/);
  expect(said).toMatch(/accepted +2 *\n.*− bounced later +1 .*\n.*= delivered +1/);
  expect(said).toMatch(/bounced or refused, of those tried +80\.00 % +2\.00 % +too few to judge/);
  const next = await service.client.preflight({ id: await makeCampaign(service.client, list, 'Next') });
  expect(next.reasons.map(({ reason, sample }) => [reason, sample.map((one) => one.address)])).toEqual([
    ['undeliverable', ['gone@lanternpost.example']],
  ]);
});

test('a relay that is down is told, tried again, and nothing is lost; pause, resume and cancel hold', async () => {
  await sink.close();
  const list = await makeList(service.client, people(30));
  const id = await makeCampaign(service.client, list, 'Down');
  await service.client.startCampaign({ id, expect: 30 });
  await until(async () => /ECONNREFUSED/.test((await service.client.report({ id })).trouble ?? ''));
  await service.client.pauseCampaign({ id, reason: 'waiting for the relay' });
  await expect(service.client.pauseCampaign({ id })).rejects.toMatchObject({ problem: { status: 409 } });
  sink = await startSink(service.relayPort);
  await service.client.resumeCampaign({ id });
  await ended(id);
  expect((await service.client.report({ id })).ledger).toMatchObject({ accepted: 30, waiting: 0 });

  sink.behaviour.delayMs = 100;
  const second = await makeCampaign(service.client, list, 'Cancelled');
  await service.client.startCampaign({ id: second, expect: 30 });
  await until(() => sink.received.length > 31);
  await service.client.cancelCampaign({ id: second });
  const { ledger } = await service.client.report({ id: second });
  expect(total(ledger)).toBe(30);
  await expect(service.client.resumeCampaign({ id: second })).rejects.toMatchObject({ problem: { status: 409 } });
});

test('a campaign that nobody would get, or whose message is unfit, is refused with what to do', async () => {
  const list = await makeList(service.client, ['ada@lanternpost.example']);
  const doNotWrite = await service.client.createSuppressionList({ name: 'Do not write' });
  const unfit = await service.client.createCampaign({
    brandId: list.brandId,
    name: 'Unfit',
    subject: '[[nickname else "x"]]',
    html: '<a href="nowhere">x</a>',
    listIds: [list.id],
  });
  await expect(service.client.startCampaign({ id: unfit.id, expect: 1 })).rejects.toMatchObject({
    problem: { status: 422, field: 'subject' },
  });
  const id = await makeCampaign(service.client, list, 'Nobody');
  await expect(service.client.startCampaign({ id, expect: 7 })).rejects.toMatchObject({
    problem: { expected: 7, now: 1 },
  });
  expect((await service.client.campaign({ id })).state).toBe('draft');
  expect((await service.client.report({ id })).ledger.audience).toBe(0);
  await service.client.addEntries({ id: doNotWrite.id, values: ['ada@lanternpost.example'], reason: 'asked' });
  await expect(service.client.startCampaign({ id, expect: 1 })).rejects.toMatchObject({
    problem: { title: 'Nobody would get this' },
  });
});
