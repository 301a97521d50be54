/**
 * Which marketing messages reached each contact, one row a contact and brand: how many ever, and the last 32 with their
 * instants. It says nothing that the ledger does not: a message stands in it from the instant at which it is handed
 * over, as one that reached the contact. One that bounces, or of which nobody knows whether it was accepted, is kept
 * apart; what was refused, put off or called back is taken out.
 *  A row is held before anything else is, so that two campaigns that hand over to one contact come one after the other.
 */
import type { Compared } from '../../shared/contract/tallies.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import { hasRoom } from './capped.ts';
import { COMPARED } from './tallies.ts';

/** A message to one contact. */
export interface Message {
  campaignId: number;
  contactId: number;
}

/** So many of the latest messages are kept with their instants. */
export const KEPT_MESSAGES = 32;

/** The last of an array that are kept. */
const lastOf = (array: string, length: string): string => `(${array})[greatest(1, ${length} - ${KEPT_MESSAGES - 1}):]`;

/**
 * Puts the messages of `excluded` behind those of `m`, or, where one is not the latest, among them in order of their
 * instants, and keeps the last.
 */
const MERGED = ['campaigns', 'at']
  .map(
    (column) => `${column} = CASE WHEN m.at = '{}' OR m.at[cardinality(m.at)] < excluded.at[1]
         THEN ${lastOf(`m.${column} || excluded.${column}`, 'cardinality(m.at) + cardinality(excluded.at)')}
         ELSE (SELECT ${lastOf(`array_agg(u.${column} ORDER BY u.at, u.campaigns)`, 'count(*)')} FROM unnest(m.campaigns || excluded.campaigns, m.at || excluded.at) AS u (campaigns, at)) END`,
  )
  .join(', ');

/**
 * The row of whoever of a group `g` with a `verdict v` is still claimed as it was, found by their key: of those that
 * are claimed there is an index of its own, which has little in it as a rule, and the planner would go through all of
 * it for each. What is put behind the state hides it.
 */
export const STILL_CLAIMED = `d.campaign_id = v.campaign_id AND d.contact_id = v.contact_id AND d.state || '' = 'claimed' AND d.claim_id = g.claim_id AND d.handed_at IS NULL`;

/**
 * Takes a place for each eligible recipient of a group whom nobody has called back, as handed over now: part of the
 * second gate, over its `verdict`, `capping`, parameters and groups. None is taken where a cap of the brand is full:
 * that is asked of the newest row, after waiting for whoever has it. A cap of all brands can only be asked by whoever
 * has held these contacts before ($8); the verdict has asked then. Whom the gate does not let pass after all gives
 * their place back (recountMailed).
 */
export const TAKE_PLACES = `
  INSERT INTO mailed AS m (contact_id, brand_id, ever, campaigns, at)
  SELECT v.contact_id, $2::int, 1, ARRAY[$1::int], ARRAY[now()]
  FROM verdict v JOIN unnest($6::bigint[], $7::uuid[]) AS g(contact_id, claim_id) USING (contact_id)
  JOIN delivery d ON ${STILL_CLAIMED}
  WHERE v.reasons = '{}' AND ($8::boolean OR NOT EXISTS (SELECT FROM capping WHERE brand_id IS NULL)) ORDER BY v.contact_id
  ON CONFLICT (contact_id, brand_id) DO UPDATE SET ever = m.ever + 1, ${MERGED}
  WHERE ${hasRoom('m')}`;

/**
 * Holds contacts until the transaction ends: nobody else hands over to them meanwhile who asks for a cap of all brands.
 * In order, so that no two wait for each other in a circle.
 */
export async function holdForAllBrands(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(
    sql,
    `SELECT pg_advisory_xact_lock(${ALL_BRANDS_LOCK}, h) FROM (SELECT DISTINCT hashint8(c) AS h FROM unnest($1::bigint[]) c ORDER BY 1 OFFSET 0) o`,
    [contactIds],
  );
}

/** The first number of the advisory locks that stand for contacts. */
const ALL_BRANDS_LOCK = 7_300_004;

