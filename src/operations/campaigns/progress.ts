import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import type { DomainAct, DomainProgress, Progress as ShownProgress } from '../../shared/contract/pace.ts';
import { risen } from '../../core/sending/pace.ts';
import { inTransaction } from '../../store/database.ts';
import { CampaignEntity, type Campaign } from '../../store/entities/campaign.ts';
import type { Sql } from '../../store/sql.ts';
import { listBrakes, releaseBrakes, type BrakeRow } from '../../store/statements/brake.ts';
import { noteChange, raiseVersion, waitForCampaign } from '../../store/statements/campaigns.ts';
import {
  callOffDomain as callOffWithin,
  countWaitingApart,
  countWaitingByDomain,
  listPaces,
  parkStopped,
  releaseDomain,
  saveCampaignPace,
  stopDomain as stopWithin,
  type ShownPace,
} from '../../store/statements/pace.ts';
import { countFigures, countFiguresByDomain } from '../../store/statements/tallies.ts';
import type { WithDates } from '../../store/with-dates.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { remember } from '../remember.ts';
import { assertState } from './control-campaign.ts';
import { getCampaign } from './edit-campaign.ts';
import { applyPace } from '../paces/claim-at-pace.ts';

export type Progress = Omit<ShownProgress, 'domains' | 'brakes'> & {
  domains: WithDates<DomainProgress, 'stoppedAt'>[];
  brakes: BrakeRow[];
};

/** So many receiving domains are shown; those that are stopped always. */
const MOST_DOMAINS = 30;
/** So long the count of who waits by domain holds: it goes through all of them. */
const COUNTED_FOR_MS = 5000;

/** A campaign under way: what goes where, what waits for what, and what the brake stopped. @throws Problem not-found */
export async function lookAtProgress(deps: Deps, id: number): Promise<Progress> {
  const { pace } = await getCampaign(deps, id);
  const figures = (await countFigures(deps.database, [id])).get(id)!;
  const paces = await listPaces(deps.database, id);
  const { later, time } = await countWaitingApart(deps.database, id);
  const parked = (isStopped: boolean): number =>
    paces.filter((one) => one.domain !== '' && one.isStopped === isStopped).reduce((sum, { waits }) => sum + waits, 0);
  const apart = { laterWaves: later, stopped: parked(true), pace: parked(false), time };
  const all = figures.get('queued') ?? 0;
  return {
    pace,
    waits: { next: Math.max(0, all - later - time - apart.stopped - apart.pace), ...apart },
    domains: await listDomains(deps, id, paces),
    brakes: await listBrakes(deps.database, id),
  };
}

async function listDomains(deps: Deps, id: number, paces: ShownPace[]): Promise<Progress['domains']> {
  const waiting = new Map(
    (
      await remember(deps, `waiting by domain ${id}`, COUNTED_FOR_MS, () => countWaitingByDomain(deps.database, id))
    ).map((one) => [one.domain, one.waiting]),
  );
  const figures = new Map(
    (await countFiguresByDomain(deps.database, id, MOST_DOMAINS)).map((one) => [one.domain, one.figures]),
  );
  const kept = new Map(paces.map((pace) => [pace.domain, pace]));
  kept.delete('');
  const largest = [...waiting.keys()].slice(0, MOST_DOMAINS);
  const domains = [...new Set([...figures.keys(), ...largest, ...kept.keys()])].map((domain) =>
    domainProgress(domain, waiting.get(domain) ?? 0, figures.get(domain) ?? {}, kept.get(domain)),
  );
  const size = (one: Progress['domains'][number]): number => one.waiting + one.accepted + one.refused;
  domains.sort((one, other) => Number(other.stopped) - Number(one.stopped) || size(other) - size(one));
  return domains.filter(({ stopped }, index) => stopped || index < MOST_DOMAINS);
}

function domainProgress(
  domain: string,
  waiting: number,
  figures: Record<string, number>,
  pace: ShownPace | undefined,
): Progress['domains'][number] {
  const now = pace && risen(pace, pace.now);
  return {
    domain,
    waiting,
    accepted: figures['accepted'] ?? 0,
    refused: figures['refused'] ?? 0,
    hard: (figures['bounced hard'] ?? 0) + (figures['refused hard'] ?? 0),
    putOff: pace?.putOff ?? 0,
    rate: now?.rate ?? null,
    perHour: pace?.perHour ?? null,
    connections: pace?.connections ?? null,
    slowed: (now?.base ?? null) !== null,
    stopped: pace?.isStopped ?? false,
    stoppedAt: pace?.stoppedAt ?? null,
    stoppedBy: pace?.stoppedBy ?? null,
    stoppedBecause: pace?.stoppedBecause ?? null,
    stormId: pace?.stormId ?? null,
    calledOff: pace?.calledOff ?? false,
  };
}

