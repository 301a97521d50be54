import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { watchBrake } from '../../src/operations/campaigns/brake.ts';
import { cancelCampaign, pauseCampaign, resumeCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { createExclusion, endExclusion } from '../../src/operations/campaigns/exclusions.ts';
import { getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { listChanges } from '../../src/operations/campaigns/look-at-ledger.ts';
import {
  callOffDomain,
  goOnWithDomain,
  lookAtProgress,
  setCampaignPace,
  stopDomain,
} from '../../src/operations/campaigns/progress.ts';
import { findLedger } from '../../src/operations/campaigns/report-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import { checkTallies } from '../../src/operations/tallies/check-tallies.ts';
import { makeDeps } from '../support/database.ts';
import { ACCEPTED, makeTwoDomains, PROCESSES, startTo, turnOf } from '../support/turns.ts';
import type { SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const EACH = 60;
const PUT_OFF: Handover = { outcome: 'again', reply: '451 4.7.1 try again later', trouble: false };
const A_SECOND = { perHour: 3600, connections: null, domains: [] };
const SLOW = 'hearthmail.example';
const isSlow = (to: string): boolean => to.endsWith(`@${SLOW}`);
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
beforeAll(async () => {
  deps = await makeDeps();
  deps.now = () => new Date();
  world = await makeTwoDomains(deps, EACH, SLOW);
});
afterAll(() => deps.close());

const start = (extra: object = {}) => startTo(deps, world, extra);
const turn = (id: number, answer?: Parameters<typeof turnOf>[2], process?: string) => turnOf(deps, id, answer, process);
/** So many seconds later, for all that waits. */
async function pass(seconds: number): Promise<void> {
  await deps.database.query(
    `UPDATE campaign_pace SET tokens_at = tokens_at - $1 * interval '1 second', quiet_since = quiet_since - $1 * interval '1 second'`,
    [seconds],
  );
  await deps.database.query(
    `UPDATE delivery SET not_before = not_before - $1 * interval '1 second', first_tried_at = first_tried_at - $1 * interval '1 second' WHERE state = 'queued'`,
    [seconds],
  );
}
const domain = async (id: number, name = SLOW) =>
  (await lookAtProgress(deps, id)).domains.find((one) => one.domain === name);
const because = async (id: number) => (await listChanges(deps, id)).map((change) => change.because);
/** Answers that do something when the first message to the slow domain comes; nobody is answered until it is done. */
function untilSlow(act: () => Promise<unknown>) {
  const handed: string[] = [];
  let done: Promise<unknown> | undefined;
  const answer = async (to: string): Promise<Handover> => {
    handed.push(to);
    if (isSlow(to)) done ??= act();
    await done;
    return ACCEPTED;
  };
  return { handed, answer };
}
/** How many may leave of what gathers from then to now, and the one that is there at once, at one a second. */
const gatheredSince = (instant: number): number => Math.ceil((Date.now() - instant) / 1000) + 1;
const stateOf = async (id: number) => (await getCampaign(deps, id)).state;
const both = (a: string[], b: string[]): string[] => [...a, ...b].sort();
/** All that still waits at the paces there are, as long as somebody is let in. */
async function runDry(id: number, answer?: Parameters<typeof turnOf>[2]): Promise<string[]> {
  const handed: string[] = [];
  for (let quiet = 0; quiet < 3;) {
    const some = await turn(id, answer);
    handed.push(...some);
    quiet = some.length === 0 ? quiet + 1 : 0;
    await pass(100);
  }
  return handed.sort();
}

describe('a rate', () => {
  test('of the campaign: as many leave as have gathered, and everybody in the end, once', async () => {
    const id = await start({ pace: A_SECOND });
    const started = Date.now();
    const before = await turn(id);
    await pass(5);
    const first = both(before, await turn(id));
    expect(first.length).toBeGreaterThanOrEqual(5);
    // A turn takes a moment, in which more gather.
    expect(first.length).toBeLessThanOrEqual(5 + gatheredSince(started));
    const rest = await runDry(id);
    expect(new Set(both(first, rest)).size).toBe(2 * EACH);
    expect(rest.length + first.length).toBe(2 * EACH);
    expect(await stateOf(id)).toBe('finished');
  });

  test('is one for two processes that send side by side', async () => {
    const id = await start({ pace: A_SECOND });
    const started = Date.now();
    await pass(10);
    const [one, other] = await Promise.all(PROCESSES.map((process) => turn(id, undefined, process)));
    const gone = both(one!, other!);
    expect(gone.length).toBeGreaterThanOrEqual(10);
    expect(gone.length).toBeLessThanOrEqual(10 + gatheredSince(started));
    expect(new Set(gone).size).toBe(gone.length);
    await cancelCampaign(deps, id, actor);
  });

  test('of a receiving domain holds up none of the others', async () => {
    const pace = { perHour: null, connections: null, domains: [{ domain: SLOW, perHour: 360, connections: null }] };
    const id = await start({ pace });
    const first = await turn(id);
    expect(first.filter((to) => !isSlow(to))).toHaveLength(EACH);
    expect(first.filter(isSlow).length).toBeLessThanOrEqual(3);
    const { waits } = await lookAtProgress(deps, id);
    const { waiting } = await findLedger(deps, id);
    expect(waits).toEqual({ next: 0, laterWaves: 0, stopped: 0, pace: waiting, time: 0 });
    expect(await domain(id)).toMatchObject({ waiting, rate: 360, perHour: 360, slowed: false, stopped: false });
    const rest = await runDry(id);
    expect(both(first, rest)).toHaveLength(2 * EACH);
    expect(await stateOf(id)).toBe('finished');
    expect((await lookAtProgress(deps, id)).waits).toMatchObject({ pace: 0, next: 0 });
  });

  test('keeps nobody waiting whom a condition leaves out by now', async () => {
    const id = await start({
      pace: { perHour: null, connections: null, domains: [{ domain: SLOW, perHour: 1, connections: null }] },
    });
    const one = await createExclusion(deps, {
      brandId: world.brandId,
      name: 'At the slow one',
      condition: `domain is "${SLOW}"`,
      reason: 'a test',
      actor,
    });
    expect(await turn(id)).toHaveLength(EACH);
    await turn(id);
    expect(await findLedger(deps, id)).toMatchObject({ accepted: EACH, heldBack: EACH, waiting: 0 });
    expect(await stateOf(id)).toBe('finished');
    await endExclusion(deps, one.id, 'done', actor);
  });

  test('can be set, and taken away, while it runs', async () => {
    const id = await start({ pace: { perHour: 1, connections: null, domains: [] } });
    expect(await turn(id)).toEqual([]);
    const domains = [{ domain: SLOW, perHour: 1, connections: null }];
    await setCampaignPace(deps, id, { perHour: null, connections: null, domains }, actor);
    expect((await turn(id)).every((to) => !isSlow(to))).toBe(true);
    expect((await lookAtProgress(deps, id)).waits.pace).toBe(EACH);
    await setCampaignPace(deps, id, null, actor);
    expect(await runDry(id)).toHaveLength(EACH);
    expect(await because(id)).toContain('its pace is now as fast as the relay takes it; hearthmail.example: 1 an hour');
  });

  test('of messages on their way: two processes together never have more at once', async () => {
    const pace = { perHour: null, connections: null, domains: [{ domain: SLOW, perHour: null, connections: 3 }] };
    const id = await start({ pace });
    let [now, most, gone] = [0, 0, 0];
    const answer = async (to: string): Promise<Handover> => {
      if (!isSlow(to)) return ACCEPTED;
      most = Math.max(most, (now += 1));
      await new Promise((resolve) => setTimeout(resolve, 5));
      now -= 1;
      gone += 1;
      return ACCEPTED;
    };
    for (let turns = 0; turns < 60 && gone < EACH; turns++)
      await Promise.all(PROCESSES.map((process) => turn(id, answer, process)));
    expect(gone).toBe(EACH);
    expect(most).toBeLessThanOrEqual(3);
  });
});

describe('a domain that puts messages off', () => {
  test('is paced down and up again; the others wait for nothing, and everybody gets it once', async () => {
    const id = await start();
    const first = await turn(id, (to) => (isSlow(to) ? PUT_OFF : ACCEPTED));
    expect(first.filter((to) => !isSlow(to))).toHaveLength(EACH);
    const slowed = (await domain(id))!;
    expect(slowed).toMatchObject({ slowed: true, stopped: false, accepted: 0 });
    // Who was claimed before it was slowed down is parked, too: only few were tried.
    expect(slowed.putOff).toBe(first.filter(isSlow).length);
    expect(slowed.putOff).toBeLessThan(EACH);
    expect((await because(id)).filter((one) => one?.startsWith(`${SLOW} puts messages off: halved`))).not.toEqual([]);
    expect((await lookAtProgress(deps, id)).waits).toMatchObject({ next: 0, stopped: 0 });
    await pass(60);
    expect((await domain(id))!.rate).toBeGreaterThan(slowed.rate!);
    const rest = await runDry(id);
    expect(rest.every(isSlow)).toBe(true);
    expect(new Set(rest).size).toBe(EACH);
    expect(await findLedger(deps, id)).toMatchObject({ accepted: 2 * EACH, waiting: 0, agrees: true });
    expect(await stateOf(id)).toBe('finished');
  });

  test('that of one recipient who is put off alone slows nobody', async () => {
    const id = await start();
    const one = `reader7@${SLOW}`;
    await turn(id, (to) => (to === one ? PUT_OFF : ACCEPTED));
    expect(await domain(id)).toMatchObject({ putOff: 1, rate: null, slowed: false });
    expect((await lookAtProgress(deps, id)).waits).toEqual({ next: 0, laterWaves: 0, stopped: 0, pace: 0, time: 1 });
    // Before their time they are not tried, after it they are.
    expect(await turn(id)).toEqual([]);
    await pass(61);
    expect(await turn(id)).toEqual([one]);
    await turn(id);
    expect(await stateOf(id)).toBe('finished');
  });

  test('by reports that come within the hour, too; a report that is told twice counts once', async () => {
    const id = await start({
      pace: { perHour: 20, connections: null, domains: [{ domain: 'a.example', perHour: 1, connections: null }] },
    });
    await setCampaignPace(deps, id, null, actor);
    await turn(id, (to) => (to === `reader0@${SLOW}` ? PUT_OFF : ACCEPTED));
    const accepted = await deps.database.query<{ contact_id: string }[]>(
      `SELECT contact_id FROM delivery WHERE campaign_id = $1 AND state = 'accepted' AND address LIKE $2 ORDER BY 1 LIMIT 12`,
      [id, `%@${SLOW}`],
    );
    const delayed = accepted.map(({ contact_id: contactId }) => ({
      kind: 'delayed' as const,
      at: Date.now(),
      source: 'reports',
      externalId: `${id}:${contactId}`,
      contactId: Number(contactId),
      brandId: world.brandId,
      campaignId: id,
      detail: { status: '4.4.1', reply: 'not answering yet' },
    }));
    await recordEvents(deps, delayed.slice(0, 6));
    await recordEvents(deps, delayed.slice(0, 6));
    expect(await domain(id)).toMatchObject({ putOff: 7, slowed: false });
    await recordEvents(deps, delayed);
    expect(await domain(id)).toMatchObject({ putOff: 13, slowed: true });
    await cancelCampaign(deps, id, actor);
  });
});

describe('a domain that is stopped', () => {
  const BLOCKED: Handover = { outcome: 'refused', reply: '554 5.7.1 too many messages, poor reputation' };

  test('because it blocks for rate or reputation: the rest waits for a person, the campaign with it, once nothing else is left', async () => {
    const id = await start();
    const first = await turn(id, (to) => (isSlow(to) ? BLOCKED : ACCEPTED));
    const blocked = first.filter(isSlow).length;
    expect(first).toHaveLength(EACH + blocked);
    expect(blocked).toBeGreaterThanOrEqual(10);
    expect(blocked).toBeLessThan(EACH);
    expect(await domain(id)).toMatchObject({ stopped: true, stoppedBy: 'Avendel', waiting: EACH - blocked });
    expect(await turn(id)).toEqual([]);
    expect(await turn(id)).toEqual([]);
    expect(await getCampaign(deps, id)).toMatchObject({
      state: 'paused',
      pausedBecause: `nothing is left but who waits at ${SLOW} (${EACH - blocked})`,
    });
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('domains that are stopped');
    const act = { domain: SLOW, reason: 'their postmaster has lifted it', actor };
    await goOnWithDomain(deps, id, act);
    await expect(goOnWithDomain(deps, id, act)).rejects.toThrow('is not stopped');
    const rest = await runDry(id);
    expect(new Set(both(first, rest)).size).toBe(2 * EACH);
    expect(await stateOf(id)).toBe('finished');
    expect(await because(id)).toContain(`${SLOW} goes on: their postmaster has lifted it`);
    await deps.database.query(`UPDATE contact SET deliverability = 'deliverable'`);
  });

  test('by a person in the middle: who is claimed stays, and only who has passed the gate before goes', async () => {
    const id = await start();
    const { handed, answer } = untilSlow(() => stopDomain(deps, id, { domain: SLOW, reason: 'wrong link', actor }));
    await turn(id, answer);
    // Groups of eight pass the gate together, and one is ahead.
    expect(handed.filter(isSlow).length).toBeLessThanOrEqual(24);
    const slow = handed.filter(isSlow).length;
    expect(handed).toHaveLength(EACH + slow);
    await expect(stopDomain(deps, id, { domain: SLOW, reason: 'again', actor })).rejects.toThrow('stopped already');
    expect((await lookAtProgress(deps, id)).waits).toMatchObject({ stopped: EACH - slow, next: 0 });
    expect((await lookAtProgress(deps, id)).domains[0]).toMatchObject({ domain: SLOW, stoppedBecause: 'wrong link' });
    await callOffDomain(deps, id, { domain: SLOW, reason: 'too late', actor });
    await expect(callOffDomain(deps, id, { domain: SLOW, reason: 'again', actor })).rejects.toThrow('called off');
    await turn(id);
    expect(await stateOf(id)).toBe('finished');
    expect(await findLedger(deps, id)).toMatchObject({ accepted: handed.length, waiting: EACH - slow, agrees: true });
  });

  test('before anybody was tried there: nobody is, also after a pause, and who goes on gets all of them', async () => {
    const id = await start();
    await stopDomain(deps, id, { domain: SLOW, reason: 'first the others', actor });
    await pauseCampaign(deps, id, 'lunch', actor);
    await resumeCampaign(deps, id, actor);
    expect((await turn(id)).some(isSlow)).toBe(false);
    await goOnWithDomain(deps, id, { domain: SLOW, reason: 'now they', actor });
    expect(await turn(id)).toHaveLength(EACH);
  });

  test('by a storm, in every campaign, as long as it is held; only its decision goes on', async () => {
    const [one, other] = [await start(), await start()];
    const [storm] = await deps.database.query<{ id: number }[]>(
      `INSERT INTO storm (domain, begins, ends, messages) VALUES ($1, now(), now(), 100) RETURNING id`,
      [SLOW],
    );
    expect((await turn(one)).some(isSlow)).toBe(false);
    expect((await turn(other)).some(isSlow)).toBe(false);
    expect(await domain(one)).toMatchObject({ stopped: true, stormId: storm!.id, stoppedAt: null, waiting: EACH });
    await expect(goOnWithDomain(deps, one, { domain: SLOW, reason: 'x', actor })).rejects.toThrow(
      `stopped by storm ${storm!.id}`,
    );
    await turn(one);
    expect(await stateOf(one)).toBe('paused');
    await deps.database.query(`UPDATE storm SET state = 'dismissed', reason = 'an outage' WHERE id = $1`, [storm!.id]);
    expect(await turn(other)).toHaveLength(EACH);
    // It was paused for that alone, and goes on by itself.
    expect(await turn(one)).toHaveLength(EACH);
    await turn(one);
    expect(await stateOf(one)).toBe('finished');
  });
});

test('a storm that is held in the middle of a turn stops who is claimed already', async () => {
  const id = await start();
  const { handed, answer } = untilSlow(async () => {
    await deps.database.query(`INSERT INTO storm (domain, begins, ends, messages) VALUES ($1, now(), now(), 100)`, [
      SLOW,
    ]);
    await watchBrake(deps);
  });
  await turn(id, answer);
  // Groups of eight pass the gate together, and one is ahead.
  expect(handed.filter(isSlow).length).toBeLessThanOrEqual(24);
  await deps.database.query(`UPDATE storm SET state = 'dismissed'`);
  await cancelCampaign(deps, id, actor);
});

test('in the end the tallies say what the ledger says', async () => {
  const checked = await checkTallies(deps);
  for (const part of ['tallies', 'messages', 'mailed'] as const) expect(checked[part]).toMatchObject({ differing: 0 });
});