/** The latest messages that were handed over for a contact, of all brands, whether they reached them or not. */
export async function listHandedOver(
  sql: Sql,
  contactId: number,
): Promise<{ campaignId: number; name: string; brandId: number; at: Date }[]> {
  return rowsOf(
    sql,
    `SELECT n.campaign_id AS "campaignId", k.name, m.brand_id AS "brandId", n.at
     FROM mailed m CROSS JOIN LATERAL unnest(m.campaigns || m.lost_campaigns, m.at || m.lost_at) AS n (campaign_id, at) JOIN campaign k ON k.id = n.campaign_id
     WHERE m.contact_id = $1 ORDER BY n.at`,
    [contactId],
  );
}

/** Takes in messages that another system sent and that the ledger did not know until now. */
export async function addMailed(sql: Sql, sent: Message[]): Promise<void> {
  const last = (column: string): string =>
    lastOf(`array_agg(${column} ORDER BY d.accepted_at, d.campaign_id)`, 'count(*)');
  await execute(
    sql,
    `INSERT INTO mailed AS m (contact_id, brand_id, ever, campaigns, at)
     SELECT d.contact_id, k.brand_id, count(*), ${last('d.campaign_id')}, ${last('d.accepted_at')}
     FROM unnest($1::int[], $2::bigint[]) AS s(campaign_id, contact_id) JOIN delivery d USING (campaign_id, contact_id)
     JOIN campaign k ON k.id = s.campaign_id AND k.purpose = 'marketing'
     GROUP BY 1, 2 ORDER BY 1, 2
     ON CONFLICT (contact_id, brand_id) DO UPDATE SET ever = m.ever + excluded.ever, ${MERGED}`,
    [sent.map((one) => one.campaignId), sent.map((one) => one.contactId)],
  );
}

/** Whose rows these messages stand in: contact and brand of those that are marketing. $1 campaigns, $2 contacts. */
const ROWS_OF = `SELECT DISTINCT s.contact_id, k.brand_id
     FROM unnest($1::int[], $2::bigint[]) AS s(campaign_id, contact_id) JOIN campaign k ON k.id = s.campaign_id AND k.purpose = 'marketing'`;

/**
 * Holds the rows of these messages until the transaction ends, and begins those that are not there yet: nobody takes a
 * place in them meanwhile. Before anything else of the transaction. Those that are there are held first, so that no two
 * wait for each other in a circle.
 */
export async function holdMailed(sql: Sql, messages: Message[]): Promise<void> {
  if (messages.length === 0) return;
  await execute(
    sql,
    `WITH rows AS MATERIALIZED (${ROWS_OF}),
     held AS MATERIALIZED (
       SELECT m.contact_id, m.brand_id FROM rows r JOIN mailed m USING (contact_id, brand_id) ORDER BY 1, 2 FOR NO KEY UPDATE OF m)
     INSERT INTO mailed AS m (contact_id, brand_id) SELECT contact_id, brand_id FROM (SELECT * FROM rows EXCEPT SELECT * FROM held) r ORDER BY 1, 2
     ON CONFLICT (contact_id, brand_id) DO UPDATE SET ever = m.ever`,
    [messages.map((one) => one.campaignId), messages.map((one) => one.contactId)],
  );
}

const COLUMNS = ['ever', 'campaigns', 'at', 'lost_campaigns', 'lost_at'];
const REPLACED = COLUMNS.map((column) => `${column} = excluded.${column}`).join(', ');
const inOrder = (column: string, which: string): string =>
  `coalesce(array_agg(${column} ORDER BY at, campaign_id) FILTER (WHERE ${which}), '{}')`;

/**
 * The rows as the ledger says them, of the contacts that `whose` names (a test on `d`): one statement for what is taken
 * in of the past, for what a bounce or a refusal changes, and for what is compared.
 */
