import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals';
import { changeBrakeLimits, findBrakeLimits, watchBrake } from '../../src/operations/campaigns/brake.ts';
import { cancelCampaign, pauseCampaign, resumeCampaign } from '../../src/operations/campaigns/control-campaign.ts';
import { getCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { listChanges } from '../../src/operations/campaigns/look-at-ledger.ts';
import { moveOn } from '../../src/operations/campaigns/move-on.ts';
import {
  goOnWithDomain,
  lookAtProgress,
  setCampaignPace,
  stopDomain,
} from '../../src/operations/campaigns/progress.ts';
import { findLedger, reportCampaign } from '../../src/operations/campaigns/report-campaign.ts';
import { beginWaveNow } from '../../src/operations/campaigns/schedule-campaign.ts';
import { lookAtToday } from '../../src/operations/health/today.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { dismissStorm, listLatestStorms, releaseStorm } from '../../src/operations/storms/storms.ts';
import { checkTallies } from '../../src/operations/tallies/check-tallies.ts';
import type { Handover } from '../../src/operations/relay/relay.ts';
import type { WavePlan } from '../../src/shared/contract/campaigns.ts';
import type { BounceClass } from '../../src/shared/words.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { ACCEPTED, makeTwoDomains, startTo, turnOf } from '../support/turns.ts';
import type { SmallWorld } from '../support/world.ts';

const actor = 'Rosa Lindgard';
const EACH = 320;
const BAD = 'hearthmail.example';
const isBad = (to: string): boolean => to.endsWith(`@${BAD}`);
const UNKNOWN: Handover = { outcome: 'refused', reply: '550 5.1.1 mailbox unknown' };
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
beforeAll(async () => {
  deps = await makeDeps();
  deps.now = () => new Date();
  world = await makeTwoDomains(deps, EACH, BAD);
});
/** Nobody is marked by what the test before bounced, and nothing of it is watched any more. */
beforeEach(async () => {
  await deps.database.query(`UPDATE contact SET deliverability = 'deliverable'`);
  await deps.database.query(`UPDATE suppression_entry SET lifted_at = now() WHERE lifted_at IS NULL`);
  await deps.database.query(
    `UPDATE campaign SET state = 'cancelled', finished_at = now() - interval '30 days' WHERE started_at IS NOT NULL`,
  );
  await deps.database.query(`UPDATE subscription SET state = 'subscribed' WHERE state <> 'subscribed'`);
});
afterAll(() => deps.close());

const start = (extra: object = {}) => startTo(deps, world, extra);
const turn = (id: number, answer?: (to: string) => Handover) => turnOf(deps, id, answer);
/**
 * Sends so many of the bad domain, of whom so many are unknown, and all of the others. The rest of the bad domain waits
 * for its pace afterwards.
 */
async function sendSome(id: number, bad: number, unknown: number): Promise<void> {
  const all = `SELECT contact_id FROM delivery WHERE campaign_id = $1 AND address LIKE '%@${BAD}' ORDER BY 1 OFFSET ${bad}`;
  await deps.database.query(
    `UPDATE delivery SET parked = '', not_before = now() + interval '1 day' WHERE campaign_id = $1 AND contact_id IN (${all})`,
    [id],
  );
  const dead = new Set<string>();
  const answer = (to: string): Handover =>
    isBad(to) && (dead.size < unknown || dead.has(to)) ? (dead.add(to), UNKNOWN) : ACCEPTED;
  // On a slow machine a turn may end before.
  await until(async () => {
    await turn(id, answer);
    return (await lookAtProgress(deps, id)).waits.next === 0;
  }, 20_000);
  await setCampaignPace(
    deps,
    id,
    { perHour: null, connections: null, domains: [{ domain: BAD, perHour: 1, connections: null }] },
    actor,
  );
  await deps.database.query(
    `UPDATE delivery SET parked = NULL, not_before = NULL WHERE campaign_id = $1 AND parked = ''`,
    [id],
  );
  await turn(id, answer);
}
/** Contacts of the ledger to whom it was accepted at this domain. */
async function acceptedAt(id: number, domain: string, many: number, after = new Date(0)): Promise<number[]> {
  const rows = await deps.database.query<{ contact_id: string }[]>(
    `SELECT contact_id FROM delivery WHERE campaign_id = $1 AND state = 'accepted' AND address LIKE $2 AND accepted_at > $4 AND hard_at IS NULL AND complained_at IS NULL ORDER BY 1 LIMIT $3`,
    [id, `%@${domain}`, many, after],
  );
  expect(rows).toHaveLength(many);
  return rows.map((row) => Number(row.contact_id));
}
let told = 0;
const tell = (id: number, kind: 'complained' | 'bounced', contacts: number[], bounceClass?: BounceClass) =>
  recordEvents(
    deps,
    contacts.map((contactId) => ({
      kind,
      at: Date.now(),
      source: 'reports',
      externalId: `${(told += 1)}`,
      contactId,
      brandId: world.brandId,
      campaignId: id,
      detail: bounceClass ? { class: bounceClass, reply: '550 5.1.1 mailbox unknown' } : {},
    })),
  );
const because = async (id: number) => (await listChanges(deps, id)).map((change) => change.because);
const brakes = async (id: number) => (await lookAtProgress(deps, id)).brakes;
const stateOf = async (id: number) => (await getCampaign(deps, id)).state;

describe('a receiving domain', () => {
  test('that is past its limit is stopped, and the others go on; it says which figure, and shows what stands behind it', async () => {
    const id = await start();
    await sendSome(id, 220, 20);
    await watchBrake(deps);
    const progress = await lookAtProgress(deps, id);
    expect(progress.brakes).toMatchObject([
      { slice: `domain ${BAD}`, figure: 'hard', events: 20, limit: 0.03, warned: false, releasedAt: null },
    ]);
    expect(progress.brakes[0]!.of).toBeGreaterThanOrEqual(220);
    expect(progress.brakes[0]!.said).toEqual([{ text: '550 5.1.1 mailbox unknown', times: 20 }]);
    expect(progress.brakes[0]!.sources).toEqual([{ source: '“contacts.csv”', contacts: 20 }]);
    expect(progress.domains[0]).toMatchObject({ domain: BAD, stopped: true, stoppedBy: 'the brake', hard: 20 });
    const { waiting } = await findLedger(deps, id);
    expect(progress.waits).toMatchObject({ stopped: waiting, pace: 0, next: 0 });
    expect((await lookAtToday(deps, world.brandId)).stops).toMatchObject([
      { campaignId: id, domain: BAD, because: expect.stringMatching(/^20 of \d+ bounced hard/) },
    ]);
    // Braked once, however often it is looked at.
    await watchBrake(deps);
    expect(await brakes(id)).toHaveLength(1);
    await turn(id);
    await turn(id);
    expect(await stateOf(id)).toBe('paused');
    await goOnWithDomain(deps, id, { domain: BAD, reason: 'old addresses of one file', actor });
    await setCampaignPace(deps, id, null, actor);
    expect(await turn(id)).toHaveLength(waiting);
    expect(await brakes(id)).toMatchObject([{ releasedBy: actor, reason: 'old addresses of one file' }]);
    // What was before counts no more.
    await watchBrake(deps);
    expect(await brakes(id)).toHaveLength(1);
  });

  test('of which fewer than 200 were tried, or whose rate may be chance, goes on', async () => {
    const few = await start();
    await sendSome(few, 150, 9);
    await watchBrake(deps);
    const chance = await start();
    await sendSome(chance, 220, 8);
    await watchBrake(deps);
    expect([await brakes(few), await brakes(chance)]).toEqual([[], []]);
  });
});

describe('a campaign', () => {
  test('past its limit is paused; going on needs a reason, and then only messages accepted since count', async () => {
    const id = await start();
    await sendSome(id, 220, 0);
    await tell(id, 'complained', [
      ...(await acceptedAt(id, BAD, 3)),
      ...(await acceptedAt(id, 'lanternpost.example', 3)),
    ]);
    await watchBrake(deps);
    expect(await getCampaign(deps, id)).toMatchObject({ state: 'paused' });
    expect((await getCampaign(deps, id)).pausedBecause).toMatch(
      /^the brake: 6 of 5\d\d complained: 1\.\d+ %, over 0\.3 %$/,
    );
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('Going on needs a reason');
    await resumeCampaign(deps, id, actor, 'a wrong link, mended');
    expect(await getCampaign(deps, id)).toMatchObject({ state: 'sending', pausedBecause: null });
    expect(await because(id)).toContain('a wrong link, mended');
    // Late complaints of messages from before: more than enough by themselves.
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 20));
    await watchBrake(deps);
    expect(await brakes(id)).toHaveLength(2);
    // Those brake the domain, of which nobody has said that they are known.
    expect((await brakes(id))[0]).toMatchObject({ slice: 'domain lanternpost.example' });
    expect(await stateOf(id)).toBe('sending');
    await cancelCampaign(deps, id, actor);
  });

  test('after going on it brakes again by what was sent since', async () => {
    const id = await start({ waves: halves() });
    await turn(id);
    const first = await acceptedAt(id, 'lanternpost.example', 40);
    await tell(id, 'complained', first);
    await watchBrake(deps);
    await resumeCampaign(deps, id, actor, 'known');
    const since = new Date();
    await deps.database.query(
      `UPDATE campaign_wave SET begun_at = begun_at - interval '2 hours' WHERE campaign_id = $1`,
      [id],
    );
    await turn(id);
    await watchBrake(deps);
    expect((await brakes(id)).filter(({ releasedAt, slice }) => !releasedAt && !slice.startsWith('domain '))).toEqual(
      [],
    );
    await tell(id, 'complained', await acceptedAt(id, BAD, 9, since));
    await watchBrake(deps);
    const open = (await brakes(id)).filter(({ releasedAt, slice }) => !releasedAt && !slice.startsWith('domain '));
    expect(open.map(({ slice }) => slice).sort()).toEqual(['campaign', 'wave 2']);
    expect(open.every(({ events }) => events === 9)).toBe(true);
  });

  test('two processes that look at once brake once', async () => {
    const id = await start();
    await sendSome(id, 220, 0);
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 3));
    await tell(id, 'complained', await acceptedAt(id, BAD, 4));
    await Promise.all([watchBrake(deps), watchBrake(deps), watchBrake(deps)]);
    expect((await brakes(id)).filter(({ slice }) => slice === 'campaign')).toHaveLength(1);
    expect((await because(id)).filter((one) => one?.startsWith('the brake: '))).toHaveLength(1);
  });

  test('that a person pauses in that moment stays paused, and still asks for a reason', async () => {
    const id = await start();
    await sendSome(id, 220, 0);
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 4));
    await tell(id, 'complained', await acceptedAt(id, BAD, 4));
    await pauseCampaign(deps, id, 'lunch', actor);
    await watchBrake(deps);
    expect((await getCampaign(deps, id)).pausedBecause).toBe('lunch');
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('Going on needs a reason');
    await resumeCampaign(deps, id, actor, 'known');
    expect(await stateOf(id)).toBe('sending');
  });

  test('that waits for a stopped domain alone is braked, too: the decision on the domain does not make it go on', async () => {
    const id = await start();
    await sendSome(id, 220, 0);
    await stopDomain(deps, id, { domain: BAD, reason: 'their postmaster asked', actor });
    await until(async () => (await turn(id), (await stateOf(id)) === 'paused'));
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 5));
    await tell(id, 'complained', await acceptedAt(id, BAD, 4));
    await watchBrake(deps);
    expect((await getCampaign(deps, id)).pausedBecause).toMatch(/^the brake: 9 of/);
    await goOnWithDomain(deps, id, { domain: BAD, reason: 'they are well', actor });
    await moveOn(deps);
    expect(await stateOf(id)).toBe('paused');
    await expect(resumeCampaign(deps, id, actor)).rejects.toThrow('Going on needs a reason');
    await resumeCampaign(deps, id, actor, 'known');
    expect(await stateOf(id)).toBe('sending');
  });

  test('a held wave that is begun with a reason is gone on with: the brake watches what is sent from then on', async () => {
    const test = { delivered: 1, hard: null, block: null, complaints: 0, unsubscribed: null, fewHard: null };
    const [first, rest] = halves();
    const id = await start({ waves: [first!, { ...rest!, afterHours: 0, test }] });
    await turn(id);
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 10));
    await watchBrake(deps);
    await deps.database.query(
      `UPDATE campaign_wave SET held_at = now(), held_because = 'too many' WHERE campaign_id = $1 AND wave = 2`,
      [id],
    );
    await beginWaveNow(deps, id, { wave: 2, reason: 'known', actor });
    const since = new Date();
    const whole = async () => (await brakes(id)).filter(({ slice }) => slice === 'campaign');
    expect(await whole()).toMatchObject([{ releasedBy: actor, reason: 'known' }]);
    await turn(id);
    await tell(id, 'complained', await acceptedAt(id, BAD, 10, since));
    await watchBrake(deps);
    expect(await whole()).toMatchObject([{ releasedAt: null, events: 10 }, { releasedBy: actor }]);
  });

  test('that has ended is warned of for a day, and of nothing after it', async () => {
    const id = await start();
    await turn(id);
    await turn(id);
    expect(await stateOf(id)).toBe('finished');
    await tell(id, 'complained', await acceptedAt(id, 'lanternpost.example', 10));
    const old = await start();
    await turn(old);
    await turn(old);
    await tell(old, 'complained', await acceptedAt(old, 'lanternpost.example', 10));
    await deps.database.query(`UPDATE campaign SET finished_at = now() - interval '25 hours' WHERE id = $1`, [old]);
    await watchBrake(deps);
    expect((await brakes(id)).every(({ warned }) => warned)).toBe(true);
    expect((await brakes(id)).map(({ slice }) => slice)).toContain('campaign');
    expect(await stateOf(id)).toBe('finished');
    expect(await brakes(old)).toEqual([]);
    const { stops } = await lookAtToday(deps, world.brandId);
    expect(stops).toMatchObject(
      (await brakes(id)).map(() => ({ campaignId: id, because: expect.stringContaining('the brake warns: 10 of') })),
    );
  });

  test('its brand’s limits are settings, changed one by one', async () => {
    expect(await findBrakeLimits(deps, world.brandId)).toEqual({
      hard: 0.03,
      block: 0.05,
      complaints: 0.003,
      unsubscribed: 0.02,
    });
    await changeBrakeLimits(deps, world.brandId, { hard: 0.2 }, actor);
    const id = await start();
    await sendSome(id, 220, 30);
    await watchBrake(deps);
    expect(await brakes(id)).toEqual([]);
    await changeBrakeLimits(deps, world.brandId, { hard: 0.03 }, actor);
    await watchBrake(deps);
    expect(await brakes(id)).not.toEqual([]);
    await expect(findBrakeLimits(deps, 99)).rejects.toThrow('brand 99');
  });
});

