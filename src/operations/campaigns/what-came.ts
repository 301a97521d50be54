import {
  actsByHour,
  sharesOf,
  usualOpening,
  usualShares,
  type ActsByHour,
  type ActShares,
} from '../../core/health/usual.ts';
import type { ComparedCampaign as ShownComparison } from '../../shared/contract/reports.ts';
import type { WithDates } from '../../store/with-dates.ts';
import {
  countClicksByLink,
  listFinishedBefore,
  listFirstActs,
  type ClickedLink,
} from '../../store/statements/what-came.ts';
import { countFigures } from '../../store/statements/tallies.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { rememberCostly } from '../remember.ts';
import { getCampaign } from './edit-campaign.ts';
import { ledgerOf, ratesOf } from './report-campaign.ts';

/** So many campaigns before this one say what is usual. */
const USUAL_OF = 10;
const MOST_LINKS = 100;

/** What people did with a campaign: when, with which links, and beside what is usual for its brand. */
export interface WhatCame {
  campaignId: number;
  byHour: ActsByHour[];
  links: ClickedLink[];
  /** Null where no campaign before this one says. */
  usual: { campaigns: number; shares: ActShares; opening: { hours: number; share: number }[] } | null;
}

/** What came of a campaign over time, and what is usual. @throws Problem not-found */
export async function lookAtWhatCame(deps: Deps, id: number): Promise<WhatCame> {
  const campaign = await getCampaign(deps, id);
  const before = await listFinishedBefore(
    deps.database,
    {
      brandId: campaign.brandId,
      purpose: campaign.purpose,
      before: campaign.startedAt ?? deps.now(),
      but: id,
    },
    USUAL_OF,
  );
  const [acts, figures] = [
    await listFirstActs(deps.database, [id, ...before]),
    await countFigures(deps.database, before),
  ];
  const byHour = actsByHour(acts.get(id)!);
  const others = before.map((other) => ({
    points: actsByHour(acts.get(other)!),
    shares: sharesOf(figures.get(other)!),
    delivered: deliveredOf(figures.get(other)!),
  }));
  const shares = usualShares(others.flatMap((other) => other.shares ?? []));
  const hours = [...new Set([...byHour, ...others.flatMap(({ points }) => points)].map((point) => point.hours))];
  return {
    campaignId: id,
    byHour,
    links: (
      await rememberCostly(deps, `clicks by link of ${id}`, () => countClicksByLink(deps.database, id, MOST_LINKS))
    ).value,
    usual: shares
      ? {
          campaigns: others.filter((other) => other.shares).length,
          shares,
          opening: usualOpening(
            others,
            hours.sort((one, other) => one - other),
          ),
        }
      : null,
  };
}

export type ComparedCampaign = WithDates<ShownComparison, 'startedAt' | 'finishedAt'>;

/** Campaigns side by side, in the order in which they were named. @throws Problem not-found, invalid-input */
export async function compareCampaigns(deps: Deps, ids: number[]): Promise<ComparedCampaign[]> {
  const campaigns = await Promise.all(ids.map((id) => getCampaign(deps, id)));
  const notStarted = campaigns.find(({ startedAt }) => startedAt === null);
  if (notStarted)
    throw new Problem('invalid-input', `“${notStarted.name}” was not started: there is nothing to compare.`, {
      field: 'ids',
    });
  const [acts, figures] = [await listFirstActs(deps.database, ids), await countFigures(deps.database, ids)];
  return campaigns.map(({ id, name, subject, brandId, purpose, state, startedAt, finishedAt }) => {
    const of = figures.get(id)!;
    const { audience, heldBack, refused, accepted, uncertain } = ledgerOf(of);
    return {
      id,
      name,
      subject,
      brandId,
      purpose,
      state,
      startedAt,
      finishedAt,
      audience,
      heldBack,
      refused,
      accepted,
      uncertain,
      delivered: deliveredOf(of),
      shares: sharesOf(of) ?? null,
      rates: ratesOf(of),
      byHour: actsByHour(acts.get(id)!),
    };
  });
}

function deliveredOf(figures: ReadonlyMap<string, number>): number {
  return Math.max(0, (figures.get('accepted') ?? 0) - (figures.get('bounced any') ?? 0));
}
