/**
 * What is noted on the messages of the ledger when events come in: that another system sent them, when their contact
 * first opened, clicked, complained or unsubscribed, when they bounced, and when a trap link was followed. The tallies
 * follow from it.
 */
import type { Compared } from '../../shared/contract/tallies.ts';
import type { Actor } from '../../shared/words.ts';
import { queryPrepared } from '../prepared.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Message } from './mailed.ts';
import { COMPARED, countedUnderSql, dayOf } from './tallies.ts';

/**
 * Rows of a ledger that something is known of before the message itself, for rows `n (campaign_id, contact_id)`: that
 * of another system counts as accepted, though nobody has said when.
 */
const begunSql = (rows: string, ...more: string[]): string => `
     SELECT n.campaign_id, n.contact_id, c.address, k.list_ids, CASE WHEN k.sent_elsewhere THEN 'accepted' ELSE 'uncertain' END, ${['u.domain', 'u.source', 'u.list_id', 'u.stage', ...more].join(', ')}
     FROM ${rows} n JOIN contact c ON c.id = n.contact_id JOIN campaign k ON k.id = n.campaign_id
     CROSS JOIN ${countedUnderSql({ contact: 'c.id', address: 'c.address', lists: 'k.list_ids', brand: 'k.brand_id' })} u`;
const BEGUN = 'campaign_id, contact_id, address, list_ids, state, domain, source, list_id, stage';

/**
 * Notes on each message when its trap link was followed, the same instant once. Where another system's `sent` has not
 * come yet, its row is begun.
 */
export async function noteTraps(sql: Sql, traps: (Message & { at: number })[]): Promise<void> {
  await execute(
    sql,
    `INSERT INTO delivery (${BEGUN}, trapped_at)
     ${begunSql(
       `(SELECT campaign_id, contact_id, array_agg(DISTINCT to_timestamp(at / 1000.0) ORDER BY to_timestamp(at / 1000.0)) AS at
           FROM unnest($1::int[], $2::bigint[], $3::float8[]) AS x(campaign_id, contact_id, at) GROUP BY 1, 2)`,
       'n.at',
     )}
     ORDER BY 1, 2
     ON CONFLICT (campaign_id, contact_id) DO UPDATE SET trapped_at = ARRAY(SELECT DISTINCT t FROM unnest(delivery.trapped_at || excluded.trapped_at) t ORDER BY t)`,
    [traps.map((trap) => trap.campaignId), traps.map((trap) => trap.contactId), traps.map((trap) => trap.at)],
  );
}

/** What a contact did with a message, or said of it. */
export type ActOnMessage = Message & { kind: string; actor: Actor; at: number };

/** Columns of a delivery with the first of its acts, and which acts `e` those are. */
const FIRST_ACTS: Readonly<Record<string, string>> = {
  opened_at: `e.kind = 'opened' AND e.actor = 'human'`,
  opened_any_at: `e.kind = 'opened'`,
  clicked_at: `e.kind = 'clicked' AND e.actor = 'human'`,
  clicked_any_at: `e.kind = 'clicked'`,
  complained_at: `e.kind = 'complained'`,
  unsubscribed_at: `e.kind = 'unsubscribed'`,
};
/** A hard bounce `e` of a storm that turned out to be an outage: it leaves the rates. */
const OF_AN_OUTAGE = `SELECT FROM hard_bounce h JOIN storm w ON w.id = h.storm_id WHERE h.event_id = e.id AND w.state = 'dismissed'`;
const FIRST_BOUNCES: Readonly<Record<string, string>> = {
  hard_at: `e.kind = 'bounced' AND e.detail->>'class' = 'hard' AND NOT EXISTS (${OF_AN_OUTAGE})`,
  soft_at: `e.kind = 'bounced' AND coalesce(e.detail->>'class', 'soft') = 'soft'`,
  block_at: `e.kind = 'bounced' AND e.detail->>'class' = 'block'`,
};
const firstOf = (firsts: Readonly<Record<string, string>>, instant: string): string =>
  Object.entries(firsts)
    .map(([column, test]) => `min(${instant}) FILTER (WHERE ${test}) AS ${column}`)
    .join(', ');

