import type { WithDates } from '../with-dates.ts';
import type { Recipient } from '../../shared/contract/reports.ts';
import type { CampaignState } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { CappedByRow } from './capped.ts';
import type { Act } from './journal.ts';

/** What moves a campaign from one state to another: a person, or Avendel itself. */
export type CampaignMover = Pick<Act, 'actor'> & { actorKind: 'person' | 'rule' };

/** Avendel itself: it has come to an end, or cannot go on. */
export const BY_ITSELF: CampaignMover = { actorKind: 'rule', actor: 'Avendel' };

/**
 * Moves a campaign from one of these states to another, and records who did and why: of two who try at once, one
 * succeeds. `version` is that of the draft that was looked at, where it matters.
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
  const rows = await rowsOf(
    sql,
    `WITH old AS MATERIALIZED (SELECT id, state FROM campaign WHERE id = $1 AND state = ANY($2::text[]) AND ($7::int IS NULL OR version = $7) FOR UPDATE),
     moved AS (
       UPDATE campaign k SET state = $3, paused_because = CASE WHEN $3 IN ('paused', 'resting') THEN $4 END, paused_for_domains = false, changed_at = now(),
         started_at = CASE WHEN $3 = 'sending' THEN coalesce(started_at, now()) ELSE started_at END,
         finished_at = CASE WHEN $3 IN ('finished', 'cancelled') THEN now() END,
         rests_until = CASE WHEN $3 = 'resting' THEN rests_until END, starts_at = CASE WHEN $3 = 'scheduled' THEN starts_at END
       FROM old o WHERE k.id = o.id)
     INSERT INTO campaign_change (campaign_id, before, after, actor_kind, actor, because) SELECT id, state, $3, $5, $6, $4 FROM old RETURNING id`,
    [id, from, to, because, by.actorKind, by.actor, version],
  );
  return rows.length > 0;
}

/** Notes that a campaign that was just paused goes on once the domains are decided for which it waits. */
export async function notePausedForDomains(sql: Sql, id: number): Promise<void> {
  await execute(sql, 'UPDATE campaign SET paused_for_domains = true WHERE id = $1', [id]);
}

/** Whether a campaign is paused, and would go on by itself once the domains are decided for which it waits. */
export async function isPausedForDomains(sql: Sql, id: number): Promise<boolean> {
  const rows = await rowsOf(sql, 'SELECT FROM campaign WHERE id = $1 AND paused_for_domains', [id]);
  return rows.length > 0;
}

/** Raises the version of a draft, which is held until the transaction ends; false when it is none. */
export async function raiseVersion(sql: Sql, id: number): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `UPDATE campaign SET version = version + 1, changed_at = now() WHERE id = $1 AND state = 'draft' RETURNING id`,
    [id],
  );
  return rows.length > 0;
}

/** Records what was decided of a campaign that leaves its state as it is. */
export async function noteChange(sql: Sql, id: number, what: string, by: CampaignMover): Promise<void> {
  await execute(
    sql,
    `INSERT INTO campaign_change (campaign_id, before, after, actor_kind, actor, because) SELECT id, state, state, $3, $4, $2 FROM campaign WHERE id = $1`,
    [id, what, by.actorKind, by.actor],
  );
}

/** Holds a campaign until the transaction ends, after waiting for whoever has it. */
export async function waitForCampaign(sql: Sql, id: number): Promise<void> {
  await execute(sql, 'SELECT FROM campaign WHERE id = $1 FOR UPDATE', [id]);
}

/** Lets nobody move a campaign until the transaction ends, before any of its paces is held. */
export async function keepCampaign(sql: Sql, id: number): Promise<void> {
  await execute(sql, 'SELECT FROM campaign WHERE id = $1 FOR KEY SHARE', [id]);
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
  return rowsOf<CampaignChange>(
    sql,
    `SELECT id::float8 AS id, at, before, after, actor_kind AS "actorKind", actor, because FROM campaign_change WHERE campaign_id = $1 ORDER BY id`,
    [campaignId],
  );
}