const derivedSql = (whose: string): string => `
     SELECT contact_id, brand_id, ever, ${COLUMNS.slice(1)
       .map((column) => `${lastOf(column, `cardinality(${column})`)} AS ${column}`)
       .join(', ')}
     FROM (
       SELECT contact_id, brand_id, (count(*) FILTER (WHERE reached))::int AS ever,
         ${inOrder('campaign_id', 'reached')} AS campaigns, ${inOrder('at', 'reached')} AS at,
         ${inOrder('campaign_id', 'NOT reached')} AS lost_campaigns, ${inOrder('at', 'NOT reached')} AS lost_at
       FROM (
         SELECT d.contact_id, k.brand_id, d.campaign_id, coalesce(d.handed_at, d.accepted_at) AS at, d.state <> 'uncertain' AND d.bounced IS NULL AS reached
         FROM delivery d JOIN campaign k ON k.id = d.campaign_id AND k.purpose = 'marketing'
         WHERE ${whose} AND coalesce(d.handed_at, d.accepted_at) IS NOT NULL AND d.state IN ('claimed', 'accepted', 'uncertain')) m
       GROUP BY contact_id, brand_id) a`;

/**
 * Counts the rows of these messages anew from the ledger: where one of them has bounced, was refused, or did not leave
 * after all.
 */
export async function recountMailed(sql: Sql, messages: Message[]): Promise<void> {
  if (messages.length === 0) return;
  await holdMailed(sql, messages);
  await execute(
    sql,
    `WITH rows AS MATERIALIZED (${ROWS_OF})
     INSERT INTO mailed (contact_id, brand_id, ${COLUMNS.join(', ')})
     SELECT r.contact_id, r.brand_id, coalesce(n.ever, 0), coalesce(n.campaigns, '{}'), coalesce(n.at, '{}'), coalesce(n.lost_campaigns, '{}'), coalesce(n.lost_at, '{}')
     FROM rows r LEFT JOIN LATERAL (${derivedSql('d.contact_id = r.contact_id AND k.brand_id = r.brand_id')}) n ON true
     ORDER BY 1, 2
     ON CONFLICT (contact_id, brand_id) DO UPDATE SET ${REPLACED}`,
    [messages.map((one) => one.campaignId), messages.map((one) => one.contactId)],
  );
}

/**
 * Takes in what was sent to the contacts after number `after`, up to `upto`. Nobody takes a place meanwhile. Within a
 * transaction. Uses delivery_by_contact.
 */
export async function takeInMailed(sql: Sql, after: number, upto: number): Promise<void> {
  await execute(sql, 'LOCK TABLE mailed IN SHARE ROW EXCLUSIVE MODE');
  await execute(
    sql,
    `INSERT INTO mailed (contact_id, brand_id, ${COLUMNS.join(', ')})
     SELECT contact_id, brand_id, ${COLUMNS.join(', ')} FROM (${derivedSql('d.contact_id > $1 AND d.contact_id <= $2')}) n ORDER BY 1, 2
     ON CONFLICT (contact_id, brand_id) DO UPDATE SET ${REPLACED}`,
    [after, upto],
  );
}

/**
 * Derives all rows from the ledger and holds them beside those that are kept: how many there are, and the contacts of
 * those that differ. Reads one snapshot, and changes nothing. To be run within overWholeSet.
 */
export async function compareMailed(sql: Sql): Promise<Compared<number>> {
  const same = COLUMNS.map((column) => `m.${column} = n.${column}`).join(' AND ');
  const [row] = await rowsOf<Compared<number>>(
    sql,
    `WITH derived AS (${derivedSql('true')}),
     compared AS (
       SELECT coalesce(m.contact_id, n.contact_id) AS contact_id, CASE WHEN n.contact_id IS NULL THEN m.ever = 0 AND m.lost_at = '{}' ELSE coalesce(${same}, false) END AS same
       FROM mailed m FULL JOIN derived n USING (contact_id, brand_id))
     SELECT ${COMPARED} FROM (
       SELECT count(*)::int AS rows, coalesce(array_agg(DISTINCT contact_id::float8) FILTER (WHERE NOT same), '{}') AS differing FROM compared) c`,
  );
  return row!;
}
