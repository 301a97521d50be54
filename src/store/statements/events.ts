import type { StorableEvent } from '../../core/activity/event.ts';
import { arrayText } from '../array-text.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import { queryPrepared } from '../prepared.ts';

/**
 * Columns of `activity` as aggregates over events `e`: totals add up and instants take the greatest, so the fold is
 * commutative.
 */
const TOTALS: Readonly<Record<string, string>> = {
  sent: `e.kind = 'sent'`,
  delivered: `e.kind = 'delivered'`,
  delayed: `e.kind = 'delayed'`,
  bounced_hard: `e.kind = 'bounced' AND e.detail->>'class' = 'hard'`,
  bounced_soft: `e.kind = 'bounced' AND e.detail->>'class' = 'soft'`,
  bounced_block: `e.kind = 'bounced' AND e.detail->>'class' = 'block'`,
  opened_human: `e.kind = 'opened' AND e.actor = 'human'`,
  opened_any: `e.kind = 'opened'`,
  clicked_human: `e.kind = 'clicked' AND e.actor = 'human'`,
  clicked_any: `e.kind = 'clicked'`,
  complained: `e.kind = 'complained'`,
  unsubscribed: `e.kind = 'unsubscribed'`,
  visited: `e.kind = 'visited' AND e.actor = 'human'`,
  purchased: `e.kind = 'purchased'`,
  replied: `e.kind = 'replied'`,
};

const LATEST: Readonly<Record<string, string>> = {
  last_sent_at: `e.kind = 'sent'`,
  last_bounced_at: `e.kind = 'bounced'`,
  last_opened_at: `e.kind = 'opened' AND e.actor = 'human'`,
  last_clicked_at: `e.kind = 'clicked' AND e.actor = 'human'`,
  last_replied_at: `e.kind = 'replied'`,
  last_visited_at: `e.kind = 'visited' AND e.actor = 'human'`,
  last_purchased_at: `e.kind = 'purchased'`,
  last_confirmed_at: `e.kind = 'confirmed'`,
  last_subscribed_at: `e.kind = 'subscribed'`,
  last_complained_at: `e.kind = 'complained'`,
  last_opted_out_at: `e.kind = 'unsubscribed' AND e.detail->'lists' IS NULL`,
};

const COLUMNS = [...Object.keys(TOTALS), ...Object.keys(LATEST)];
const AGGREGATES = [
  ...Object.entries(TOTALS).map(([column, test]) => `count(*) FILTER (WHERE ${test}) AS ${column}`),
  ...Object.entries(LATEST).map(([column, test]) => `max(e.occurred_at) FILTER (WHERE ${test}) AS ${column}`),
].join(',\n      ');
const FOLD = [
  ...Object.keys(TOTALS).map((column) => `${column} = activity.${column} + excluded.${column}`),
  ...Object.keys(LATEST).map((column) => `${column} = greatest(activity.${column}, excluded.${column})`),
].join(', ');
const REPLACE = COLUMNS.map((column) => `${column} = excluded.${column}`).join(', ');

/**
 * Asked of a set that is hashed: a plan that is made once expects ten events, and a join would compare each with each
 * of ten thousand. IS TRUE keeps the planner from making it a join.
 */
const isFreshSql = (id: string): string => `(${id} IN (SELECT id FROM fresh)) IS TRUE`;

/**
 * Stores events and folds them into activity, in one round trip; returns the numbers of those that were new.
 * A repeat, within the batch or against the base, is dropped at event_key and changes nothing. Keys are taken in order
 * of number and activity rows in order of contact, so two batches at once cannot wait for each other in a circle.
 *  With `allNew` a repeat against the base violates event_key (SQLSTATE 23505), and the caller rolls back: looking for
 * conflicts makes each key half as dear again. Columns come as arrays: as records of JSON they took twice as long to
 * read.
 */
export async function insertEvents(sql: Sql, events: StorableEvent[], allNew = false): Promise<Set<string>> {
  if (events.length === 0) return new Set();
  const rows = await queryPrepared<{ id: string }>(
    sql,
    allNew ? 'insertNewEvents' : 'insertEvents',
    `WITH incoming AS MATERIALIZED (
       SELECT DISTINCT ON (r.id) r.id, r.contact_id, r.brand_id, r.campaign_id, r.kind, to_timestamp(r.at / 1000.0) AS occurred_at,
         r.actor, r.actor_reason, r.source, r.external_id, r.detail
       FROM unnest($1::uuid[], $2::bigint[], $3::int[], $4::int[], $5::event_kind[], $6::float8[], $7::event_actor[], $8::text[], $9::text[], $10::text[], $11::jsonb[])
         AS r(id, contact_id, brand_id, campaign_id, kind, at, actor, actor_reason, source, external_id, detail)
       ORDER BY r.id),
     fresh AS (INSERT INTO event_key (id) SELECT id FROM incoming ORDER BY id ${allNew ? '' : 'ON CONFLICT DO NOTHING '}RETURNING id),
     stored AS (
       INSERT INTO event (id, contact_id, brand_id, campaign_id, kind, occurred_at, actor, actor_reason, source, external_id, detail)
       SELECT i.id, i.contact_id, i.brand_id, i.campaign_id, i.kind, i.occurred_at, i.actor, i.actor_reason, i.source, i.external_id, i.detail
       FROM incoming i${allNew ? '' : ` WHERE ${isFreshSql('i.id')}`}),
     folded AS (
       INSERT INTO activity (contact_id, brand_id, ${COLUMNS.join(', ')})
       SELECT e.contact_id, e.brand_id, ${AGGREGATES}
       FROM incoming e${allNew ? '' : ` WHERE ${isFreshSql('e.id')}`} GROUP BY 1, 2 ORDER BY 1, 2
       ON CONFLICT (contact_id, brand_id) DO UPDATE SET ${FOLD})
     SELECT id FROM fresh`,
    columnsOf(events),
  );
  return new Set(rows.map((row) => row.id));
}

