import { DEFAULT_BRAKE_LIMITS, findPassed, LEAST_TRIED, since, type Passed } from '../../core/health/brake.ts';
import { brakeWords, domainOfSlice } from '../../shared/brake.ts';
import type { BrakeLimits } from '../../shared/contract/pace.ts';
import type { CampaignState } from '../../shared/words.ts';
import { inTransaction } from '../../store/database.ts';
import { CampaignEntity } from '../../store/entities/campaign.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import type { Sql } from '../../store/sql.ts';
import {
  countSliceSince,
  insertBrake,
  listOpenBrakes,
  listReleases,
  listSlices,
  listWatchedCampaigns,
  type Release,
  type Slice,
} from '../../store/statements/brake.ts';
import {
  BY_ITSELF,
  isPausedForDomains,
  moveCampaign,
  noteChange,
  waitForCampaign,
} from '../../store/statements/campaigns.ts';
import { parkStopped, stopDomain } from '../../store/statements/pace.ts';
import { findSetting, saveSettingParts } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';

const settingOf = (brandId: number): string => `brake of brand ${brandId}`;

/** From which rates on campaigns of a brand are stopped. @throws Problem not-found */
export async function findBrakeLimits(deps: Deps, brandId: number): Promise<BrakeLimits> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  return limitsOf(deps.database, brandId);
}

/** Changes the limits that are named, and answers all of them. @throws Problem not-found */
export async function changeBrakeLimits(
  deps: Deps,
  brandId: number,
  change: Partial<BrakeLimits>,
  actor: string,
): Promise<BrakeLimits> {
  await findBrakeLimits(deps, brandId);
  await saveSettingParts(deps.database, settingOf(brandId), change, actor);
  return limitsOf(deps.database, brandId);
}

async function limitsOf(sql: Sql, brandId: number): Promise<BrakeLimits> {
  return { ...DEFAULT_BRAKE_LIMITS, ...(await findSetting<BrakeLimits>(sql, settingOf(brandId))) };
}

/**
 * Looks at the figures of every campaign under way, and of those whose last message left within a day: in all, by wave
 * and by receiving domain. What has passed its limit is stopped: the domain's part, or the campaign. Domains that are
 * stopped, also by a storm, get back whoever is claimed. Any number of processes may do this at once.
 */
export async function watchBrake(deps: Deps): Promise<void> {
  const watched = await listWatchedCampaigns(deps.database);
  const ids = watched.map(({ id }) => id);
  const open = new Set((await listOpenBrakes(deps.database, ids)).map((one) => keyOf(one)));
  const slices = (await listSlices(deps.database, ids, LEAST_TRIED)).filter((slice) => !open.has(keyOf(slice)));
  if (slices.length > 0) {
    const releases = await listReleases(deps.database, ids);
    for (const { id, brandId } of watched) {
      const ofThis = slices.filter(({ campaignId }) => campaignId === id);
      if (ofThis.length === 0) continue;
      const limits = await limitsOf(deps.database, brandId);
      for (const slice of ofThis) {
        const passed = await judge(deps.database, slice, limits, releases);
        if (passed) await brake(deps, slice, passed);
      }
    }
  }
  await inTransaction(deps.database, parkStopped);
}

const keyOf = ({ campaignId, slice }: Pick<Slice, 'campaignId' | 'slice'>): string => `${campaignId} ${slice}`;

/**
 * What of a slice has passed its limit. After somebody went on, only messages accepted since count; they are counted
 * through only where all that came since would be enough.
 */
async function judge(sql: Sql, slice: Slice, limits: BrakeLimits, releases: Release[]): Promise<Passed | undefined> {
  const release = releases.find(({ campaignId, before }) => campaignId === slice.campaignId && slice.slice in before);
  if (!release) return findPassed(slice, limits);
  if (!findPassed(since(release.before[slice.slice]!, slice), limits)) return undefined;
  return findPassed(await countSliceSince(sql, slice, release.at), limits);
}

/** Stops a slice of a campaign. What has come to its end meanwhile is warned of. */
async function brake(deps: Deps, slice: Slice, passed: Passed): Promise<void> {
  const { campaignId: id } = slice;
  const because = brakeWords({ ...passed, slice: slice.slice });
  await inTransaction(deps.database, async (sql) => {
    await waitForCampaign(sql, id);
    const campaign = found(await sql.getRepository(CampaignEntity).findOneBy({ id }), `campaign ${id}`);
    const hasEnded = campaign.state === 'finished' || campaign.state === 'cancelled';
    if (!(await insertBrake(sql, slice, passed, hasEnded))) return;
    if (hasEnded) return noteChange(sql, id, `the brake warns: ${because}`, BY_ITSELF);
    const domain = domainOfSlice(slice.slice);
    if (domain !== null) {
      await stopDomain(sql, id, domain, { by: 'the brake', because });
      return noteChange(sql, id, `the brake stops ${domain}: ${because}`, BY_ITSELF);
    }
    const stops = `the brake: ${because}`;
    // One that waits for domains alone does not go on any more when they are decided.
    const from: CampaignState[] = (await isPausedForDomains(sql, id)) ? ['paused'] : ['sending', 'resting'];
    if (!(await moveCampaign(sql, id, from, 'paused', stops, BY_ITSELF))) await noteChange(sql, id, stops, BY_ITSELF);
  });
}
