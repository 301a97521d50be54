import { TOLD_BY_HOUR, type FirstActs } from '../../core/health/usual.ts';
import { rowsOf, type Sql } from '../sql.ts';

/** Of campaigns, when contacts first acted: by whole hours after each of them got it. */
export async function listFirstActs(sql: Sql, campaignIds: number[]): Promise<Map<number, FirstActs[]>> {
  const rows = await rowsOf<FirstActs & { id: number }>(
    sql,
    `SELECT campaign_id AS id, figure, hours, sum(n)::int AS contacts FROM campaign_figure
     WHERE campaign_id = ANY ($1::int[]) AND figure = ANY ($2::text[]) GROUP BY 1, 2, 3`,
    [campaignIds, TOLD_BY_HOUR],
  );
  const all = new Map<number, FirstActs[]>(campaignIds.map((id) => [id, []]));
  for (const { id, ...acts } of rows) all.get(id)!.push(acts);
  return all;
}

/** The latest finished campaigns of a brand and purpose that were started before an instant, latest first. */
export async function listFinishedBefore(
  sql: Sql,
  { brandId, purpose, before, but }: { brandId: number; purpose: string; before: Date; but: number },
  most: number,
): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT id FROM campaign WHERE brand_id = $1 AND purpose = $2 AND state = 'finished' AND started_at < $3 AND id <> $4 ORDER BY started_at DESC, id DESC LIMIT $5`,
    [brandId, purpose, before, but, most],
  );
  return rows.map(({ id }) => id);
}

/** A link of a campaign, and how many clicked it: people, and anyone. */
export interface ClickedLink {
  number: number;
  url: string;
  people: number;
  anyone: number;
}

/** The links of a campaign, most clicked by people first. The trap link is none. Uses event_by_campaign. */
export function countClicksByLink(sql: Sql, campaignId: number, most: number): Promise<ClickedLink[]> {
  return rowsOf<ClickedLink>(
    sql,
    `WITH clicked AS MATERIALIZED (
       SELECT detail->>'link' AS link, contact_id, bool_or(actor = 'human') AS by_person FROM event WHERE campaign_id = $1 AND kind = 'clicked' GROUP BY 1, 2),
     counted AS (SELECT link, count(*) FILTER (WHERE by_person)::int AS people, count(*)::int AS anyone FROM clicked GROUP BY 1)
     SELECT l.number, l.url, coalesce(c.people, 0) AS people, coalesce(c.anyone, 0) AS anyone
     FROM campaign_link l LEFT JOIN counted c ON c.link = l.number::text
     WHERE l.campaign_id = $1 AND l.number <> 0 ORDER BY people DESC, anyone DESC, l.number LIMIT $2`,
    [campaignId, most],
  );
}