/** Notes what is wrong with the relay while a campaign sends, since when; null once it goes on. */
export async function setTrouble(sql: Sql, id: number, trouble: string | null): Promise<void> {
  await execute(
    sql,
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
  await execute(
    sql,
    `INSERT INTO campaign_link (campaign_id, number, url) SELECT $1, number, url FROM unnest($2::int[], $3::text[]) AS l(number, url)
     ON CONFLICT (campaign_id, number) DO UPDATE SET url = excluded.url`,
    [campaignId, links.map((link) => link.number), links.map((link) => link.url)],
  );
}

/** Where a numbered link of a campaign leads. */
export async function findLink(sql: Sql, campaignId: number, number: number): Promise<string | undefined> {
  const rows = await rowsOf<{ url: string }>(
    sql,
    'SELECT url FROM campaign_link WHERE campaign_id = $1 AND number = $2',
    [campaignId, number],
  );
  return rows[0]?.url;
}

/** Campaigns under way, the longest first. */
export function listSendingCampaigns(sql: Sql): Promise<{ id: number; brandId: number }[]> {
  return rowsOf(sql, `SELECT id, brand_id AS "brandId" FROM campaign WHERE state = 'sending' ORDER BY started_at`);
}

/** A recipient in the ledger. */
export type CampaignRecipient = Omit<WithDates<Recipient, 'at'>, 'leftOutBy' | 'cappedBy'> & {
  /** `exclusion 5` */
  leftOutBy: string | null;
  cappedBy: CappedByRow | null;
};

/** Which recipients: those of whom all that is given here is true. */
export interface RecipientFilter {
  /** A state of the ledger; `waiting` is queued or on the way. */
  state?: string;
  /** Held back, by the deciding reason. */
  reason?: string;
  /** Left out by this thing: `exclusion 5`. */
  by?: string;
  /** Who did this, or to whom it happened, by whom, or of which class. */
  acted?: string;
  actor?: string;
  /** Receiving domain. */
  domain?: string;
  wave?: number;
  /** Of who acted: with this link, by its number. */
  link?: number;
  /** Part of an address or a name. */
  part?: string;
}

const ACT = `e.campaign_id = $1 AND e.kind::text = $4 AND e.contact_id = d.contact_id AND ($5::text IS NULL OR e.actor::text = $5 OR e.detail->>'class' = $5) AND ($10::int IS NULL OR e.detail->>'link' = $10::text)`;

const RECIPIENTS = `
  FROM delivery d JOIN contact c ON c.id = d.contact_id
  WHERE d.campaign_id = $1 AND ($2::text IS NULL OR d.state = $2 OR ($2 = 'waiting' AND d.state IN ('queued', 'claimed'))) AND ($3::text IS NULL OR d.reasons[1] = $3) AND ($7::text IS NULL OR d.left_out_by = $7)
    AND ($8::text IS NULL OR split_part(d.address, '@', 2) = $8) AND ($9::int IS NULL OR d.wave = $9)
    AND ($4::text IS NULL OR EXISTS (SELECT FROM event e WHERE ${ACT}))
    AND ($6::text = '' OR d.address LIKE '%' || $6 || '%' OR c.name ILIKE '%' || $6 || '%')`;

function recipientParameters(
  campaignId: number,
  { state, reason, by, acted, actor, domain, wave, link, part = '' }: RecipientFilter,
): unknown[] {
  const pattern = part.toLowerCase().replace(/[\\%_]/g, '\\$&');
  return [
    campaignId,
    state ?? null,
    reason ?? null,
    acted ?? null,
    actor ?? null,
    pattern,
    by ?? null,
    domain ?? null,
    wave ?? null,
    link ?? null,
  ];
}

/**
 * Recipients in the ledger, by contact after `after`, each with what was said last: by the act that is asked about,
 * else by the relay. The act is looked for of those on the page alone.
 */
export async function listRecipients(
  sql: Sql,
  campaignId: number,
  filter: RecipientFilter,
  after: number,
  limit: number,
): Promise<CampaignRecipient[]> {
  return rowsOf<CampaignRecipient>(
    sql,
    `WITH page AS MATERIALIZED (
       SELECT d.contact_id, d.address, c.name, c.archived_at IS NOT NULL AS archived, d.state, d.reasons, coalesce(d.accepted_at, d.held_back_at, d.handed_at) AS at, d.reply, d.left_out_by, d.capped_by
       ${RECIPIENTS} AND d.contact_id > $11 ORDER BY d.contact_id LIMIT $12)
     SELECT d.contact_id::float8 AS "contactId", d.address, d.name, d.archived, d.state, d.reasons, coalesce(a.at, d.at) AS at, CASE WHEN $4::text IS NULL THEN d.reply ELSE a.reply END AS reply,
       d.left_out_by AS "leftOutBy", d.capped_by AS "cappedBy"
     FROM page d LEFT JOIN LATERAL (
       SELECT e.occurred_at AS at, e.detail->>'reply' AS reply FROM event e WHERE $4::text IS NOT NULL AND ${ACT} ORDER BY e.occurred_at DESC LIMIT 1) a ON true
     ORDER BY d.contact_id`,
    [...recipientParameters(campaignId, filter), after, limit],
  );
}

/** How many recipients a filter finds. */
export async function countRecipients(sql: Sql, campaignId: number, filter: RecipientFilter): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `SELECT count(*)::int AS n ${RECIPIENTS}`,
    recipientParameters(campaignId, filter),
  );
  return row!.n;
}

/** The brand of each of these campaigns. */
export async function findCampaignsOfBrands(sql: Sql, ids: number[]): Promise<Map<number, number>> {
  const rows = await rowsOf<{ id: number; brandId: number }>(
    sql,
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
  return rowsOf<CampaignHead>(
    sql,
    `SELECT id, name, subject, state, sent_elsewhere AS "sentElsewhere", started_at AS "startedAt", changed_at AS "changedAt"
     FROM campaign WHERE ($1::int IS NULL OR brand_id = $1) AND ($2::text IS NULL OR state = $2) AND id < $3 ORDER BY id DESC LIMIT $4`,
    [brandId ?? null, state ?? null, before, limit],
  );
}

/** Deletes a campaign that was never started: it has no deliveries, and nothing came of it. */
export async function deleteDraft(sql: Sql, id: number): Promise<void> {
  for (const [table, column] of [
    ['campaign_link', 'campaign_id'],
    ['campaign_change', 'campaign_id'],
    ['campaign', 'id'],
  ])
    await execute(sql, `DELETE FROM ${table} WHERE ${column} = $1`, [id]);
}
