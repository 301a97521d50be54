import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import pg from 'pg';
import { createCap, endCap, lookAtCaps } from '../../src/operations/campaigns/caps.ts';
import {
  cancelCampaign,
  pauseCampaign,
  resumeCampaign,
  startCampaign,
} from '../../src/operations/campaigns/control-campaign.ts';
import { changeCampaign, createCampaign, getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { listChanges } from '../../src/operations/campaigns/look-at-ledger.ts';
import { moveOn } from '../../src/operations/campaigns/move-on.ts';
import { preflightCampaign } from '../../src/operations/campaigns/preflight-campaign.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import {
  beginWaveNow,
  callOffCampaign,
  reportWaves,
  scheduleCampaign,
} from '../../src/operations/campaigns/schedule-campaign.ts';
import { sendPass } from '../../src/operations/campaigns/send-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { changeSegment, createSegment, removeSegment } from '../../src/operations/segments/keep-segments.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import type { WavePlan } from '../../src/shared/contract/campaigns.ts';
import { makeDeps } from '../support/database.ts';
import { shortDraft } from '../support/parts.ts';
import { until } from '../support/service.ts';
import { makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const CONTACTS = 40;
const HOUR = 3_600_000;
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
/** The clock of the database and that of the operations are the same but for `later`. */
let later = 0;
beforeAll(async () => {
  deps = await makeDeps();
  deps.now = () => new Date(Date.now() + later);
  world = await makeSmallWorld(deps, CONTACTS);
  const at = Date.now() - HOUR;
  // The first ten are engaged.
  await recordEvents(
    deps,
    Array.from({ length: 10 }, (_, contact) => outside(world, 'purchased', contact, null, at, { what: 'a map' })),
  );
});
beforeEach(() => {
  later = 0;
});
afterAll(() => deps.close());

const ENGAGED: WavePlan = { of: { condition: 'purchased' }, afterHours: null, at: null, test: null };
const REST: WavePlan = { of: { rest: true }, afterHours: 24, at: null, test: null };
const TEST = { delivered: 5, hard: 0.1, block: null, complaints: 0, unsubscribed: null, fewHard: null };

let made = 0;
async function draft(extra: object = {}): Promise<number> {
  return (await createCampaign(deps, { ...shortDraft(world, `Campaign ${(made += 1)}`), ...extra })).id;
}
async function start(extra: object = {}): Promise<number> {
  const id = await draft(extra);
  await startCampaign(deps, id, { expected: (await preflightCampaign(deps, id)).willGet, actor });
  return id;
}
/** What the service does in turn, until nothing changes any more; `answer` is the relay's. */
async function run(id: number, answer: (to: string) => Handover = () => ({ outcome: 'accepted', reply: '250 ok' })) {
  const handed: string[] = [];
  const handOver = ({ to }: { to: string }) => (handed.push(to), Promise.resolve(answer(to)));
  const settings = { retrySeconds: 0, stopping: () => false };
  const process = '00000000-0000-4000-8000-000000000001';
  for (let turn = 0; turn < 6; turn++) {
    await moveOn(deps);
    await sendPass(deps, { connections: 4, handOver }, settings, () => process, id);
  }
  return handed.sort();
}
const stateOf = async (id: number) => (await getCampaign(deps, id)).state;
const engaged = () => world.addresses.slice(0, 10).sort();
const others = () => world.addresses.slice(10).sort();
/** So much later, as far as waves are concerned. */
const pass = (hours: number) => (later += hours * HOUR);
const bounceHard = (id: number, contacts: number[]) =>
  recordEvents(
    deps,
    contacts.map((contact) => outside(world, 'bounced', contact, { id }, Date.now(), { class: 'hard' })),
  );
/** Nobody is marked by what the test before bounced. */
const heal = async () => {
  await deps.database.query(`UPDATE contact SET deliverability = 'deliverable'`);
  await deps.database.query(`UPDATE suppression_entry SET lifted_at = now() WHERE lifted_at IS NULL`);
};

/** Does something that waits for the campaign, which somebody else has, and changes meanwhile. */
async function meanwhile<T>(work: () => Promise<T>, change: string, id: number): Promise<T> {
  const other = new pg.Client({ connectionString: deps.url });
  await other.connect();
  await other.query('BEGIN');
  await other.query('SELECT FROM campaign WHERE id = $1 FOR UPDATE', [id]);
  const done = work();
  done.catch(() => undefined);
  await until(async () => {
    const { rows } = await other.query<{ n: number }>(
      `SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
    );
    return rows[0]!.n === 1;
  });
  await other.query(change, [id]);
  await other.query('COMMIT');
  await other.end();
  return done;
}

describe('invariant 14, wave', () => {
  test('the engaged first, the rest when their time has come: everybody belongs to one, and nothing leaves before', async () => {
    const plan = [ENGAGED, REST];
    const id = await draft({ waves: plan });
    const counted = await preflightCampaign(deps, id);
    expect(counted.waves.map(({ who, willGet }) => [who, willGet])).toEqual([
      ['purchased', 10],
      ['the rest', 30],
    ]);
    await startCampaign(deps, id, { expected: 40, actor });
    expect(await run(id)).toEqual(engaged());
    expect(await stateOf(id)).toBe('resting');
    const { waves } = await reportWaves(deps, id);
    expect(waves.map(({ state, audience, accepted, waiting }) => [state, audience, accepted, waiting])).toEqual([
      ['begun', 10, 10, 0],
      ['waits', 30, 0, 30],
    ]);
    expect(waves[1]!.beginsAt!.getTime() - waves[0]!.begunAt!.getTime()).toBe(24 * HOUR);
    pass(23);
    expect(await run(id)).toEqual([]);
    pass(1.1);
    expect(await run(id)).toEqual(others());
    expect(await stateOf(id)).toBe('finished');
    expect((await listChanges(deps, id)).map(({ after, because }) => [after, because])).toEqual([
      ['sending', null],
      ['resting', 'between waves'],
      ['resting', 'wave 2 begins: its time has come'],
      ['sending', null],
      ['finished', null],
    ]);
  });

  test('random shares are the same each time, of about their size, and independent between campaigns', async () => {
    const plan = [{ ...ENGAGED, of: { share: 0.5 } }, REST];
    const [one, two] = [await start({ waves: plan }), await start({ waves: plan })];
    const first = async (id: number) =>
      (
        await deps.database.query<{ contact_id: string }[]>(
          'SELECT contact_id FROM delivery WHERE campaign_id = $1 AND wave = 1 ORDER BY 1',
          [id],
        )
      ).map((row) => row.contact_id);
    const [mine, other] = [await first(one), await first(two)];
    for (const some of [mine, other]) {
      expect(some.length).toBeGreaterThan(8);
      expect(some.length).toBeLessThan(32);
    }
    expect(mine).not.toEqual(other);
    expect((await preflightCampaign(deps, one)).waves.map(({ willGet, heldBack }) => willGet + heldBack)).toEqual([
      mine.length,
      CONTACTS - mine.length,
    ]);
    await cancelCampaign(deps, one, actor);
    await cancelCampaign(deps, two, actor);
  });

  test('a wave whose test fails is held for a person, who goes on with a reason', async () => {
    const id = await start({ waves: [ENGAGED, { ...REST, test: TEST }] });
    await run(id);
    await bounceHard(id, [0, 1]);
    pass(25);
    expect(await run(id)).toEqual([]);
    const { state, pausedBecause } = await getCampaign(deps, id);
    expect([state, pausedBecause]).toEqual(['paused', 'wave 2 is held: wave 1: 20 % bounced hard, 10 % at most']);
    expect((await reportWaves(deps, id)).waves[1]).toMatchObject({
      state: 'held',
      heldBecause: 'wave 1: 20 % bounced hard, 10 % at most',
    });
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('Wave 2 of');
    await expect(beginWaveNow(deps, id, { wave: 1, reason: 'r', actor })).rejects.toThrow('The next wave');
    await expect(beginWaveNow(deps, id, { wave: 3, reason: 'r', actor })).rejects.toThrow('The next wave');
    await beginWaveNow(deps, id, { wave: 2, reason: 'both came by one file', actor });
    expect(await run(id)).toEqual(others());
    expect((await reportWaves(deps, id)).waves[1]).toMatchObject({
      begunBy: actor,
      begunBecause: 'both came by one file',
    });
    await expect(beginWaveNow(deps, id, { wave: 2, reason: 'r', actor })).rejects.toThrow('only one that is');
    await heal();
  });

  test('one that holds begins by itself; one that cannot be judged yet asks', async () => {
    const well = await start({ waves: [ENGAGED, { ...REST, test: TEST }] });
    const few = await start({ waves: [ENGAGED, { ...REST, test: { ...TEST, delivered: 11 } }] });
    const good = await start({ waves: [ENGAGED, { ...REST, test: { ...TEST, delivered: 200, fewHard: 3 } }] });
    for (const id of [well, few, good]) await run(id);
    pass(25);
    expect(await run(well)).toEqual(others());
    expect(await run(good)).toEqual(others());
    expect(await run(few)).toEqual([]);
    expect((await getCampaign(deps, few)).pausedBecause).toContain('cannot be judged yet: 10 delivered, 11 asked for');
    expect((await preflightCampaign(deps, few)).waves[1]!.odd).toContain('It waits for a person in any case');
    await cancelCampaign(deps, few, actor);
  });

  test('it does not wait for whoever of the one before is put off', async () => {
    const id = await start({ waves: [ENGAGED, { ...REST, afterHours: 0 }] });
    const later: Handover = { outcome: 'again', reply: '451 4.7.1 later', trouble: false };
    const putOff = world.addresses[3]!;
    let off = true;
    const handed = await run(id, (to) => (to === putOff && off ? later : { outcome: 'accepted', reply: '250 ok' }));
    expect(new Set(handed)).toEqual(new Set(world.addresses));
    off = false;
    await run(id);
    expect(await findLedger(deps, id)).toMatchObject({ accepted: CONTACTS, refused: 0 });
  });

  test('who was held back as capped at the start is judged once more at the start of their wave; other reasons are final', async () => {
    const earlier = await start();
    await run(earlier);
    await createCap(deps, { brandId: world.brandId, messages: 1, days: 1, actor });
    await deps.database.query(
      `UPDATE mailed SET at = ARRAY(SELECT a - interval '2 days' FROM unnest(at) a), lost_at = '{}', lost_campaigns = '{}' WHERE contact_id <> ALL ($1::bigint[])`,
      [world.contactIds.slice(20, 30)],
    );
    await deps.database.query('UPDATE contact SET archived_at = now() WHERE id = $1', [world.contactIds[39]]);
    const id = await start({ waves: [ENGAGED, REST] });
    expect((await findLedger(deps, id)).reasons).toEqual([
      { reason: 'archived', by: null, contacts: 1 },
      { reason: 'capped', by: null, contacts: 10 },
    ]);
    expect(await run(id)).toEqual(engaged());
    await deps.database.query('UPDATE contact SET archived_at = NULL');
    await deps.database.query(
      `UPDATE mailed SET at = ARRAY(SELECT a - interval '2 days' FROM unnest(at) a) WHERE contact_id = ANY ($1::bigint[])`,
      [world.contactIds.slice(20, 25)],
    );
    pass(25);
    expect(await run(id)).toHaveLength(24);
    expect((await findLedger(deps, id)).reasons).toEqual([
      { reason: 'archived', by: null, contacts: 1 },
      { reason: 'capped', by: null, contacts: 5 },
    ]);
    for (const cap of await lookAtCaps(deps, {})) await endCap(deps, cap.id, actor);
  });

  test('paused by a person it begins no wave; cancelled neither', async () => {
    const id = await start({ waves: [ENGAGED, REST] });
    await run(id);
    await pauseCampaign(deps, id, 'a wrong date', actor);
    pass(25);
    expect(await run(id)).toEqual([]);
    expect((await reportWaves(deps, id)).waves[1]!.state).toBe('waits');
    await resumeCampaign(deps, id, actor);
    expect(await run(id)).toEqual(others());
    later = 0;
    const other = await start({ waves: [ENGAGED, REST] });
    await run(other);
    await cancelCampaign(deps, other, actor);
    pass(25);
    expect(await run(other)).toEqual([]);
  });

  test('begun by two processes and a person at once, a wave begins once', async () => {
    const id = await start({ waves: [ENGAGED, REST] });
    await run(id);
    pass(25);
    const settled = await Promise.allSettled([
      moveOn(deps),
      moveOn(deps),
      beginWaveNow(deps, id, { wave: 2, reason: 'now', actor }),
      moveOn(deps),
    ]);
    expect(settled.filter(({ status }) => status === 'rejected').length).toBeLessThanOrEqual(1);
    const begun = (await listChanges(deps, id)).filter(({ because }) => because?.startsWith('wave 2 begins'));
    expect(begun).toHaveLength(1);
    expect(await run(id)).toEqual(others());
  });

  test('cancelled in the moment in which a person begins a wave, it begins none', async () => {
    const id = await start({ waves: [ENGAGED, REST] });
    await run(id);
    const begun = meanwhile(
      () => beginWaveNow(deps, id, { wave: 2, reason: 'now', actor }),
      `UPDATE campaign SET state = 'cancelled' WHERE id = $1`,
      id,
    );
    await expect(begun).rejects.toThrow('is cancelled');
    expect((await reportWaves(deps, id)).waves[1]!.state).toBe('waits');
  });

  test('what makes no sense is refused, and says of which wave', async () => {
    await expect(draft({ waves: [REST, ENGAGED] })).rejects.toThrow('Wave 1: Only the last wave can be the rest');
    const wrong = { ...ENGAGED, of: { condition: 'on list "Nowhere"' } };
    await expect(draft({ waves: [wrong, REST] })).rejects.toThrow('Wave 1: ');
    const id = await draft({ waves: [ENGAGED, REST] });
    await changeCampaign(deps, id, { waves: null }, actor);
    expect((await preflightCampaign(deps, id)).waves).toEqual([]);
    const nobody = { ...ENGAGED, of: { condition: 'archived' } };
    const empty = await draft({ waves: [nobody, { ...REST, afterHours: 0 }] });
    expect((await preflightCampaign(deps, empty)).waves[0]!.odd).toBe('Nobody is in it.');
    await startCampaign(deps, empty, { expected: CONTACTS, actor });
    expect(await run(empty)).toHaveLength(CONTACTS);
    const segment = await createSegment(deps, { brandId: world.brandId, name: 'Some', condition: 'purchased', actor });
    const bySegment = await draft({ waves: [{ ...ENGAGED, of: { condition: 'segment "Some"' } }, REST] });
    await expect(removeSegment(deps, segment.id)).rejects.toThrow('is used by');
    await changeSegment(deps, segment.id, { name: 'Some more', reason: 'r', actor });
    expect((await getCampaign(deps, bySegment)).waves![0]!.of).toEqual({ condition: 'segment "Some more"' });
    await changeCampaign(deps, bySegment, { waves: null }, actor);
    await removeSegment(deps, segment.id);
  });
});

describe('send windows', () => {
  test('outside its hours a campaign rests, and goes on by itself within them', async () => {
    const hour = (ahead: number): string => new Date(deps.now().getTime() + ahead * HOUR).toISOString().slice(11, 13);
    const days = [1, 2, 3, 4, 5, 6, 7];
    const from = `${hour(2)}:00`;
    const id = await start({ sendWindow: { days, from, until: `${hour(4)}:00` } });
    expect(await run(id)).toEqual([]);
    const resting = await getCampaign(deps, id);
    expect(resting).toMatchObject({ state: 'resting', restsUntil: expect.any(Date) });
    expect(resting.restsUntil!.toISOString().slice(11, 16)).toBe(from);
    // Whoever looks at one that rests wakes nobody: the sender would turn without end.
    let announced = 0;
    deps.announce = () => void (announced += 1);
    await moveOn(deps);
    deps.announce = () => undefined;
    expect(announced).toBe(0);
    pass(2);
    expect(await run(id)).toHaveLength(CONTACTS);
    expect((await listChanges(deps, id)).map(({ after }) => after)).toEqual([
      'sending',
      'resting',
      'sending',
      'finished',
    ]);
    await expect(draft({ sendWindow: { days: [], from: '09:00', until: '18:00' } })).rejects.toThrow('never open');
  });
});

describe('scheduling', () => {
  const inAnHour = () => new Date(deps.now().getTime() + HOUR).toISOString();
  const due = (id: number, ago: string) =>
    deps.database.query(`UPDATE campaign SET starts_at = now() - $2::interval WHERE id = $1`, [id, ago]);

  test('it starts by itself when its time has come, once, with an audience that is worked out then', async () => {
    const id = await draft();
    const scheduled = await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor });
    expect(scheduled).toMatchObject({ state: 'scheduled', startsAt: expect.any(Date) });
    expect(await run(id)).toEqual([]);
    await expect(changeCampaign(deps, id, { subject: 'x' }, actor)).rejects.toThrow('only a draft can be changed');
    await due(id, '1 second');
    await Promise.all([moveOn(deps), moveOn(deps), moveOn(deps)]);
    expect(await run(id)).toHaveLength(CONTACTS);
    expect((await listChanges(deps, id)).map(({ after }) => after)).toEqual(['scheduled', 'sending', 'finished']);
  });

  test('scheduled anew in the moment in which it starts, it does not start, and asks nothing', async () => {
    const id = await draft();
    const { version } = await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor });
    expect((await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor })).version).toBe(version + 1);
    await due(id, '1 second');
    await meanwhile(
      () => moveOn(deps),
      `UPDATE campaign SET starts_at = now() + interval '1 day', version = version + 1 WHERE id = $1`,
      id,
    );
    expect(await stateOf(id)).toBe('scheduled');
    expect(await run(id)).toEqual([]);
    await callOffCampaign(deps, id, actor);
  });

  test('changed and called off', async () => {
    const id = await draft();
    await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor });
    await scheduleCampaign(deps, id, { at: '2099-01-08 08:30', expect: CONTACTS, actor });
    expect((await getCampaign(deps, id)).startsAt!.toISOString()).toBe('2099-01-08T08:30:00.000Z');
    await callOffCampaign(deps, id, actor);
    expect(await getCampaign(deps, id)).toMatchObject({ state: 'draft', startsAt: null });
    await expect(callOffCampaign(deps, id, actor)).rejects.toThrow('only one that is scheduled');
    await changeCampaign(deps, id, { subject: 'x' }, actor);
    await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor });
    await startCampaign(deps, id, { expected: CONTACTS, actor });
    expect(await run(id)).toHaveLength(CONTACTS);
  });

  test('if the audience has moved by more than was allowed nothing leaves, and a person is asked', async () => {
    const id = await draft();
    await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS + 10, tolerance: 0.1, actor });
    await due(id, '1 second');
    expect(await run(id)).toEqual([]);
    expect(await getCampaign(deps, id)).toMatchObject({
      state: 'paused',
      startedAt: null,
      pausedBecause: expect.stringContaining('50 were expected to get'),
    });
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('has not started');
    await startCampaign(deps, id, { expected: CONTACTS, actor });
    expect(await run(id)).toHaveLength(CONTACTS);
    const allowed = await draft();
    await scheduleCampaign(deps, allowed, { at: inAnHour(), expect: CONTACTS + 10, tolerance: 0.2, actor });
    await due(allowed, '1 second');
    expect(await run(allowed)).toHaveLength(CONTACTS);
  });

  test('missed by more than an hour it asks, and can be called off', async () => {
    const id = await draft();
    await scheduleCampaign(deps, id, { at: inAnHour(), expect: CONTACTS, actor });
    await due(id, '61 minutes');
    expect(await run(id)).toEqual([]);
    expect((await getCampaign(deps, id)).pausedBecause).toContain('more than an hour ago');
    await callOffCampaign(deps, id, actor);
    expect(await stateOf(id)).toBe('draft');
    const soon = await draft();
    await scheduleCampaign(deps, soon, { at: inAnHour(), expect: CONTACTS, actor });
    await due(soon, '50 minutes');
    expect(await run(soon)).toHaveLength(CONTACTS);
  });

  test('a time that is past, is none, or that clocks leave out or show twice is refused', async () => {
    await deps.database.query(`UPDATE brand SET zone = 'Europe/Lisbon' WHERE id = $1`, [world.brandId]);
    const id = await draft();
    const at = (text: string) => scheduleCampaign(deps, id, { at: text, expect: CONTACTS, actor });
    await expect(at('2020-01-08 08:30')).rejects.toThrow('is past');
    await expect(at('tomorrow')).rejects.toThrow('is no time');
    await expect(at('2027-01-08T08:30:00')).rejects.toThrow('is no time');
    // In 2027 the clocks in Lisbon are put forward on 28 March and back on 31 October.
    await expect(at('2027-03-28 01:30')).rejects.toThrow('never show');
    await expect(at('2027-10-31 01:30')).rejects.toThrow('2027-10-31T00:30:00.000Z or 2027-10-31T01:30:00.000Z');
    await expect(at('2027-02-30 08:30')).rejects.toThrow('no such day');
    await at('2027-10-31T01:30:00Z');
    await callOffCampaign(deps, id, actor);
    await changeCampaign(deps, id, { subject: '' }, actor);
    await expect(at('2027-01-08 08:30')).rejects.toThrow('no subject');
  });
});
