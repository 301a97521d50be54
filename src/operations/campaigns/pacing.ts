import type { StorableEvent } from '../../core/activity/event.ts';
import { filled, observe, risen, setPace, speaksOfRate, type Attempt, type Outcome } from '../../core/sending/pace.ts';
import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { BY_ITSELF, keepCampaign, noteChange } from '../../store/statements/campaigns.ts';
import type { ClaimedDelivery, Room } from '../../store/statements/deliveries.ts';
import {
  countClaimed,
  findEmptied,
  findLately,
  holdPaces,
  holdPacesOf,
  keepPaces,
  listSetDomains,
  parkClaimed,
  stopDomain,
  type PaceRow,
} from '../../store/statements/pace.ts';
import type { Deps } from '../deps.ts';

/** What a claim at a pace took: whom, and the domains at which somebody was parked. */
interface Taken {
  claimed: ClaimedDelivery[];
  parked: string[];
}

/**
 * Claims as many as the paces of a campaign and of its domains have room for, `most` at the most, and takes them off
 * that room. Of several processes one does at a time, where anything is limited. `fewAtOnce`: there may be room as soon
 * as these have gone. Within a transaction.
 */
export async function claimAtPace<T extends Taken>(
  sql: Sql,
  campaignId: number,
  most: number,
  claim: (limit: number, rooms: Room[]) => Promise<T>,
): Promise<T & { fewAtOnce: boolean }> {
  const paces = (await holdPaces(sql, campaignId)).map((pace) => filledNow(pace));
  const fewAtOnce = paces.some(({ connections }) => connections !== null);
  const claimed = fewAtOnce ? await countClaimed(sql, campaignId) : new Map<string, number>();
  const roomOf = ({ room, connections, domain, isStopped }: (typeof paces)[number]): number =>
    isStopped ? 0 : Math.max(0, Math.min(most, room, (connections ?? Infinity) - (claimed.get(domain) ?? 0)));
  const whole = paces.find(({ domain }) => domain === '');
  const limit = whole ? roomOf(whole) : most;
  const rooms = paces
    .filter(({ domain }) => domain !== '')
    .map((pace) => ({ domain: pace.domain, room: roomOf(pace), limited: isLimited(pace) }));
  const taken = await claim(limit, [{ domain: '', room: limit, limited: false }, ...rooms]);
  if (paces.length > 0) await takeOff(sql, campaignId, paces, taken);
  return { ...taken, fewAtOnce };
}

const filledNow = (pace: PaceRow): PaceRow & { room: number } => ({
  ...pace,
  ...filled(risen(pace, pace.now), pace.now),
});
const isLimited = ({ rate, connections, isStopped }: PaceRow): boolean =>
  isStopped || rate !== null || connections !== null;

/** Takes what was claimed off the room there was, and notes under which domains somebody is parked. */
async function takeOff(sql: Sql, campaignId: number, paces: PaceRow[], { claimed, parked }: Taken): Promise<void> {
  const gone = new Map<string, number>([['', claimed.length]]);
  for (const { address } of claimed) gone.set(domainOf(address), (gone.get(domainOf(address)) ?? 0) + 1);
  const kept = paces.map((pace) => ({
    ...pace,
    tokens: Math.max(0, pace.tokens - (gone.get(pace.domain) ?? 0)),
    parks: pace.parks || parked.includes(pace.domain),
  }));
  const before = kept.filter(({ domain, parks }) => parks && !parked.includes(domain)).map(({ domain }) => domain);
  const emptied = before.length > 0 ? await findEmptied(sql, campaignId, before) : [];
  await keepPaces(
    sql,
    campaignId,
    kept.map((pace) => ({ ...pace, parks: pace.parks && !emptied.includes(pace.domain) })),
  );
}

/**
 * Makes the paces of a campaign and its domains what was set; a rate that was backed off to stays. Within a transaction
 * that holds the campaign.
 */
export async function applyPace(sql: Sql, campaignId: number, pace: CampaignPace | null): Promise<void> {
  const set = new Map((pace?.domains ?? []).map(({ domain, ...speed }) => [domain, speed]));
  if (pace) set.set('', { perHour: pace.perHour, connections: pace.connections });
  const domains = [...new Set([...set.keys(), ...(await listSetDomains(sql, campaignId))])];
  if (domains.length === 0) return;
  const paces = await holdPacesOf(sql, campaignId, domains);
  await keepPaces(
    sql,
    campaignId,
    paces.map((before) => {
      const { perHour, connections } = set.get(before.domain) ?? { perHour: null, connections: null };
      return { ...before, ...setPace(risen(before, before.now), perHour, before.now), connections };
    }),
  );
}

