import type { WithDates } from '../../store/with-dates.ts';
import type { CampaignReport as ShownCampaignReport } from '../../shared/contract/reports.ts';
import type { LeftOutBy } from '../../shared/contract/held-by.ts';
import { healthRates, type Rate } from '../../core/health/rates.ts';
import { REASONS } from '../../shared/words.ts';
import { countFigures, countFiguresByDomain } from '../../store/statements/tallies.ts';
import { listSetAside, type SetAsideRow } from '../../store/statements/exclusions.ts';
import { nameLeftOutBy } from '../../store/statements/held-back-by.ts';
import type { Sql } from '../../store/sql.ts';
import type { Deps } from '../deps.ts';
import { getCampaign } from './edit-campaign.ts';

/** The campaign's ledger: audience = accepted + refused + uncertain + waiting + onTheirWay + heldBack, always. */
export type Ledger = CampaignReport['ledger'];

export type CampaignReport = Omit<WithDates<ShownCampaignReport, 'startedAt' | 'finishedAt' | 'at'>, 'setAside'> & {
  setAside: SetAsideRow[];
};

/** Contacts by the class of what was said of them. */
export type Bounces = CampaignReport['bounced'];

const MOST_DOMAINS = 20;

/**
 * A campaign’s ledger: audience = accepted + refused + uncertain + waiting + on their way + held back, at any moment.
 */
export async function findLedger(deps: Deps, campaignId: number): Promise<Ledger> {
  const figures = (await countFigures(deps.database, [campaignId])).get(campaignId)!;
  return ledgerOf(figures, await nameLeftOutIn(deps.database, figures));
}

const HELD_BACK = 'held-back ';
const STATES = new Set(['accepted', 'refused', 'uncertain', 'queued', 'claimed']);

/** The ledger that the figures of a campaign say, with what leaves people out by its name if names are given. */
export function ledgerOf(figures: ReadonlyMap<string, number>, named: Named = new Map()): Ledger {
  const of = (figure: string): number => figures.get(figure) ?? 0;
  const parts = {
    accepted: of('accepted'),
    refused: of('refused'),
    uncertain: of('uncertain'),
    waiting: of('queued'),
    onTheirWay: of('claimed'),
  };
  const reasons = reasonsOf(figures, named);
  const heldBack = reasons.reduce((sum, row) => sum + row.contacts, 0);
  // Whoever stands there for a reason of which nobody has heard is in the audience all the same.
  const audience = [...figures]
    .filter(([figure]) => STATES.has(figure) || figure.startsWith(HELD_BACK))
    .reduce((sum, [, contacts]) => sum + contacts, 0);
  const agrees = audience === heldBack + Object.values(parts).reduce((sum, part) => sum + part, 0);
  return { audience, ...parts, heldBack, reasons, agrees };
}

/** What leaves people out, by the words in which figures say it. */
type Named = ReadonlyMap<string, LeftOutBy>;

const LEFT_OUT = `${HELD_BACK}left-out `;
const leftOutIn = (figures: ReadonlyMap<string, number>): string[] =>
  [...figures.keys()].flatMap((figure) => (figure.startsWith(LEFT_OUT) ? [figure.slice(LEFT_OUT.length)] : []));

function nameLeftOutIn(sql: Sql, figures: ReadonlyMap<string, number>): Promise<Named> {
  return nameLeftOutBy(sql, leftOutIn(figures));
}

function reasonsOf(figures: ReadonlyMap<string, number>, named: Named): Ledger['reasons'] {
  const leftOut = leftOutIn(figures).map((key) => ({
    reason: 'left-out' as const,
    by: named.get(key) ?? null,
    contacts: figures.get(LEFT_OUT + key)!,
  }));
  leftOut.sort((one, other) => (one.by?.id ?? 0) - (other.by?.id ?? 0));
  return REASONS.flatMap((reason) => {
    const alone = { reason, by: null, contacts: figures.get(HELD_BACK + reason) ?? 0 };
    return reason === 'left-out' ? [...leftOut, alone] : [alone];
  }).filter((row) => row.contacts);
}

/** What became of a campaign: ledger, what came back, who acted; people's acts apart from everything. */
export async function reportCampaign(deps: Deps, id: number): Promise<CampaignReport> {
  const campaign = await getCampaign(deps, id);
  const figures = (await countFigures(deps.database, [id])).get(id)!;
  const ledger = ledgerOf(figures, await nameLeftOutIn(deps.database, figures));
  const contacts = (figure: string): number => figures.get(figure) ?? 0;
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
    setAside: await listSetAside(deps.database, id),
    at: deps.now(),
    delivered: Math.max(0, ledger.accepted - bounced.any),
    bounced,
    refusedAs,
    opened: { human: contacts('opened'), any: contacts('opened any') },
    clicked: { human: contacts('clicked'), any: contacts('clicked any') },
    complained: contacts('complained'),
    unsubscribed: contacts('unsubscribed'),
    rates: ratesOf(figures),
    domains: (await countFiguresByDomain(deps.database, id, MOST_DOMAINS)).map(({ domain, figures: of }) => ({
      domain,
      accepted: of['accepted'] ?? 0,
      refused: of['refused'] ?? 0,
      bounced: of['bounced any'] ?? 0,
      opened: of['opened'] ?? 0,
      clicked: of['clicked'] ?? 0,
      complained: of['complained'] ?? 0,
    })),
  };
}

/** The rates of a campaign with their limits, by its figures. What the relay refused counts as bounced. */
export function ratesOf(figures: ReadonlyMap<string, number>): Rate[] {
  const of = (figure: string): number => figures.get(figure) ?? 0;
  return healthRates({
    accepted: of('accepted') + of('refused'),
    bounced: of('bounced any') + of('refused'),
    hardBounced: of('bounced hard') + of('refused hard'),
    complained: of('complained'),
    unsubscribed: of('unsubscribed'),
  });
}
