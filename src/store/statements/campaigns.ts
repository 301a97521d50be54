import type { CampaignState } from '../../shared/words.ts';
import type { Sql } from '../database.ts';
import type { Act } from './journal.ts';

/** What moves a campaign from one state to another: a person, or Avendel itself. */
export type CampaignMover = Pick<Act, 'actor'> & { actorKind: 'person' | 'rule' };

/** Avendel itself: it has come to an end, or cannot go on. */
export const BY_ITSELF: CampaignMover = { actorKind: 'rule', actor: 'Avendel' };

/**
 * Moves a campaign from one of these states to another, and records who did and why: of two who try at once, one succeeds.
 * `version` is that of the draft that was looked at, where it matters.
 */
export async function moveCampaign(
  sql: Sql,
  id: number,
  from: CampaignState[],
  to: CampaignState,
  because: string | null,
  by: CampaignMover,
  version: number | null = null,
): Promise<boolean> {
  const rows: unknown[] = await sql.query(
    `WITH old AS MATERIALIZED (SELECT id, state FROM campaign WHERE id = $1 AND state = ANY($2::text[]) AND ($7::int IS NULL OR version = $7) FOR UPDATE),
     moved AS (
       UPDATE campaign k SET state = $3, paused_because = $4, changed_at = now(),
         started_at = CASE WHEN $3 = 'sending' THEN coalesce(started_at, now()) ELSE started_at END,
         finished_at = CASE WHEN $3 IN ('finished', 'cancelled') THEN now() END
       FROM old o WHERE k.id = o.id)
     INSERT INTO campaign_change (campaign_id, before, after, actor_kind, actor, because) SELECT id, state, $3, $5, $6, $4 FROM old RETURNING id`,
    [id, from, to, because, by.actorKind, by.actor, version],
  );
  return rows.length > 0;
}

/** One change of a campaign's state. */
export interface CampaignChange {
  id: number;
  at: Date;
  before: CampaignState;
  after: CampaignState;
  actorKind: CampaignMover['actorKind'];
  actor: string;
  because: string | null;
}

/** Every change of a campaign's state, in order. */
export async function listCampaignChanges(sql: Sql, campaignId: number): Promise<CampaignChange[]> {
  return sql.query(
    `SELECT id::float8 AS id, at, before, after, actor_kind AS "actorKind", actor, because FROM campaign_change WHERE campaign_id = $1 ORDER BY id`,
    [campaignId],
  );
}

/** Notes what is wrong with the relay while a campaign sends, since when; null once it goes on. */
export async function setTrouble(sql: Sql, id: number, trouble: string | null): Promise<void> {
  await sql.query(
    `UPDATE campaign SET trouble = $2, trouble_since = CASE WHEN $2::text IS NULL THEN NULL ELSE coalesce(trouble_since, now()) END
     WHERE id = $1 AND trouble IS DISTINCT FROM $2`,
    [id, trouble],
  );
}

/** The links of a campaign by number; those it had are taken out. Within the transaction that starts it. */
export async function replaceLinks(
  sql: Sql,
  campaignId: number,
  links: { number: number; url: string }[],
): Promise<void> {
  await sql.query(
    `INSERT INTO campaign_link (campaign_id, number, url) SELECT $1, number, url FROM unnest($2::int[], $3::text[]) AS l(number, url)
     ON CONFLICT (campaign_id, number) DO UPDATE SET url = excluded.url`,
    [campaignId, links.map((link) => link.number), links.map((link) => link.url)],
  );
}

/** Where a numbered link of a campaign leads. */
export async function findLink(sql: Sql, campaignId: number, number: number): Promise<string | undefined> {
  const rows: { url: string }[] = await sql.query(
    'SELECT url FROM campaign_link WHERE campaign_id = $1 AND number = $2',
    [campaignId, number],
  );
  return rows[0]?.url;
}

/** Campaigns under way, the longest first. */
export async function listSendingCampaigns(sql: Sql): Promise<number[]> {
  const rows: { id: number }[] = await sql.query(`SELECT id FROM campaign WHERE state = 'sending' ORDER BY started_at`);
  return rows.map((row) => row.id);
}

/** Contacts who did an act: by people, and by anyone. */
export interface ActCounts {
  acted: string;
  contacts: number;
  events: number;
}

/** Contacts and events of one campaign by what they did, opens and clicks by actor, bounces by class. Uses event_by_campaign. */
export async function countCampaignActs(sql: Sql, campaignId: number): Promise<ActCounts[]> {
  return sql.query(
    `SELECT kind::text || CASE WHEN kind IN ('opened', 'clicked') THEN ' ' || actor::text ELSE '' END AS acted, count(DISTINCT contact_id)::int AS contacts, count(*)::int AS events
     FROM event WHERE campaign_id = $1 AND kind NOT IN ('sent', 'bounced') GROUP BY 1
     UNION ALL
     SELECT kind::text || ' any', count(DISTINCT contact_id)::int, count(*)::int FROM event WHERE campaign_id = $1 AND kind IN ('opened', 'clicked') GROUP BY 1
     UNION ALL
     SELECT CASE WHEN d.state = 'refused' THEN 'refused ' ELSE 'bounced ' END || coalesce(e.detail->>'class', 'soft'), count(DISTINCT e.contact_id)::int, count(*)::int
     FROM event e LEFT JOIN delivery d ON d.campaign_id = e.campaign_id AND d.contact_id = e.contact_id WHERE e.campaign_id = $1 AND e.kind = 'bounced' GROUP BY 1
     UNION ALL
     SELECT CASE WHEN d.state = 'refused' THEN 'refused any' ELSE 'bounced any' END, count(DISTINCT e.contact_id)::int, count(*)::int
     FROM event e LEFT JOIN delivery d ON d.campaign_id = e.campaign_id AND d.contact_id = e.contact_id WHERE e.campaign_id = $1 AND e.kind = 'bounced' GROUP BY 1`,
    [campaignId],
  );
}

