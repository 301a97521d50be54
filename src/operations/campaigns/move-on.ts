import { isOpen, nextChange } from '../../core/sending/send-window.ts';
import { judgeWave } from '../../core/sending/wave-plan.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { CampaignEntity, type Campaign } from '../../store/entities/campaign.ts';
import {
  BY_ITSELF,
  moveCampaign,
  noteChange,
  notePausedForDomains,
  type CampaignMover,
} from '../../store/statements/campaigns.ts';
import { findWaiting } from '../../store/statements/deliveries.ts';
import { listPaces } from '../../store/statements/pace.ts';
import {
  beginWave,
  countWaves,
  findExpected,
  holdMover,
  holdWave,
  listDue,
  listMovers,
  listWaves,
  setRest,
  timeWave,
  type WaveRow,
} from '../../store/statements/waves.ts';
import type { Deps } from '../deps.ts';
import { findZone } from '../organisation/zones.ts';
import { Problem } from '../problem.ts';
import { begin } from './control-campaign.ts';
import { getCampaign } from './edit-campaign.ts';

const HOUR_MS = 3_600_000;
/** Acts of any age. */
const ANY_AGE = 32_767;

/**
 * Moves campaigns on whose time has come: starts those that are scheduled, begins waves, lets campaigns rest outside
 * their windows and go on within. Any number of processes may do this at once.
 */
export async function moveOn(deps: Deps): Promise<void> {
  for (const { id, missed } of await listDue(deps.database)) await startDue(deps, id, missed);
  for (const id of await listMovers(deps.database)) await moveOne(deps, id);
}

/** Starts a campaign whose time has come, or pauses it with the question that keeps it from starting. */
async function startDue(deps: Deps, id: number, missed: boolean): Promise<void> {
  const campaign = await getCampaign(deps, id);
  if (campaign.state !== 'scheduled' || campaign.startsAt!.getTime() > deps.now().getTime()) return;
  // Of this version: whoever starts it, calls it off or names another time in this moment is asked nothing.
  const ask = (because: string) =>
    moveCampaign(deps.database, id, ['scheduled'], 'paused', because, BY_ITSELF, campaign.version);
  if (missed) {
    await ask('it was to start more than an hour ago, and nothing was running then; nothing has left');
    return;
  }
  const { expected, inSpite, tolerance } = await findExpected(deps.database, id);
  try {
    await begin(deps, campaign, { expected, inSpite, share: tolerance, by: BY_ITSELF });
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    await ask(`it could not start, and nothing has left: ${error.detail}`);
  }
}

async function moveOne(deps: Deps, id: number): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    if (!(await holdMover(sql, id))) return;
    const campaign = (await sql.getRepository(CampaignEntity).findOneBy({ id }))!;
    const now = deps.now().getTime();
    if (campaign.waves && campaign.state !== 'paused') await moveWaves(sql, campaign, now);
    await restOrGoOn(sql, campaign, now);
  });
}

/** Begins the waves whose time has come and whose test holds, or holds the next one for a person. */
async function moveWaves(sql: Sql, { id, waves: plan }: Campaign, now: number): Promise<void> {
  const waves = await listWaves(sql, id);
  for (const [index, next] of waves.entries()) {
    if (next.begunAt) continue;
    const { at, afterHours, test } = plan![index]!;
    const before = waves[index - 1]!;
    const beginsAt = at ? new Date(at) : new Date(before.begunAt!.getTime() + afterHours! * HOUR_MS);
    if (next.beginsAt?.getTime() !== beginsAt.getTime()) await timeWave(sql, id, next.wave, beginsAt);
    if (beginsAt.getTime() > now || next.heldAt) return;
    const verdict = test
      ? judgeWave(test, await figuresOf(sql, id, before.wave))
      : { goesOn: true, because: 'its time has come' };
    if (!verdict.goesOn) {
      const because = `wave ${before.wave}: ${verdict.because}`;
      await holdWave(sql, id, next.wave, because);
      await noteChange(sql, id, `wave ${next.wave} is held: ${because}`, BY_ITSELF);
      return;
    }
    await startWave(sql, id, next, BY_ITSELF, verdict.because);
    next.begunAt = new Date(now);
  }
}

