import type { WavePlan } from '../../shared/contract/campaigns.ts';
import type { Wave } from '../../shared/contract/schedule.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/** A wave of a campaign that was started, as it is kept. */
export interface WaveRow {
  wave: number;
  beginsAt: Date | null;
  begunAt: Date | null;
  begunBy: string | null;
  begunBecause: string | null;
  heldAt: Date | null;
  heldBecause: string | null;
}

/** The waves of a campaign, in order; none where everybody gets it at once, or it has not started. */
export async function listWaves(sql: Sql, campaignId: number): Promise<WaveRow[]> {
  return rowsOf<WaveRow>(
    sql,
    `SELECT wave, begins_at AS "beginsAt", begun_at AS "begunAt", begun_by AS "begunBy", begun_because AS "begunBecause", held_at AS "heldAt", held_because AS "heldBecause"
     FROM campaign_wave WHERE campaign_id = $1 ORDER BY wave`,
    [campaignId],
  );
}

/** Opens the waves of a campaign, the first as begun. Within the transaction that starts it. */
export async function openWaves(sql: Sql, campaignId: number, waves: number): Promise<void> {
  await execute(
    sql,
    `INSERT INTO campaign_wave (campaign_id, wave, begins_at, begun_at, begun_by)
     SELECT $1, n, CASE WHEN n = 1 THEN now() END, CASE WHEN n = 1 THEN now() END, CASE WHEN n = 1 THEN 'Avendel' END FROM generate_series(1, $2::int) n`,
    [campaignId, waves],
  );
}

/** Notes when a wave begins. */
export async function timeWave(sql: Sql, campaignId: number, wave: number, at: Date): Promise<void> {
  await execute(sql, 'UPDATE campaign_wave SET begins_at = $3 WHERE campaign_id = $1 AND wave = $2', [
    campaignId,
    wave,
    at,
  ]);
}

/** Holds a wave whose time has come, for a person. */
export async function holdWave(sql: Sql, campaignId: number, wave: number, because: string): Promise<void> {
  await execute(
    sql,
    'UPDATE campaign_wave SET held_at = now(), held_because = $3 WHERE campaign_id = $1 AND wave = $2 AND begun_at IS NULL',
    [campaignId, wave, because],
  );
}

/**
 * Begins the wave after the last one that has begun: its recipients may be claimed. Whoever of it was held back as
 * capped or left out is judged once more. Within a transaction that holds the campaign.
 */
export async function beginWave(
  sql: Sql,
  campaignId: number,
  wave: number,
  by: { actor: string; because: string | null },
): Promise<void> {
  await execute(
    sql,
    'UPDATE campaign_wave SET begun_at = now(), begun_by = $3, begun_because = $4 WHERE campaign_id = $1 AND wave = $2',
    [campaignId, wave, by.actor, by.because],
  );
  await execute(sql, 'UPDATE campaign SET wave = $2 WHERE id = $1', [campaignId, wave]);
  await execute(
    sql,
    `UPDATE delivery SET state = 'queued', reasons = '{}', held_back_at = NULL, capped_by = NULL, left_out_by = NULL
     WHERE campaign_id = $1 AND wave = $2 AND state = 'held-back' AND reasons[1] IN ('capped', 'left-out')`,
    [campaignId, wave],
  );
}

/**
 * Campaigns under way that have waves or a send window, or a domain under which somebody is parked; also those that are
 * paused for that alone.
 */
