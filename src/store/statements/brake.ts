import type { BrakeCounts, Passed } from '../../core/health/brake.ts';
import type { Brake, BrakeFigure } from '../../shared/contract/pace.ts';
import { domainOfSlice } from '../../shared/brake.ts';
import type { CampaignState } from '../../shared/words.ts';
import { changedBy, rowsOf, type Sql } from '../sql.ts';
import type { WithDates } from '../with-dates.ts';

/** A campaign whose figures are watched. */
export interface Watched {
  id: number;
  brandId: number;
  state: CampaignState;
}

/** Campaigns under way, and those whose last message left within 24 hours. */
export async function listWatchedCampaigns(sql: Sql): Promise<Watched[]> {
  return rowsOf<Watched>(
    sql,
    `SELECT id, brand_id AS "brandId", state FROM campaign
     WHERE NOT sent_elsewhere AND started_at IS NOT NULL AND (state IN ('sending', 'resting', 'paused') OR finished_at > now() - interval '24 hours') ORDER BY id`,
  );
}

/** What came of one slice: `campaign`, `wave 2`, `domain hearthmail.example`. */
export interface Slice extends BrakeCounts {
  campaignId: number;
  slice: string;
}

const of = (...figures: string[]): string =>
  `coalesce(sum(n) FILTER (WHERE figure IN (${figures.map((figure) => `'${figure}'`).join(', ')})), 0)::int`;
const TRIED = of('accepted', 'refused');
const FIGURES = `${TRIED} AS tried, greatest(0, ${of('accepted')} - ${of('bounced any')}) AS delivered, ${of('bounced hard', 'refused hard')} AS hard,
  ${of('bounced block', 'refused block')} AS block, ${of('complained')} AS complaints, ${of('unsubscribed')} AS unsubscribed`;

/** The slices of these campaigns of which at least so many were tried. */
export async function listSlices(sql: Sql, campaignIds: number[], least: number): Promise<Slice[]> {
  return rowsOf<Slice>(
    sql,
    `WITH figured AS (
       SELECT campaign_id, 'campaign' AS slice, figure, n FROM campaign_figure WHERE campaign_id = ANY ($1::int[])
       UNION ALL SELECT campaign_id, 'wave ' || wave, figure, n FROM campaign_figure WHERE campaign_id = ANY ($1::int[])
         AND campaign_id IN (SELECT id FROM campaign WHERE id = ANY ($1::int[]) AND waves IS NOT NULL)
       UNION ALL SELECT campaign_id, 'domain ' || domain, figure, n FROM campaign_domain_figure WHERE campaign_id = ANY ($1::int[]) AND domain <> 'other')
     SELECT campaign_id AS "campaignId", slice, ${FIGURES} FROM figured GROUP BY 1, 2 HAVING ${TRIED} >= $2 ORDER BY 1, 2`,
    [campaignIds, least],
  );
}

/** The deliveries `d` of a slice of campaign $1, which is $2. */
const IN_SLICE = `d.campaign_id = $1 AND ($2 = 'campaign' OR $2 = 'wave ' || d.wave OR $2 = 'domain ' || d.domain)`;

/** What came of the messages of a slice that were accepted, or refused, after an instant. */
export async function countSliceSince(
  sql: Sql,
  { campaignId, slice }: Pick<Slice, 'campaignId' | 'slice'>,
  instant: Date,
): Promise<BrakeCounts> {
  const [row] = await rowsOf<BrakeCounts>(
    sql,
    `SELECT count(*)::int AS tried, (count(*) FILTER (WHERE state = 'accepted' AND least(hard_at, soft_at, block_at) IS NULL))::int AS delivered,
       count(hard_at)::int AS hard, count(block_at)::int AS block, count(complained_at)::int AS complaints, count(unsubscribed_at)::int AS unsubscribed
     FROM delivery d WHERE ${IN_SLICE} AND d.state IN ('accepted', 'refused') AND coalesce(d.accepted_at, d.handed_at) > $3`,
    [campaignId, slice, instant],
  );
  return row!;
}

/** When somebody went on after a brake, and what the figures of the slices were then. */
export interface Release {
  campaignId: number;
  at: Date;
  before: Record<string, BrakeCounts>;
}

/** Who went on in these campaigns, the latest first. */
export async function listReleases(sql: Sql, campaignIds: number[]): Promise<Release[]> {
  return rowsOf<Release>(
    sql,
    `SELECT campaign_id AS "campaignId", released_at AS at, before FROM campaign_brake WHERE campaign_id = ANY ($1::int[]) AND released_at IS NOT NULL ORDER BY released_at DESC`,
    [campaignIds],
  );
}

/** Slices of these campaigns that have passed a limit, with nobody having gone on. */
export async function listOpenBrakes(
  sql: Sql,
  campaignIds: number[],
): Promise<{ campaignId: number; slice: string }[]> {
  return rowsOf(
    sql,
    `SELECT campaign_id AS "campaignId", slice FROM campaign_brake WHERE campaign_id = ANY ($1::int[]) AND released_at IS NULL`,
    [campaignIds],
  );
}

