import type { WithDates } from '../../store/with-dates.ts';
import type { CampaignReport as ShownCampaignReport } from '../../shared/contract/reports.ts';
import { healthRates } from '../../core/health/rates.ts';
import { REASONS } from '../../shared/words.ts';
import { countCampaignActs, reportByDomain } from '../../store/statements/campaigns.ts';
import { countLedger } from '../../store/statements/deliveries.ts';
import type { Deps } from '../deps.ts';
import { rememberCostly } from '../remember.ts';
import { getCampaign } from './edit-campaign.ts';

/** The campaign's ledger: audience = accepted + refused + uncertain + waiting + onTheirWay + heldBack, always. */
export type Ledger = CampaignReport['ledger'];

export type CampaignReport = WithDates<ShownCampaignReport, 'startedAt' | 'finishedAt' | 'at' | 'countedAt'>;

/** Contacts by the class of what was said of them. */
export type Bounces = CampaignReport['bounced'];

const MOST_DOMAINS = 20;

/**
 * A campaign’s ledger: audience = accepted + refused + uncertain + waiting + on their way + held back, at any moment.
 */
export async function findLedger(deps: Deps, campaignId: number): Promise<Ledger> {
  const rows = await countLedger(deps.database, campaignId);
  const of = (state: string): number =>
    rows.filter((row) => row.state === state).reduce((sum, row) => sum + row.contacts, 0);
  const reasons = REASONS.flatMap((reason) =>
    rows
      .filter((row) => row.state === 'held-back' && row.reason === reason)
      .map((row) => ({ reason, contacts: row.contacts })),
  );
  const audience = rows.reduce((sum, row) => sum + row.contacts, 0);
  const parts = {
    accepted: of('accepted'),
    refused: of('refused'),
    uncertain: of('uncertain'),
    waiting: of('queued'),
    onTheirWay: of('claimed'),
  };
  const heldBack = reasons.reduce((sum, row) => sum + row.contacts, 0);
  const agrees = audience === heldBack + Object.values(parts).reduce((sum, part) => sum + part, 0);
  return { audience, ...parts, heldBack, reasons, agrees };
}

/** What became of a campaign: ledger, what came back, who acted; people's acts apart from everything. */
export async function reportCampaign(deps: Deps, id: number): Promise<CampaignReport> {
  const campaign = await getCampaign(deps, id);
  const ledger = await findLedger(deps, id);
  const counted = await rememberCostly(deps, `acts on ${id}`, async () => ({
    acts: await countCampaignActs(deps.database, id),
    domains: await reportByDomain(deps.database, id, MOST_DOMAINS),
  }));
  const { acts, domains } = counted.value;
  const contacts = (acted: string): number => acts.find((row) => row.acted === acted)?.contacts ?? 0;
  const events = (acted: string): number => acts.find((row) => row.acted === acted)?.events ?? 0;
  const byClass = (what: string): Bounces => ({
    hard: contacts(`${what} hard`),
    soft: contacts(`${what} soft`),
    block: contacts(`${what} block`),
    any: contacts(`${what} any`),
  });
  const [bounced, refusedAs] = [byClass('bounced'), byClass('refused')];
  return {
    campaignId: id,
    state: campaign.state,
    pausedBecause: campaign.pausedBecause,
    trouble: campaign.trouble,
    startedAt: campaign.startedAt,
    finishedAt: campaign.finishedAt,
    ledger,
    at: deps.now(),
    countedAt: counted.at,
    delivered: Math.max(0, ledger.accepted - bounced.any),
    bounced,
    refusedAs,
    opened: { human: contacts('opened human'), any: contacts('opened any') },
    clicked: { human: contacts('clicked human'), any: contacts('clicked any') },
    machineActs: events('opened machine') + events('clicked machine'),
    complained: contacts('complained'),
    unsubscribed: contacts('unsubscribed'),
    rates: healthRates({
      accepted: ledger.accepted + ledger.refused,
      bounced: bounced.any + ledger.refused,
      hardBounced: bounced.hard + refusedAs.hard,
      complained: contacts('complained'),
      unsubscribed: contacts('unsubscribed'),
    }),
    domains,
  };
}