export async function listMovers(sql: Sql): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT id FROM campaign WHERE paused_for_domains OR state IN ('sending', 'resting') AND (waves IS NOT NULL OR send_window IS NOT NULL OR state = 'resting' OR EXISTS (SELECT FROM campaign_pace p WHERE p.campaign_id = campaign.id AND p.parks)) ORDER BY started_at`,
  );
  return rows.map((row) => row.id);
}

/** Holds such a campaign until the transaction ends; nothing when another has it, or it is none any more. */
export async function holdMover(sql: Sql, id: number): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `SELECT id FROM campaign WHERE id = $1 AND (state IN ('sending', 'resting') OR paused_for_domains) FOR UPDATE SKIP LOCKED`,
    [id],
  );
  return rows.length > 0;
}

/** Campaigns of a brand that have not started and go in waves: whose wave somebody is in is still to be decided. */
export async function listPlannedWaves(
  sql: Sql,
  brandId: number,
): Promise<{ id: number; name: string; waves: WavePlan[] }[]> {
  return rowsOf(
    sql,
    `SELECT id, name, waves FROM campaign WHERE brand_id = $1 AND waves IS NOT NULL AND started_at IS NULL AND state IN ('draft', 'scheduled', 'paused') ORDER BY id`,
    [brandId],
  );
}

/** Gives a campaign its waves in other words: something that they name has another name. */
export async function rewordWaves(sql: Sql, id: number, waves: WavePlan[]): Promise<void> {
  await execute(sql, 'UPDATE campaign SET waves = $2::jsonb WHERE id = $1', [id, JSON.stringify(waves)]);
}

/** Campaigns whose time to start has come, with whether that is longer than an hour ago. */
export async function listDue(sql: Sql): Promise<{ id: number; missed: boolean }[]> {
  return rowsOf(
    sql,
    `SELECT id, starts_at < now() - interval '1 hour' AS missed FROM campaign WHERE state = 'scheduled' AND starts_at <= now() ORDER BY starts_at`,
  );
}

/**
 * Keeps when a campaign starts, with what was seen by whoever said so, as another version: whoever is starting the one
 * before finds it changed.
 */
export async function keepSchedule(
  sql: Sql,
  id: number,
  { at, expected, inSpite, tolerance }: { at: Date; expected: number; inSpite: number; tolerance: number },
): Promise<void> {
  await execute(
    sql,
    'UPDATE campaign SET starts_at = $2, expected = $3, tolerance = $4, expected_in_spite = $5, version = version + 1 WHERE id = $1',
    [id, at, expected, tolerance, inSpite],
  );
}

/** How many the person saw who scheduled a campaign, and by how much that may move. */
export async function findExpected(
  sql: Sql,
  id: number,
): Promise<{ expected: number; inSpite: number; tolerance: number }> {
  const [row] = await rowsOf<{ expected: number; inSpite: number; tolerance: number }>(
    sql,
    'SELECT coalesce(expected, 0) AS expected, coalesce(expected_in_spite, 0) AS "inSpite", tolerance FROM campaign WHERE id = $1',
    [id],
  );
  return row!;
}

/** Notes until when a campaign rests; null while it does not. */
export async function setRest(sql: Sql, id: number, until: Date | null): Promise<void> {
  await execute(sql, 'UPDATE campaign SET rests_until = $2 WHERE id = $1 AND rests_until IS DISTINCT FROM $2', [
    id,
    until,
  ]);
}

/** Figures of one wave; of those accepted, how many `bounced` later. */
export type WaveCounts = Omit<
  Wave,
  'who' | 'state' | 'beginsAt' | 'begunAt' | 'begunBy' | 'begunBecause' | 'heldBecause' | 'tried' | 'delivered'
> & { bounced: number };

/** What became of each wave, acts within so many hours of acceptance. */
export async function countWaves(sql: Sql, campaignId: number, hours: number): Promise<WaveCounts[]> {
  const of = (test: string): string => `coalesce(sum(n) FILTER (WHERE ${test}), 0)::int`;
  const act = (...figures: string[]): string =>
    of(`hours < $2 AND figure IN (${figures.map((figure) => `'${figure}'`).join(', ')})`);
  return rowsOf<WaveCounts>(
    sql,
    `SELECT wave, ${of(`figure IN ('queued', 'claimed', 'accepted', 'refused', 'uncertain') OR figure LIKE 'held-back %'`)} AS audience, ${of(`figure LIKE 'held-back %'`)} AS "heldBack",
       ${of(`figure IN ('queued', 'claimed')`)} AS waiting, ${of(`figure = 'accepted'`)} AS accepted, ${of(`figure = 'refused'`)} AS refused, ${of(`figure = 'uncertain'`)} AS uncertain,
       ${act('bounced any')} AS bounced, ${act('bounced hard', 'refused hard')} AS hard, ${act('bounced block', 'refused block')} AS block,
       ${act('complained')} AS complaints, ${act('unsubscribed')} AS unsubscribed, ${act('opened')} AS opened, ${act('clicked')} AS clicked
     FROM campaign_figure WHERE campaign_id = $1 GROUP BY wave ORDER BY wave`,
    [campaignId, hours],
  );
}