describe('a storm', () => {
  /** The domain took mail before, and now sends everything back. */
  async function storm(): Promise<{ id: number; stormId: number }> {
    // What other tests bounced is another hour's.
    await deps.database.query('DELETE FROM hard_bounce WHERE storm_id IS NULL');
    deps.remembered.clear();
    const before = await start();
    await turn(before);
    await deps.database.query(
      `UPDATE delivery SET accepted_at = accepted_at - interval '1 day', handed_at = handed_at - interval '1 day' WHERE campaign_id = $1`,
      [before],
    );
    await deps.database.query(
      `UPDATE campaign SET started_at = started_at - interval '1 day', finished_at = now() - interval '25 hours' WHERE id = $1`,
      [before],
    );
    const id = await start();
    await sendSome(id, 220, 0);
    await tell(id, 'bounced', await acceptedAt(id, BAD, 60), 'hard');
    const [held] = await listLatestStorms(deps, 'held');
    expect(held).toMatchObject({ domain: BAD, contacts: 60 });
    return { id, stormId: held!.id };
  }

  test('counts for the brake; dismissed as an outage it leaves the rates, and the tallies say so', async () => {
    const { id, stormId } = await storm();
    await watchBrake(deps);
    expect((await brakes(id)).map(({ slice }) => slice)).toContain(`domain ${BAD}`);
    expect((await reportCampaign(deps, id)).bounced.hard).toBe(60);
    expect((await lookAtProgress(deps, id)).domains[0]).toMatchObject({ domain: BAD, stopped: true, stormId });
    await dismissStorm(deps, stormId, { reason: 'their servers were away', actor });
    expect((await reportCampaign(deps, id)).bounced).toMatchObject({ hard: 0, any: 0 });
    // One that is told late joins the storm, and leaves them, too.
    await tell(id, 'bounced', await acceptedAt(id, BAD, 2), 'hard');
    expect((await reportCampaign(deps, id)).bounced.hard).toBe(0);
    const checked = await checkTallies(deps);
    for (const part of ['tallies', 'messages'] as const) expect(checked[part]).toMatchObject({ differing: 0 });
  });

  test('that is released stays in them', async () => {
    await deps.database.query(`UPDATE storm SET begins = begins - interval '2 days', ends = ends - interval '2 days'`);
    const { id, stormId } = await storm();
    await releaseStorm(deps, stormId, { expect: 60, reason: 'they are dead', actor });
    expect((await reportCampaign(deps, id)).bounced.hard).toBe(60);
    const checked = await checkTallies(deps);
    for (const part of ['tallies', 'messages'] as const) expect(checked[part]).toMatchObject({ differing: 0 });
  });
});

/** In two waves, an hour apart, by chance. */
function halves(): WavePlan[] {
  return [
    { of: { share: 0.5 }, afterHours: null, at: null, test: null },
    { of: { rest: true }, afterHours: 1, at: null, test: null },
  ];
}