/** Kinds of acts that are noted on the message. */
export const isNoted = (kind: string): boolean => ['opened', 'clicked', 'complained', 'unsubscribed'].includes(kind);

/**
 * Notes on each message when its contact first opened it, clicked, complained or unsubscribed. A row is written only
 * where there is something new. Where another system's `sent` has not come yet, its row is begun. Locks in order of
 * campaign and contact; the caller holds the contacts' activity.
 */
export async function noteActs(sql: Sql, acts: ActOnMessage[]): Promise<void> {
  const unknown = await noteFirstActs(sql, acts);
  if (unknown.length === 0) return;
  await execute(
    sql,
    `INSERT INTO delivery (${BEGUN})
     ${begunSql('(SELECT * FROM unnest($1::int[], $2::bigint[]) AS x(campaign_id, contact_id))')}
     WHERE k.sent_elsewhere ORDER BY 1, 2 ON CONFLICT DO NOTHING`,
    [unknown.map((one) => one.campaignId), unknown.map((one) => one.contactId)],
  );
  const isUnknown = new Set(unknown.map(({ campaignId, contactId }) => `${campaignId} ${contactId}`));
  await noteFirstActs(
    sql,
    acts.filter(({ campaignId, contactId }) => isUnknown.has(`${campaignId} ${contactId}`)),
  );
}

/** Says which messages the ledger does not know. */
async function noteFirstActs(sql: Sql, acts: ActOnMessage[]): Promise<Message[]> {
  const columns = Object.keys(FIRST_ACTS);
  const rows = await queryPrepared<{ campaignId: number; contactId: string }>(
    sql,
    'noteFirstActs',
    `WITH act AS MATERIALIZED (
       SELECT e.campaign_id, e.contact_id, ${firstOf(FIRST_ACTS, 'to_timestamp(e.at / 1000.0)')}
       FROM unnest($1::int[], $2::bigint[], $3::text[], $4::text[], $5::float8[]) AS e(campaign_id, contact_id, kind, actor, at) GROUP BY 1, 2 ORDER BY 1, 2),
     noted AS (
       UPDATE delivery d SET ${columns.map((column) => `${column} = least(d.${column}, a.${column})`).join(', ')}
       FROM act a WHERE d.campaign_id = a.campaign_id AND d.contact_id = a.contact_id
         AND (${columns.map((column) => `a.${column} < coalesce(d.${column}, 'infinity')`).join(' OR ')}))
     SELECT a.campaign_id AS "campaignId", a.contact_id AS "contactId" FROM act a
     WHERE NOT EXISTS (SELECT FROM delivery d WHERE d.campaign_id = a.campaign_id AND d.contact_id = a.contact_id)`,
    [
      acts.map((act) => act.campaignId),
      acts.map((act) => act.contactId),
      acts.map((act) => act.kind),
      acts.map((act) => act.actor),
      acts.map((act) => act.at),
    ],
  );
  return rows.map((row) => ({ campaignId: row.campaignId, contactId: Number(row.contactId) }));
}

const JUDGED = ['opened_at', 'clicked_at'];

/**
 * Notes anew when a person first opened and clicked, on all messages of these contacts: used where past acts were given
 * another actor. The caller holds the contacts' activity.
 */
export async function recountActs(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(
    sql,
    `WITH act AS MATERIALIZED (
       SELECT d.campaign_id, d.contact_id, a.* FROM delivery d CROSS JOIN LATERAL (
         SELECT ${JUDGED.map((column) => `min(e.occurred_at) FILTER (WHERE ${FIRST_ACTS[column]!}) AS ${column}`).join(', ')}
         FROM event e WHERE e.contact_id = d.contact_id AND e.campaign_id = d.campaign_id AND e.kind IN ('opened', 'clicked')) a
       WHERE d.contact_id = ANY ($1::bigint[]) ORDER BY 1, 2)
     UPDATE delivery d SET ${JUDGED.map((column) => `${column} = a.${column}`).join(', ')}
     FROM act a WHERE d.campaign_id = a.campaign_id AND d.contact_id = a.contact_id
       AND (${JUDGED.map((column) => `d.${column} IS DISTINCT FROM a.${column}`).join(' OR ')})`,
    [contactIds],
  );
}