const COLUMN: Readonly<Record<BrakeFigure, string>> = {
  hard: 'hard_at',
  block: 'block_at',
  complaints: 'complained_at',
  unsubscribed: 'unsubscribed_at',
};

/** Records that a figure of a slice passed its limit, with what stands behind it; false where it is on record. */
export async function insertBrake(
  sql: Sql,
  { campaignId, slice }: Pick<Slice, 'campaignId' | 'slice'>,
  { figure, events, of: all, limit }: Passed,
  warned: boolean,
): Promise<boolean> {
  const bounceClass = figure === 'hard' || figure === 'block' ? figure : null;
  const rows = await rowsOf(
    sql,
    `WITH behind AS MATERIALIZED (SELECT d.contact_id, d.source FROM delivery d WHERE ${IN_SLICE} AND d.${COLUMN[figure]} IS NOT NULL)
     INSERT INTO campaign_brake (campaign_id, slice, figure, events, of, limit_rate, warned, said, sources)
     SELECT $1, $2, $3, $4, $5, $6, $7,
       coalesce((SELECT json_agg(s) FROM (
         SELECT e.detail->>'reply' AS text, count(*)::int AS times FROM behind b JOIN event e ON e.campaign_id = $1 AND e.contact_id = b.contact_id AND e.kind = 'bounced' AND e.detail->>'class' = $8
         WHERE e.detail->>'reply' IS NOT NULL GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${MOST_SAID}) s), '[]'),
       coalesce((SELECT json_agg(s) FROM (
         SELECT coalesce('“' || i.file_name || '”', b.source) AS source, count(*)::int AS contacts FROM behind b LEFT JOIN import i ON b.source = 'import ' || i.id
         WHERE b.source IS NOT NULL GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${MOST_SAID}) s), '[]')
     ON CONFLICT (campaign_id, slice) WHERE released_at IS NULL DO NOTHING RETURNING id`,
    [campaignId, slice, figure, events, all, limit, warned, bounceClass],
  );
  return rows.length > 0;
}

/** So many answers of servers, and sources, are kept with a brake. */
const MOST_SAID = 3;

/**
 * Goes on after the brakes of a domain, or, without one, after those of the campaign and its waves; says how many those
 * were. Keeps the figures as they are, of the campaign and of all its waves or of the domain.
 */
export async function releaseBrakes(
  sql: Sql,
  campaignId: number,
  domain: string | null,
  { by, reason }: { by: string; reason: string },
): Promise<number> {
  const isOf = (slice: string): boolean => domainOfSlice(slice) === domain;
  const slices = (await listSlices(sql, [campaignId], 0)).filter(({ slice }) => isOf(slice));
  const before = Object.fromEntries(slices.map(({ campaignId: _, slice, ...counts }) => [slice, counts]));
  return changedBy(
    sql,
    `UPDATE campaign_brake SET released_at = now(), released_by = $3, reason = $4, before = $5::jsonb
     WHERE campaign_id = $1 AND CASE WHEN $2::text IS NULL THEN slice NOT LIKE 'domain %' ELSE slice = 'domain ' || $2 END AND released_at IS NULL`,
    [campaignId, domain, by, reason, JSON.stringify(before)],
  );
}

/** A brake as it is kept. */
export type BrakeRow = WithDates<Brake, 'at' | 'releasedAt'>;

/** What the brake warns of in campaigns of a brand that ended within a day, the latest first. */
export async function listWarnings(
  sql: Sql,
  brandId: number,
  limit: number,
): Promise<
  (Pick<BrakeRow, 'slice' | 'figure' | 'events' | 'of' | 'limit' | 'at'> & {
    campaignId: number;
    campaignName: string;
  })[]
> {
  return rowsOf(
    sql,
    `SELECT k.id AS "campaignId", k.name AS "campaignName", b.slice, b.figure, b.events, b.of, b.limit_rate AS "limit", b.at
     FROM campaign k JOIN campaign_brake b ON b.campaign_id = k.id
     WHERE k.brand_id = $1 AND k.finished_at > now() - interval '24 hours' AND b.warned ORDER BY b.id DESC LIMIT $2`,
    [brandId, limit],
  );
}

/** What passed its limit in a campaign, the latest first. */
export async function listBrakes(sql: Sql, campaignId: number): Promise<BrakeRow[]> {
  return rowsOf<BrakeRow>(
    sql,
    `SELECT id, slice, figure, events, of, limit_rate AS "limit", at, warned, released_at AS "releasedAt", released_by AS "releasedBy", reason, said, sources
     FROM campaign_brake WHERE campaign_id = $1 ORDER BY id DESC`,
    [campaignId],
  );
}