/** Says how fast a campaign goes, also while it is under way. @throws Problem wrong-state, not-found */
export async function setCampaignPace(
  deps: Deps,
  id: number,
  pace: CampaignPace | null,
  actor: string,
): Promise<Campaign> {
  await overCampaign(deps, id, async (sql, campaign) => {
    assertState(campaign, ['draft', 'scheduled', 'sending', 'resting', 'paused'], 'given a pace');
    await saveCampaignPace(sql, id, pace);
    if (campaign.startedAt === null) return void (await raiseVersion(sql, id));
    await applyPace(sql, id, pace);
    await noteChange(sql, id, `its pace is now ${paceWords(pace)}`, { actorKind: 'person', actor });
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

function paceWords(pace: CampaignPace | null): string {
  const speed = (one: { perHour: number | null; connections: number | null }): string =>
    [
      ...(one.perHour === null ? [] : [`${one.perHour} an hour`]),
      ...(one.connections === null ? [] : [`${one.connections} at once`]),
    ].join(', ') || 'as fast as the relay takes it';
  const domains = (pace?.domains ?? []).map((one) => `; ${one.domain}: ${speed(one)}`);
  return speed(pace ?? { perHour: null, connections: null }) + domains.join('');
}

const UNDER_WAY = ['sending', 'resting', 'paused'] as const;

/** Stops a receiving domain within a campaign; the others go on. @throws Problem wrong-state, not-found */
export async function stopDomain(deps: Deps, id: number, act: DomainAct & { actor: string }): Promise<Campaign> {
  const { domain, reason, actor } = act;
  await overCampaign(deps, id, async (sql, campaign) => {
    assertState(campaign, [...UNDER_WAY], 'stopped at a domain');
    if (!(await stopWithin(sql, id, domain, { by: actor, because: reason })))
      throw new Problem('wrong-state', `${domain} is stopped already in “${campaign.name}”.`);
    await noteChange(sql, id, `${domain} is stopped: ${reason}`, { actorKind: 'person', actor });
  });
  await inTransaction(deps.database, parkStopped);
  return getCampaign(deps, id);
}

/**
 * Goes on with a receiving domain that is stopped: only messages accepted from then on count for its brake. A campaign
 * that waited for this alone goes on. A domain that a storm stops goes on with the storm's decision.
 * @throws Problem wrong-state, not-found
 */
export async function goOnWithDomain(deps: Deps, id: number, act: DomainAct & { actor: string }): Promise<Campaign> {
  const { domain, reason, actor } = act;
  await overCampaign(deps, id, async (sql, campaign) => {
    assertState(campaign, [...UNDER_WAY], 'gone on with');
    if (!(await releaseDomain(sql, id, domain))) throw await notStopped(sql, campaign, domain);
    await releaseBrakes(sql, id, domain, { by: actor, reason });
    await noteChange(sql, id, `${domain} goes on: ${reason}`, { actorKind: 'person', actor });
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

/**
 * Calls off whoever waits at a receiving domain that is stopped: they stay in the ledger as waiting, and get nothing.
 * @throws Problem wrong-state, not-found
 */
export async function callOffDomain(deps: Deps, id: number, act: DomainAct & { actor: string }): Promise<Campaign> {
  const { domain, reason, actor } = act;
  await overCampaign(deps, id, async (sql, campaign) => {
    assertState(campaign, [...UNDER_WAY], 'called off at a domain');
    if (!(await callOffWithin(sql, id, domain))) throw await notStopped(sql, campaign, domain);
    await noteChange(sql, id, `who waits at ${domain} is called off: ${reason}`, { actorKind: 'person', actor });
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

async function notStopped(sql: Sql, { id, name }: Campaign, domain: string): Promise<Problem> {
  const pace = (await listPaces(sql, id)).find((one) => one.domain === domain);
  if (pace?.calledOff)
    return new Problem('wrong-state', `Whoever waits at ${domain} is called off already in “${name}”.`);
  if (pace?.stormId)
    return new Problem(
      'wrong-state',
      `${domain} is stopped by storm ${pace.stormId}. Decide that: avendel storms show ${pace.stormId}`,
    );
  return new Problem('wrong-state', `${domain} is not stopped in “${name}”.`);
}

/** Does something with a campaign that nobody else moves meanwhile. */
async function overCampaign(
  deps: Deps,
  id: number,
  work: (sql: Sql, campaign: Campaign) => Promise<void>,
): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    await waitForCampaign(sql, id);
    await work(sql, found(await sql.getRepository(CampaignEntity).findOneBy({ id }), `campaign ${id}`));
  });
}