/**
 * Takes hard bounces of storms that turned out to be outages out of the rates: those of a storm, or these. What else
 * was said of the same messages stays.
 */
export async function leaveRates(sql: Sql, of: { stormId: number } | { eventIds: string[] }): Promise<void> {
  await execute(
    sql,
    `WITH hit AS MATERIALIZED (
       SELECT DISTINCT d.campaign_id, d.contact_id FROM hard_bounce h JOIN storm w ON w.id = h.storm_id AND w.state = 'dismissed'
       JOIN delivery d ON d.campaign_id = h.campaign_id AND d.contact_id = h.contact_id
       WHERE ${'stormId' in of ? 'h.storm_id = $1' : 'h.event_id = ANY ($1::uuid[])'} ORDER BY 1, 2)
     UPDATE delivery d SET hard_at = (
       SELECT min(e.occurred_at) FROM event e WHERE e.contact_id = d.contact_id AND e.campaign_id = d.campaign_id AND ${FIRST_BOUNCES['hard_at']!})
     FROM hit WHERE d.campaign_id = hit.campaign_id AND d.contact_id = hit.contact_id`,
    ['stormId' in of ? of.stormId : of.eventIds],
  );
}

/**
 * Takes the messages to contacts after number `after`, up to `upto`, into the tallies, with all that is known of them:
 * under what they would be counted if they left now, but on the day on which they left. Within a transaction: nobody
 * records an act of theirs meanwhile.
 */
export async function takeInTallies(sql: Sql, after: number, upto: number): Promise<void> {
  const all = { ...FIRST_ACTS, ...FIRST_BOUNCES };
  await execute(
    sql,
    'SELECT FROM activity WHERE contact_id > $1 AND contact_id <= $2 ORDER BY contact_id, brand_id FOR NO KEY UPDATE',
    [after, upto],
  );
  await execute(
    sql,
    `WITH acted AS (
       SELECT e.campaign_id, e.contact_id, ${firstOf(all, 'e.occurred_at')} FROM event e
       WHERE e.contact_id > $1 AND e.contact_id <= $2 AND e.campaign_id IS NOT NULL AND e.kind IN ('opened', 'clicked', 'complained', 'unsubscribed', 'bounced') GROUP BY 1, 2),
     known AS MATERIALIZED (
       SELECT d.campaign_id, d.contact_id, ${dayOf('coalesce(d.handed_at, d.accepted_at)', 'k.brand_id')} AS day, u.domain, u.source, u.list_id, u.stage,
         ${Object.keys(all)
           .map((column) => `a.${column}`)
           .join(', ')}
       FROM delivery d JOIN campaign k ON k.id = d.campaign_id LEFT JOIN acted a ON a.campaign_id = d.campaign_id AND a.contact_id = d.contact_id
       CROSS JOIN ${countedUnderSql({ contact: 'd.contact_id', address: 'd.address', lists: 'd.list_ids', brand: 'k.brand_id' })} u
       WHERE d.contact_id > $1 AND d.contact_id <= $2 ORDER BY 1, 2)
     UPDATE delivery d SET tallied = true, ${['day', 'domain', 'source', 'list_id', 'stage'].map((column) => `${column} = CASE WHEN d.state IN ('held-back', 'queued') THEN d.${column} ELSE coalesce(d.${column}, k.${column}) END`).join(', ')},
       ${Object.keys(all)
         .map((column) => `${column} = k.${column}`)
         .join(', ')}
     FROM known k WHERE d.campaign_id = k.campaign_id AND d.contact_id = k.contact_id`,
    [after, upto],
  );
}

/**
 * Holds what is noted on messages beside what their events say: how many messages have events, and the contacts of
 * those that differ. Reads one snapshot, and changes nothing. To be run within overWholeSet.
 */
