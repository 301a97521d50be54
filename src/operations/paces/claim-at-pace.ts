import { filled, risen, setPace } from '../../core/sending/pace.ts';
import { domainOf } from '../../core/address/domain-of.ts';
import type { CampaignPace } from '../../shared/contract/campaigns.ts';
import type { Sql } from '../../store/sql.ts';
import type { ClaimedDelivery, Room } from '../../store/statements/deliveries.ts';
import {
  countClaimed,
  findEmptied,
  holdPaces,
  holdPacesOf,
  keepPaces,
  listSetDomains,
  type PaceRow,
} from '../../store/statements/pace.ts';

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