/** The receiving domain of an address. */
export const domainOf = (address: string): string => address.slice(address.lastIndexOf('@') + 1);

/** An attempt at a domain. */
export type AttemptAt = Attempt & { domain: string };

/** Attempts that say something by themselves: the domain is looked at from now on. */
export const saysSomething = ({ outcome }: Attempt): boolean => outcome !== 'went';

/**
 * Takes attempts at domains in: of one that puts too many off the rate is halved, and one that blocks too many for rate
 * or reputation is stopped for a person to decide.
 */
export async function observeAttempts(deps: Deps, campaignId: number, attempts: AttemptAt[]): Promise<void> {
  const domains = [...new Set(attempts.map(({ domain }) => domain))];
  if (domains.length === 0) return;
  const slowed = await inTransaction(deps.database, async (sql) => {
    await keepCampaign(sql, campaignId);
    const paces = await holdPacesOf(sql, campaignId, domains);
    const seen = paces.map((pace) => {
      const there = attempts.filter(({ domain }) => domain === pace.domain).map(({ at, outcome }) => ({ at, outcome }));
      return { before: pace, there, ...observe(pace, there, pace.now) };
    });
    await keepPaces(
      sql,
      campaignId,
      seen.map(({ before, there, pace }) => ({
        ...before,
        ...pace,
        putOff: before.putOff + there.filter(({ outcome }) => outcome === 'put-off').length,
      })),
    );
    for (const { before, pace, halved } of seen)
      if (halved) {
        const what = `${before.domain} puts messages off: halved to ${Math.round(pace.rate!)} an hour`;
        await noteChange(sql, campaignId, what, BY_ITSELF);
      }
    const blocked = seen.flatMap(({ before, blocked: isBlocked }) => (isBlocked ? [before.domain] : []));
    for (const domain of blocked) await stopBlocked(sql, campaignId, domain);
    return [...blocked, ...seen.flatMap(({ before, halved }) => (halved ? [before.domain] : []))];
  });
  if (slowed.length > 0) await inTransaction(deps.database, (sql) => parkClaimed(sql, campaignId, slowed));
}

async function stopBlocked(sql: Sql, campaignId: number, domain: string): Promise<void> {
  const because = 'it blocks messages, and speaks of their rate or of the sender’s reputation';
  if (await stopDomain(sql, campaignId, domain, { by: BY_ITSELF.actor, because }))
    await noteChange(sql, campaignId, `${domain} is stopped: ${because}`, BY_ITSELF);
}

/**
 * Takes in what was told within the hour of messages that had been accepted: that they are delayed, or blocked for rate
 * or reputation. A relay that takes everything answers so.
 */
export async function observeReports(deps: Deps, events: StorableEvent[]): Promise<void> {
  const told = events.flatMap((event) => {
    const outcome = outcomeOf(event);
    return outcome === undefined || event.campaignId === null
      ? []
      : [{ ...event, campaignId: event.campaignId, outcome }];
  });
  if (told.length === 0) return;
  const lately = await findLately(deps.database, told);
  for (const campaignId of new Set(lately.map((one) => one.campaignId))) {
    const domains = new Map(
      lately.filter((one) => one.campaignId === campaignId).map(({ contactId, domain }) => [contactId, domain]),
    );
    await observeAttempts(
      deps,
      campaignId,
      told.flatMap(({ contactId, at, outcome, ...event }) =>
        event.campaignId === campaignId && domains.has(contactId)
          ? [{ at, outcome, domain: domains.get(contactId)! }]
          : [],
      ),
    );
  }
}

function outcomeOf({ kind, detail }: Pick<StorableEvent, 'kind' | 'detail'>): Outcome | undefined {
  if (kind === 'delayed') return 'put-off';
  const isBlock = kind === 'bounced' && detail?.class === 'block';
  return isBlock && speaksOfRate(String(detail.reply ?? '')) ? 'blocked' : undefined;
}
