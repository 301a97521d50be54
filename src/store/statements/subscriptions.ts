import type { SubscriptionState } from '../../shared/words.ts';
import { arrayText } from '../array-text.ts';
import { rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';

/** What a contact says of one subscription: their own act, told by whichever way. */
export interface SubscriptionChange {
  contactId: number;
  listId: number;
  state: SubscriptionState;
  /** Milliseconds since the epoch: when the contact acted. */
  at: number;
  source: string;
  cause: Record<string, unknown>;
  /** Of a leaving: the contact has not said since that they want it after all. */
  stillSaid?: boolean;
}

/**
 * The contact's act is the newer one; at one and the same instant, leaving wins, and the contact over whoever took them
 * off.
 */
const NEWER = `(excluded.since > subscription.since OR (excluded.since = subscription.since AND excluded.state = 'unsubscribed'
  AND (subscription.state <> 'unsubscribed' OR subscription.ended_by IS DISTINCT FROM 'contact')))`;
const ifNewer = (column: string): string =>
  `${column} = CASE WHEN ${NEWER} THEN excluded.${column} ELSE subscription.${column} END`;

/**
 * Sets subscriptions to what the contact's latest act says, and journals it, also where it changes no state: what they
 * said themselves is never undone with what others did. An act older than the one that set the present state changes
 * nothing but the instant of their latest leaving. So the order of arrival does not matter. What an import or staff
 * brought is no word of the contact's: a leaving that is heard after it holds, as it would have held before it. The
 * caller has locked the contacts: a lock in this statement would pass over rows that the statement itself has changed.
 * The server counts an array, but not the rows of a JSON document or of DISTINCT ON: of 10,000 it compared each with
 * each, for 17 s.
 */
export async function changeSubscriptions(sql: Sql, changes: SubscriptionChange[], act: Act): Promise<number> {
  if (changes.length === 0) return 0;
  const rows = await rowsOf(
    sql,
    `WITH given AS (
       SELECT r."contactId" AS contact_id, r."listId" AS list_id, r.state, to_timestamp(r.at / 1000.0) AS at, r.source, r.cause, r."stillSaid" AS still_said
       FROM unnest($1::json[]) j CROSS JOIN LATERAL json_to_record(j) AS r("contactId" bigint, "listId" int, state text, at float8, source text, cause jsonb, "stillSaid" boolean)),
     old AS (SELECT s.contact_id, s.list_id, s.state, s.since, s.ended_by, s.source FROM subscription s JOIN given g USING (contact_id, list_id)),
     incoming AS (
       SELECT g.*, CASE WHEN g.state = 'unsubscribed' AND g.still_said AND o.state <> 'unsubscribed' AND o.source ~ '^(import|run) ' THEN greatest(g.at, o.since) ELSE g.at END AS since
       FROM given g LEFT JOIN old o USING (contact_id, list_id)),
     changed AS (
       INSERT INTO subscription (contact_id, list_id, state, since, source, ended_by, left_at)
       SELECT contact_id, list_id, state, since, source, CASE WHEN state = 'unsubscribed' THEN 'contact' END, CASE WHEN state = 'unsubscribed' THEN at END
       FROM incoming ORDER BY 1, 2
       ON CONFLICT (contact_id, list_id) DO UPDATE SET ${['state', 'since', 'source', 'ended_by'].map(ifNewer).join(', ')}, left_at = greatest(subscription.left_at, excluded.left_at)
       WHERE ${NEWER} OR excluded.left_at > coalesce(subscription.left_at, '-infinity')
       RETURNING contact_id, list_id, state, since),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $2::int, i.contact_id, 'subscription', i.list_id, CASE WHEN o.state IS NOT NULL THEN ${subscriptionJson('o')} END,
         ${subscriptionJson('h', `'contact'`)}, $3, $4, i.cause
       FROM changed h JOIN incoming i USING (contact_id, list_id) LEFT JOIN old o USING (contact_id, list_id)
       WHERE h.since IS DISTINCT FROM o.since OR h.state IS DISTINCT FROM o.state
       RETURNING contact_id)
     SELECT contact_id FROM noted`,
    [arrayText(latestOf(changes).map((change) => JSON.stringify(change))), act.runId, act.actorKind, act.actor],
  );
  return rows.length;
}

/**
 * A subscription as the journal keeps it, over a row with `state` and `since`; who ended it stands where it has ended.
 */
export function subscriptionJson(row: string, endedBy = `${row}.ended_by`): string {
  return `(jsonb_build_object('state', ${row}.state, 'since', ${row}.since) || CASE WHEN ${row}.state = 'unsubscribed' THEN jsonb_build_object('endedBy', ${endedBy}) ELSE '{}' END)`;
}

/** Of several changes of one subscription the latest; at one instant, leaving, else joining. */
function latestOf(changes: SubscriptionChange[]): SubscriptionChange[] {
  const latest = new Map<string, SubscriptionChange>();
  for (const change of changes) {
    const key = `${change.contactId} ${change.listId}`;
    const other = latest.get(key);
    // The states stand in this order by their letters, too.
    const isLater = !other || change.at > other.at || (change.at === other.at && change.state > other.state);
    if (isLater) latest.set(key, change);
  }
  return [...latest.values()];
}

/** Every list of a brand on which these contacts have a subscription. */
export async function findSubscribedLists(
  sql: Sql,
  brandId: number,
  contactIds: number[],
): Promise<{ contactId: number; listId: number }[]> {
  return rowsOf<{ contactId: number; listId: number }>(
    sql,
    `SELECT s.contact_id::float8 AS "contactId", s.list_id AS "listId" FROM subscription s JOIN list l ON l.id = s.list_id
     WHERE l.brand_id = $1 AND s.contact_id = ANY($2::bigint[])`,
    [brandId, contactIds],
  );
}

/** Names of these lists, in order. */
export async function findListNames(sql: Sql, listIds: number[]): Promise<string[]> {
  const rows = await rowsOf<{ name: string }>(sql, 'SELECT name FROM list WHERE id = ANY($1::int[]) ORDER BY id', [
    listIds,
  ]);
  return rows.map((row) => row.name);
}

/**
 * How many are on each list, archived and erased contacts apart; those who signed up and are no contacts yet are
 * pending, too. Reads all subscriptions: to be run within overWholeSet.
 */
export async function countByList(
  sql: Sql,
): Promise<{ listId: number; subscribed: number; pending: number; unsubscribed: number }[]> {
  const of = (state: SubscriptionState): string => `(count(*) FILTER (WHERE s.state = '${state}'))::int AS ${state}`;
  return rowsOf<{ listId: number; subscribed: number; pending: number; unsubscribed: number }>(
    sql,
    `WITH standing AS (
       SELECT s.list_id, ${of('subscribed')}, ${of('pending')}, ${of('unsubscribed')}
       FROM subscription s JOIN contact c ON c.id = s.contact_id WHERE c.archived_at IS NULL AND c.erased_at IS NULL GROUP BY s.list_id),
     signed_up AS (
       SELECT u.list_id, count(DISTINCT u.address)::int AS waiting FROM sign_up u
       WHERE u.state = 'pending' AND NOT EXISTS (
         SELECT FROM contact c JOIN subscription s ON s.contact_id = c.id
         WHERE c.address = u.address AND c.archived_at IS NULL AND c.erased_at IS NULL AND s.list_id = u.list_id AND s.state = 'pending')
       GROUP BY u.list_id)
     SELECT l.id AS "listId", coalesce(n.subscribed, 0) AS subscribed, coalesce(n.pending, 0) + coalesce(u.waiting, 0) AS pending, coalesce(n.unsubscribed, 0) AS unsubscribed
     FROM list l LEFT JOIN standing n ON n.list_id = l.id LEFT JOIN signed_up u ON u.list_id = l.id ORDER BY l.id`,
  );
}
