import type { StorableEvent } from '../../core/activity/event.ts';
import { observe, speaksOfRate, type Attempt, type Outcome } from '../../core/sending/pace.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { BY_ITSELF, keepCampaign, noteChange } from '../../store/statements/campaigns.ts';
import { findLately, holdPacesOf, keepPaces, parkClaimed, stopDomain } from '../../store/statements/pace.ts';
import type { Deps } from '../deps.ts';

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