/** What became of the messages to one receiving domain. */
export interface DomainReport {
  domain: string;
  accepted: number;
  refused: number;
  /** Of those accepted, later. */
  bounced: number;
  opened: number;
  clicked: number;
  complained: number;
}

/** The campaign by receiving domain, largest first. */
export async function reportByDomain(sql: Sql, campaignId: number, most: number): Promise<DomainReport[]> {
  return sql.query(
    `WITH acted AS (
       SELECT contact_id, bool_or(kind = 'opened' AND actor = 'human') AS opened, bool_or(kind = 'clicked' AND actor = 'human') AS clicked, bool_or(kind = 'complained') AS complained
       FROM event WHERE campaign_id = $1 AND kind IN ('opened', 'clicked', 'complained') GROUP BY 1)
     SELECT split_part(d.address, '@', 2) AS domain, (count(*) FILTER (WHERE d.state = 'accepted'))::int AS accepted, (count(*) FILTER (WHERE d.state = 'refused'))::int AS refused,
       (count(d.bounced) FILTER (WHERE d.state <> 'refused'))::int AS bounced, (count(*) FILTER (WHERE a.opened))::int AS opened, (count(*) FILTER (WHERE a.clicked))::int AS clicked, (count(*) FILTER (WHERE a.complained))::int AS complained
     FROM delivery d LEFT JOIN acted a USING (contact_id)
     WHERE d.campaign_id = $1 AND d.state IN ('accepted', 'refused', 'uncertain') GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT $2`,
    [campaignId, most],
  );
}

/** A recipient in the ledger. */
export interface CampaignRecipient {
  contactId: number;
  address: string;
  name: string | null;
  state: string;
  reasons: string[];
  at: Date | null;
  reply: string | null;
}

/** Contacts of a campaign's ledger in one state, held-back ones by deciding reason, or who did one thing, by contact after `after`. */
export async function listRecipients(
  sql: Sql,
  campaignId: number,
  filter: { state?: string; reason?: string; acted?: string; actor?: string },
  after: number,
  limit: number,
): Promise<CampaignRecipient[]> {
  return sql.query(
    `SELECT d.contact_id::float8 AS "contactId", d.address, c.name, d.state, d.reasons, coalesce(d.accepted_at, d.held_back_at, d.handed_at) AS at, d.reply
     FROM delivery d JOIN contact c ON c.id = d.contact_id
     WHERE d.campaign_id = $1 AND ($2::text IS NULL OR d.state = $2) AND ($3::text IS NULL OR d.reasons[1] = $3)
       AND ($4::text IS NULL OR EXISTS (SELECT FROM event e WHERE e.campaign_id = $1 AND e.kind::text = $4 AND e.contact_id = d.contact_id
            AND ($5::text IS NULL OR e.actor::text = $5 OR e.detail->>'class' = $5)))
       AND d.contact_id > $6 ORDER BY d.contact_id LIMIT $7`,
    [campaignId, filter.state ?? null, filter.reason ?? null, filter.acted ?? null, filter.actor ?? null, after, limit],
  );
}

/** The brand of each of these campaigns. */
export async function findCampaignsOfBrands(sql: Sql, ids: number[]): Promise<Map<number, number>> {
  const rows: { id: number; brandId: number }[] = await sql.query(
    'SELECT id, brand_id AS "brandId" FROM campaign WHERE id = ANY($1::int[])',
    [ids],
  );
  return new Map(rows.map((row) => [row.id, row.brandId]));
}

/** A campaign in a list. */
export interface CampaignHead {
  id: number;
  name: string;
  subject: string;
  state: CampaignState;
  sentElsewhere: boolean;
  startedAt: Date | null;
  changedAt: Date;
}

/** Campaigns of a brand, or of all, in one state, or in any, numbered below `before`; latest first. */
export async function listCampaignHeads(
  sql: Sql,
  { brandId, state }: { brandId?: number; state?: CampaignState },
  before: number,
  limit: number,
): Promise<CampaignHead[]> {
  return sql.query(
    `SELECT id, name, subject, state, sent_elsewhere AS "sentElsewhere", started_at AS "startedAt", changed_at AS "changedAt"
     FROM campaign WHERE ($1::int IS NULL OR brand_id = $1) AND ($2::text IS NULL OR state = $2) AND id < $3 ORDER BY id DESC LIMIT $4`,
    [brandId ?? null, state ?? null, before, limit],
  );
}

/** Contacts of a campaign's ledger: all, those accepted, those who wait or are on their way. */
export interface DeliveryCounts {
  audience: number;
  accepted: number;
  waiting: number;
}

/** How far these campaigns have come; one with an empty ledger is left out. All are counted in one pass. */
export async function countDeliveries(sql: Sql, campaignIds: number[]): Promise<Map<number, DeliveryCounts>> {
  const rows: (DeliveryCounts & { id: number })[] = await sql.query(
    `SELECT campaign_id AS id, count(*)::int AS audience, (count(*) FILTER (WHERE state = 'accepted'))::int AS accepted, (count(*) FILTER (WHERE state IN ('queued', 'claimed')))::int AS waiting
     FROM delivery WHERE campaign_id = ANY($1::int[]) GROUP BY 1`,
    [campaignIds],
  );
  return new Map(rows.map(({ id, ...counts }) => [id, counts]));
}