export async function compareNoted(sql: Sql): Promise<Compared<number>> {
  const all = { ...FIRST_ACTS, ...FIRST_BOUNCES };
  const differs = Object.keys(all).map((column) => `d.${column} IS DISTINCT FROM a.${column}`);
  const [row] = await rowsOf<Compared<number>>(
    sql,
    `WITH acted AS (
       SELECT e.campaign_id, e.contact_id, ${firstOf(all, 'e.occurred_at')} FROM event e
       WHERE e.campaign_id IS NOT NULL AND e.kind IN ('opened', 'clicked', 'complained', 'unsubscribed', 'bounced') GROUP BY 1, 2)
     SELECT ${COMPARED} FROM (
       SELECT count(a.contact_id)::int AS rows, coalesce(array_agg(DISTINCT d.contact_id::float8) FILTER (WHERE d.tallied AND (${differs.join(' OR ')})), '{}') AS differing
       FROM delivery d LEFT JOIN acted a USING (campaign_id, contact_id)) c`,
  );
  return row!;
}

/**
 * Ledger rows of messages that another system sent, one for each `sent` event: known since then, or mended. Says which
 * are new, and of which another instant is known than before.
 */
export async function recordElsewhereDeliveries(
  sql: Sql,
  sent: (Message & { at: number })[],
): Promise<{ known: Message[]; mended: Message[] }> {
  const rows = await rowsOf<Message & { isNew: boolean }>(
    sql,
    `INSERT INTO delivery (${BEGUN}, accepted_at, day)
     ${begunSql(
       `(SELECT campaign_id, contact_id, to_timestamp(min(at) / 1000.0) AS at FROM unnest($1::int[], $2::bigint[], $3::float8[]) AS s(campaign_id, contact_id, at) GROUP BY 1, 2)`,
       'n.at',
       dayOf('n.at', 'k.brand_id'),
     )}
     WHERE k.sent_elsewhere ORDER BY 1, 2
     ON CONFLICT (campaign_id, contact_id) DO UPDATE SET accepted_at = excluded.accepted_at, day = excluded.day
       WHERE delivery.accepted_at IS NULL OR delivery.accepted_at > excluded.accepted_at
     RETURNING campaign_id AS "campaignId", contact_id::float8 AS "contactId", xmax = 0 AS "isNew"`,
    [sent.map((one) => one.campaignId), sent.map((one) => one.contactId), sent.map((one) => one.at)],
  );
  return { known: rows.filter((row) => row.isNew), mended: rows.filter((row) => !row.isNew) };
}

/**
 * Notes on the ledger that a message came back; where the report comes before the `sent` of another system, the row is
 * begun.
 */
export async function noteBounces(sql: Sql, bounces: (Message & { class: string; at: number })[]): Promise<void> {
  await execute(
    sql,
    `INSERT INTO delivery (${BEGUN}, bounced, ${Object.keys(FIRST_BOUNCES).join(', ')})
     ${begunSql(
       `(SELECT campaign_id, contact_id, max(class) AS class, ${['hard', 'soft', 'block'].map((one) => `min(to_timestamp(at / 1000.0)) FILTER (WHERE class = '${one}') AS ${one}_at`).join(', ')}
           FROM unnest($1::int[], $2::bigint[], $3::text[], $4::float8[]) AS b(campaign_id, contact_id, class, at) GROUP BY 1, 2)`,
       'n.class',
       ...Object.keys(FIRST_BOUNCES).map((column) => `n.${column}`),
     )} ORDER BY 1, 2
     ON CONFLICT (campaign_id, contact_id) DO UPDATE SET bounced = greatest(delivery.bounced, excluded.bounced),
       ${Object.keys(FIRST_BOUNCES)
         .map((column) => `${column} = least(delivery.${column}, excluded.${column})`)
         .join(', ')}`,
    [
      bounces.map((one) => one.campaignId),
      bounces.map((one) => one.contactId),
      bounces.map((one) => one.class),
      bounces.map((one) => one.at),
    ],
  );
}
