import type { Among } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import { DECIDING_SQL, findWhatApplies, judgeAudienceCtes, messageParameters } from './eligibility.ts';

/** A change of the journal since an instant, by which somebody counts as changed for a brand. */
export type Change = Exclude<Among, 'may-be-written' | 'held-back'>;

/** `j` is the journal, `l` the list of a subscription, `s` the suppression list of an entry; $1 is the brand. */
const CHANGES: Record<Change, string> = {
  'came-in': `j.subject = 'subscription' AND l.brand_id = $1 AND j.after->>'state' = 'subscribed' AND j.before->>'state' IS DISTINCT FROM 'subscribed'`,
  unsubscribed: `j.subject = 'subscription' AND l.brand_id = $1 AND j.after->>'state' = 'unsubscribed' AND j.before->>'state' IS DISTINCT FROM 'unsubscribed'`,
  'became-undeliverable': `j.subject = 'deliverability' AND j.after->>'deliverability' = 'undeliverable'`,
  complained: `j.subject = 'entry' AND s.built_in = 'complaint' AND s.scope_id = $1 AND (j.after->>'inEffect')::boolean`,
  'to-sunset': `j.subject = 'stage' AND j.subject_id = $1 AND j.after->>'stage' = 'sunset'`,
  'from-sunset': `j.subject = 'stage' AND j.subject_id = $1 AND j.before->>'stage' = 'sunset'`,
  'reached-bounce-count': `j.subject = 'deliverability' AND j.after->'cause'->>'cause' = 'bounce-count'`,
};

/** Only these are ever journaled for a whole set in one row. */
const OF_SETS: ReadonlySet<Change> = new Set(['came-in', 'unsubscribed']);

/** A mark is of no brand: it counts for those whose contact it is, while it stands. */
const STANDS = `c.deliverability = 'undeliverable' AND EXISTS (SELECT FROM subscription o JOIN list ol ON ol.id = o.list_id WHERE ol.brand_id = $1 AND o.contact_id = c.id)`;

/**
 * CTE `changed (change, contact_id)` over $1 the brand and $2 the instant: contacts with what changed for them, from
 * the journal: recorded since then, and by an act since then, so that a history taken in today is not today's news.
 * Erased ones are not among them. A row of a whole set stands for all in it; where there can be none, the planner is
 * not told of any: it expects a hundred thousand contacts of each, and goes through the whole base for them. Uses
 * journal_by_time.
 */
export function changedCte(changes: Change[]): string {
  const cases = changes.map((change) => `SELECT '${change}' AS change WHERE ${CHANGES[change]}`);
  const sets = changes.some((change) => OF_SETS.has(change))
    ? `
      UNION ALL
      SELECT change, u.id FROM picked CROSS JOIN LATERAL unnest(contacts) r CROSS JOIN LATERAL generate_series(lower(r), upper(r) - 1) u (id)`
    : '';
  return `told AS (
    SELECT j.* FROM journal j WHERE j.at >= $2 AND coalesce(to_timestamp((j.cause->>'at')::float8 / 1000.0), (j.after->>'since')::timestamptz, j.at) >= $2),
  picked AS (
    SELECT x.change, j.contact_id, j.contacts FROM told j
    LEFT JOIN list l ON j.subject = 'subscription' AND l.id = j.subject_id
    LEFT JOIN suppression_list s ON j.subject = 'entry' AND s.id = (j.after->>'listId')::int
    CROSS JOIN LATERAL (${cases.join(' UNION ALL ')}) x),
  changed AS (
    SELECT DISTINCT p.change, c.id AS contact_id
    FROM (
      SELECT change, contact_id FROM picked WHERE contact_id IS NOT NULL${sets}) p
    JOIN contact c ON c.id = p.contact_id AND c.erased_at IS NULL AND (p.change NOT IN ('became-undeliverable', 'reached-bounce-count') OR (${STANDS})))`;
}

/**
 * Puts those whom a figure counts into the table `among (id)` of this transaction, by the statement that counts them.
 * To be run within overWholeSet.
 */
export async function keepAmong(sql: Sql, among: Among, brandId: number, since: Date): Promise<void> {
  if (among !== 'may-be-written' && among !== 'held-back') {
    await execute(
      sql,
      `CREATE TEMP TABLE among ON COMMIT DROP AS WITH ${changedCte([among])} SELECT contact_id AS id FROM changed`,
      [brandId, since],
    );
  } else {
    const lists = await rowsOf<{ id: number }>(sql, `SELECT id FROM list WHERE brand_id = $1`, [brandId]);
    const listIds = lists.map(({ id }) => id);
    const message = { campaignId: 0, brandId, purpose: 'marketing' as const, listIds, leftOutListIds: [] };
    await execute(
      sql,
      `CREATE TEMP TABLE among ON COMMIT DROP AS WITH ${judgeAudienceCtes(message, await findWhatApplies(sql, message))}
       SELECT j.contact_id AS id FROM judged j WHERE ((${DECIDING_SQL}) IS NULL) = $6::boolean`,
      [...messageParameters(message), among === 'may-be-written'],
    );
  }
  await execute(sql, 'ANALYZE among');
}