/** Begins a wave: its recipients may be claimed from now on. */
export async function startWave(
  sql: Sql,
  id: number,
  { wave }: Pick<WaveRow, 'wave'>,
  by: CampaignMover,
  because: string,
): Promise<void> {
  await beginWave(sql, id, wave, { actor: by.actor, because });
  await noteChange(sql, id, `wave ${wave} begins: ${because}`, by);
}

async function figuresOf(sql: Sql, id: number, wave: number): Promise<Parameters<typeof judgeWave>[1]> {
  const found = (await countWaves(sql, id, ANY_AGE)).find((one) => one.wave === wave);
  if (!found) return { tried: 0, delivered: 0, hard: 0, block: 0, complaints: 0, unsubscribed: 0 };
  const { accepted, refused, uncertain, bounced } = found;
  return { ...found, tried: accepted + refused + uncertain, delivered: Math.max(0, accepted - bounced) };
}

/** The domains that are stopped, in words. */
async function nameStopped(sql: Sql, id: number): Promise<string> {
  const stopped = (await listPaces(sql, id)).filter(
    ({ isStopped, waits, calledOff }) => isStopped && waits > 0 && !calledOff,
  );
  return stopped.map(({ domain, waits }) => `${domain} (${waits})`).join(', ');
}

/** Lets it rest outside its window, and go on within it or when another wave has begun. */
async function restOrGoOn(sql: Sql, { id, brandId, state, sendWindow }: Campaign, now: number): Promise<void> {
  const zone = await findZone(sql, brandId);
  const isClosed = sendWindow !== null && !isOpen(sendWindow, now, zone);
  const { waiting, claimed, later, stopped } = await findWaiting(sql, id);
  const next = (await listWaves(sql, id)).find(({ begunAt }) => !begunAt);
  if (state === 'sending' && !waiting && !claimed && stopped && !later) {
    const because = `nothing is left but who waits at ${await nameStopped(sql, id)}`;
    await moveCampaign(sql, id, ['sending'], 'paused', because, BY_ITSELF);
    await notePausedForDomains(sql, id);
  } else if (state === 'paused') {
    // Held for domains alone: they are decided.
    if (waiting || !stopped)
      await moveCampaign(sql, id, ['paused'], 'sending', 'what it waited for is decided', BY_ITSELF);
  } else if (state === 'sending' && isClosed && (waiting || later)) {
    await moveCampaign(sql, id, ['sending'], 'resting', 'outside its hours', BY_ITSELF);
    await setRest(sql, id, new Date(nextChange(sendWindow, now, zone)));
  } else if (state === 'sending' && !waiting && !claimed && later) {
    if (next?.heldAt) {
      await moveCampaign(sql, id, ['sending'], 'paused', `wave ${next.wave} is held: ${next.heldBecause}`, BY_ITSELF);
    } else {
      await moveCampaign(sql, id, ['sending'], 'resting', 'between waves', BY_ITSELF);
      await setRest(sql, id, next?.beginsAt ?? null);
    }
  } else if (state === 'resting' && next?.heldAt && !waiting) {
    await moveCampaign(sql, id, ['resting'], 'paused', `wave ${next.wave} is held: ${next.heldBecause}`, BY_ITSELF);
  } else if (state === 'resting' && !isClosed && (waiting || !later)) {
    await moveCampaign(sql, id, ['resting'], 'sending', null, BY_ITSELF);
  } else if (state === 'resting') {
    await setRest(sql, id, isClosed ? new Date(nextChange(sendWindow, now, zone)) : (next?.beginsAt ?? null));
  }
}