function columnsOf(events: StorableEvent[]): string[] {
  const plain = (value: (event: StorableEvent) => string | number): string => `{${events.map(value).join(',')}}`;
  const text = (value: (event: StorableEvent) => string | null): string => arrayText(events.map(value));
  return [
    plain(({ id }) => id),
    plain(({ contactId }) => contactId),
    plain(({ brandId }) => brandId),
    plain(({ campaignId }) => campaignId ?? 'NULL'),
    plain(({ kind }) => kind),
    plain(({ at }) => at),
    plain(({ actor }) => actor),
    text(({ actorReason }) => actorReason),
    text(({ source }) => source),
    text(({ externalId }) => externalId),
    text(({ detail }) => (detail === null ? null : JSON.stringify(detail))),
  ];
}

/**
 * Holds the activity of these contacts until the transaction ends: whoever records an event of theirs waits. In a
 * statement of its own, so that the next one sees every event that was folded before.
 */
export async function lockActivity(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(
    sql,
    'SELECT FROM activity WHERE contact_id = ANY($1::bigint[]) ORDER BY contact_id, brand_id FOR NO KEY UPDATE',
    [contactIds],
  );
}

/**
 * Derives activity anew from all events of the given contacts, at one brand or at all: used where a past event's actor
 * was decided again. The caller holds these rows (lockActivity, or by having folded an event into each): else an event
 * that is folded meanwhile would be lost.
 */
export async function rebuildActivityOf(sql: Sql, contactIds: number[], brandId: number | null = null): Promise<void> {
  await execute(
    sql,
    `INSERT INTO activity (contact_id, brand_id, ${COLUMNS.join(', ')})
     SELECT e.contact_id, e.brand_id, ${AGGREGATES} FROM event e
     WHERE e.contact_id = ANY($1::bigint[]) AND ($2::int IS NULL OR e.brand_id = $2) GROUP BY 1, 2 ORDER BY 1, 2
     ON CONFLICT (contact_id, brand_id) DO UPDATE SET ${REPLACE}`,
    [contactIds, brandId],
  );
}

/**
 * Derives all activity from all events and holds it beside what is kept: how many rows there are, and the contacts of
 * those that differ. Reads one snapshot, in which events and what was folded from them belong together; changes
 * nothing.
 */
export async function compareActivity(sql: Sql): Promise<{ rows: number; differing: number[] }> {
  const same = COLUMNS.map((column) => `a.${column} IS NOT DISTINCT FROM d.${column}`).join(' AND ');
  const [row] = await rowsOf<{ rows: number; differing: number[] }>(
    sql,
    `WITH derived AS (SELECT e.contact_id, e.brand_id, ${AGGREGATES} FROM event e GROUP BY 1, 2),
     compared AS (
       SELECT coalesce(a.contact_id, d.contact_id) AS contact_id, a.contact_id IS NOT NULL AND d.contact_id IS NOT NULL AND ${same} AS same
       FROM activity a FULL JOIN derived d USING (contact_id, brand_id))
     SELECT count(*)::int AS rows, coalesce(array_agg(DISTINCT contact_id::float8) FILTER (WHERE NOT same), '{}') AS differing FROM compared`,
  );
  return row!;
}

/**
 * Derives the activity of these contacts anew, rows for which there are no events among them. No event is folded
 * meanwhile. Within a transaction.
 */
export async function replaceActivityOf(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(sql, 'LOCK TABLE activity IN EXCLUSIVE MODE');
  await execute(sql, `DELETE FROM activity WHERE contact_id = ANY($1::bigint[])`, [contactIds]);
  await rebuildActivityOf(sql, contactIds);
}

/**
 * Creates the monthly partitions that these months need (as `2026-11`); safe to call from several processes at once.
 */
export async function ensureEventPartitions(sql: Sql, months: string[]): Promise<void> {
  await execute(sql, 'SELECT pg_advisory_xact_lock(7300002)');
  for (const month of months) {
    if (!/^\d{4}-\d{2}$/.test(month)) throw new Error(`not a month: ${month}`);
    const from = `${month}-01`;
    const next = new Date(Date.UTC(Number(month.slice(0, 4)), Number(month.slice(5)), 1)).toISOString().slice(0, 10);
    await execute(
      sql,
      `CREATE TABLE IF NOT EXISTS event_${month.replace('-', '_')} PARTITION OF event
       FOR VALUES FROM ('${from} 00:00+00') TO ('${next} 00:00+00')`,
    );
  }
}

/** Months that have a partition. */
export async function findEventMonths(sql: Sql): Promise<string[]> {
  const rows = await rowsOf<{ month: string }>(
    sql,
    `SELECT replace(substr(inhrelid::regclass::text, 7), '_', '-') AS month FROM pg_inherits WHERE inhparent = 'event'::regclass`,
  );
  return rows.map((row) => row.month);
}
