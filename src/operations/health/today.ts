import { brakeWords, domainOfSlice } from '../../shared/brake.ts';
import { listWarnings } from '../../store/statements/brake.ts';
import { listStopped, type StoppedRow } from '../../store/statements/pace.ts';
import { DAY_MS } from '../../core/rules/sunset-ladder.ts';
import { BrandEntity, ListEntity } from '../../store/entities/organisation.ts';
import { listRuns, type RunRow } from '../../store/statements/journal.ts';
import { countPreflight } from '../../store/statements/preflight.ts';
import { countReturns } from '../../store/statements/returns.ts';
import {
  countByDay,
  countSince,
  listBounceCountCases,
  type BounceCountCase,
  type DayRates,
  type SinceCounts,
} from '../../store/statements/today.ts';
import { listStorms, type StormRow } from '../../store/statements/storms.ts';
import { overWholeSet } from '../../store/database.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';
import { listCampaigns, type CampaignRow } from '../campaigns/list-campaigns.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { listRelaysInTrouble, type RelayInTrouble } from '../../store/statements/relays.ts';
import { listTroubles, noteTrouble, type Trouble } from '../../store/statements/troubles.ts';
import { rememberCostly } from '../remember.ts';
import { countSunsetMoves, todayOf } from '../rules/sunset-rule.ts';

/** What is counted of everybody. */
export interface BrandCounts {
  /** Null where it cannot be worked out; then it is among the troubles. */
  ladder: { moving: number; toSunset: number } | null;
  mayBeWrittenTo: { covered: number; mayBeWritten: number };
}

export interface Today extends BrandCounts {
  brandId: number;
  since: Date;
  at: Date;
  /** When everybody was counted: for a large base some minutes ago, otherwise now. */
  countedAt: Date;
  days: DayRates[];
  changed: SinceCounts;
  bounceCount: BounceCountCase[];
  unmatchedReturns: number;
  /** Hard bounces known by their Message-ID alone, for a person to decide. */
  heldReturns: number;
  asking: number;
  storms: StormRow[];
  /** What goes on by itself and failed when it was last its turn. */
  troubles: Trouble[];
  relays: RelayInTrouble[];
  /** Domains that were stopped in campaigns under way, and what the brake warns of. */
  stops: (Omit<StoppedRow, 'domain'> & { domain: string | null })[];
  sending: CampaignRow[];
  drafts: CampaignRow[];
  runs: RunRow[];
}

/** What somebody who looks every morning needs: what changed since yesterday, what needs a look, what is under way. */
export async function lookAtToday(deps: Deps, brandId: number): Promise<Today> {
  const brand = found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const at = deps.now();
  const since = new Date(at.getTime() - DAY_MS);
  const returns = await countReturns(deps.database);
  const counted = await rememberCostly(deps, todayOf(brandId), () => countBrand(deps, brandId));
  return {
    brandId,
    since,
    at,
    countedAt: counted.at,
    ...counted.value,
    days: await countByDay(deps.database, brandId, new Date(at.getTime() - RATE_DAYS * DAY_MS), brand.zone),
    // After a run over a million, a day's journal has as many rows.
    troubles: await listTroubles(deps.database, brandId),
    relays: await listRelaysInTrouble(deps.database, brandId),
    changed: (await rememberCostly(deps, `since yesterday ${brandId}`, () => countSince(deps.database, brandId, since)))
      .value,
    bounceCount: await listBounceCountCases(deps.database, brandId, since, MOST_CASES),
    storms: await listStorms(deps.database, 'held', MOST_CASES),
    unmatchedReturns: returns.unmatched,
    asking: returns.asks,
    heldReturns: returns.held,
    stops: await listStops(deps, brandId),
    sending: [
      ...(await listCampaigns(deps, { brandId, state: 'sending' }, NEWEST, 10)),
      ...(await listCampaigns(deps, { brandId, state: 'resting' }, NEWEST, 10)),
      ...(await listCampaigns(deps, { brandId, state: 'paused' }, NEWEST, 10)),
    ],
    drafts: await listCampaigns(deps, { brandId, state: 'draft' }, NEWEST, 5),
    runs: (await listRuns(deps.database, NEWEST, 30)).filter(
      (run) => run.startedAt >= since && (run.brandId === null || run.brandId === brandId),
    ),
  };
}

async function listStops(deps: Deps, brandId: number): Promise<Today['stops']> {
  const warnings = await listWarnings(deps.database, brandId, MOST_CASES);
  return [
    ...(await listStopped(deps.database, brandId, MOST_CASES)),
    ...warnings.map(({ campaignId, campaignName, at, ...passed }) => {
      const because = `the brake warns: ${brakeWords(passed)}`;
      return { campaignId, campaignName, domain: domainOfSlice(passed.slice), because, at };
    }),
  ];
}

async function countBrand(deps: Deps, brandId: number): Promise<BrandCounts> {
  const lists = await deps.database.getRepository(ListEntity).findBy({ brandId });
  const audience: JudgedMessage = {
    campaignId: 0,
    brandId,
    purpose: 'marketing',
    listIds: lists.map((list) => list.id),
    leftOutListIds: [],
  };
  const { rows } = await overWholeSet(deps.database, (sql) => countPreflight(sql, audience, 0));
  return {
    ladder: await countLadder(deps, brandId),
    mayBeWrittenTo: {
      covered: rows.reduce((sum, row) => sum + (row.reason === 'erased' ? 0 : row.contacts), 0),
      mayBeWritten: rows.find((row) => row.reason === null)?.contacts ?? 0,
    },
  };
}

/** A ladder that can no longer be worked out keeps nobody from the rest of Today. */
async function countLadder(deps: Deps, brandId: number): Promise<BrandCounts['ladder']> {
  try {
    return await countSunsetMoves(deps, brandId);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    await noteTrouble(deps.database, 'The sunset rule', brandId, error.message);
    return null;
  }
}

const NEWEST = 2_147_483_647;
const MOST_CASES = 20;
const RATE_DAYS = 90;
