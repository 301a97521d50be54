import { enteringCtes } from './entering.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';
import { subscriptionJson } from './subscriptions.ts';

/** Which addresses are mended, and to what: all of a domain, or one. */
export type Mending = { fromDomain: string; toDomain: string } | { from: string; to: string };

export interface MendingRow {
  contactId: number;
  address: string;
  mended: string;
  /** The contact that has the mended address already, and takes this one over. */
  mergesInto: number | null;
}

export interface MendingCounts {
  mended: number;
  merged: number;
  /** Left alone: the person of the mended address was erased. */
  erased: number;
}

/** CTE `mending (id, old, new, into_id, erased)` over $1 to $4: domain, its mended form, address, its mended form. */
const MENDING = `mending AS MATERIALIZED (
  SELECT c.id, c.address AS old, n.address AS new, o.id AS into_id,
    EXISTS (SELECT FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
      WHERE l.built_in = 'erasure' AND e.lifted_at IS NULL AND e.value = encode(sha256(convert_to(n.address, 'UTF8')), 'hex')) AS erased
  FROM contact c
  CROSS JOIN LATERAL (SELECT coalesce($4::text, split_part(c.address, '@', 1) || '@' || $2::text) AS address) n
  LEFT JOIN contact o ON o.address = n.address
  WHERE c.erased_at IS NULL AND c.merged_into IS NULL AND CASE WHEN $3::text IS NULL THEN split_part(c.address, '@', 2) = $1::text ELSE c.address = $3 END)`;

function parametersOf(mending: Mending): unknown[] {
  return 'from' in mending
    ? [null, null, mending.from, mending.to]
    : [mending.fromDomain, mending.toDomain, null, null];
}

const COUNTS = `count(*) FILTER (WHERE NOT erased AND into_id IS NULL)::int AS mended,
  count(*) FILTER (WHERE NOT erased AND into_id IS NOT NULL)::int AS merged, count(*) FILTER (WHERE erased)::int AS erased`;

const SAMPLE = 20;

/** How many addresses would be mended, and a sample. Nothing is written. */
export async function countMending(sql: Sql, mending: Mending): Promise<MendingCounts & { sample: MendingRow[] }> {
  const [row] = await rowsOf<MendingCounts & { sample: MendingRow[] }>(
    sql,
    `WITH ${MENDING}
     SELECT ${COUNTS}, (
       SELECT coalesce(json_agg(json_build_object('contactId', s.id, 'address', s.old, 'mended', s.new, 'mergesInto', s.into_id)), '[]')
       FROM (SELECT * FROM mending WHERE NOT erased ORDER BY id LIMIT ${SAMPLE}) s) AS sample
     FROM mending`,
    parametersOf(mending),
  );
  return row!;
}

/**
 * Mends addresses within a transaction, as part of a run, and journals all of it. A contact whose mended address nobody
 * has keeps everything but the address and what was said about it; one whose mended address is another contact is
 * merged into that: their subscriptions go over, a no of either stays a no, and they are archived, pointing there.
 * Entries from what people did go over too, so that mending lifts nothing; those about the address stay with it.
 * Messages that wait in a ledger go to the mended address: claiming them reads it. Returns the counts.
 */
export async function mendAddresses(sql: Sql, mending: Mending, reason: string, act: Act): Promise<MendingCounts> {
  await execute(
    sql,
    `CREATE TEMP TABLE mending ON COMMIT DROP AS WITH ${MENDING} SELECT * FROM mending`,
    parametersOf(mending),
  );
  await execute(
    sql,
    'SELECT c.id FROM contact c WHERE c.id IN (SELECT id FROM mending UNION SELECT into_id FROM mending) ORDER BY c.id FOR NO KEY UPDATE',
  );
  const by = [act.runId, act.actorKind, act.actor, JSON.stringify({ reason })];
  await execute(sql, READDRESS, by);
  await execute(sql, HAND_OVER_SUBSCRIPTIONS, by);
  await execute(sql, MERGE, by);
  await execute(sql, HAND_OVER_ENTRIES, by);
  const [counts] = await rowsOf<MendingCounts>(sql, `SELECT ${COUNTS} FROM mending`);
  return counts!;
}

const NOTE = `INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)`;

/** What was known of the old address says nothing of the new one: the mark and an outside verdict end. */
const READDRESS = `
  WITH changing AS (
    SELECT m.*, c.mended_at, c.deliverability, c.deliverability_since, c.deliverability_cause, c.verdict, c.verdict_cause
    FROM mending m JOIN contact c ON c.id = m.id WHERE NOT m.erased AND m.into_id IS NULL),
  changed AS (
    UPDATE contact c SET address = m.new, mended_at = now(), deliverability = 'deliverable', deliverability_since = NULL, deliverability_cause = NULL, verdict = NULL, verdict_cause = NULL
    FROM changing m WHERE c.id = m.id),
  address_noted AS (
    ${NOTE} SELECT $1::int, id, 'address', 0, jsonb_build_object('address', old, 'mendedAt', mended_at), jsonb_build_object('address', new, 'mendedAt', now()), $2, $3, $4::jsonb
    FROM changing ORDER BY id),
  mark_noted AS (
    ${NOTE} SELECT $1::int, id, 'deliverability', 0, jsonb_build_object('deliverability', deliverability, 'since', deliverability_since, 'cause', deliverability_cause),
      jsonb_build_object('deliverability', 'deliverable'), $2, $3, $4::jsonb FROM changing WHERE deliverability <> 'deliverable')
  ${NOTE} SELECT $1::int, id, 'verdict', 0, jsonb_build_object('verdict', verdict, 'cause', verdict_cause), NULL, $2, $3, $4::jsonb FROM changing WHERE verdict IS NOT NULL`;

const HAND_OVER_SUBSCRIPTIONS = `
  WITH given AS (
    SELECT DISTINCT ON (m.into_id, s.list_id) m.into_id, s.list_id, s.state, s.since, s.ended_by, s.left_at, o.state AS old_state, o.since AS old_since, o.ended_by AS old_ended_by
    FROM mending m JOIN subscription s ON s.contact_id = m.id LEFT JOIN subscription o ON o.contact_id = m.into_id AND o.list_id = s.list_id
    WHERE NOT m.erased AND m.into_id IS NOT NULL AND (o.state IS NULL OR (s.state = 'unsubscribed' AND o.state <> 'unsubscribed'))
    ORDER BY m.into_id, s.list_id, s.state = 'unsubscribed' DESC),
  joined AS (
    INSERT INTO subscription (contact_id, list_id, state, since, source, ended_by, left_at) SELECT into_id, list_id, state, since, 'run ' || $1::int, ended_by, left_at FROM given WHERE old_state IS NULL),
  left_lists AS (
    UPDATE subscription s SET state = g.state, since = g.since, source = 'run ' || $1::int, ended_by = g.ended_by, left_at = greatest(s.left_at, g.left_at) FROM given g
    WHERE g.old_state IS NOT NULL AND s.contact_id = g.into_id AND s.list_id = g.list_id)
  ${NOTE} SELECT $1::int, into_id, 'subscription', list_id, CASE WHEN old_state IS NOT NULL THEN jsonb_build_object('state', old_state, 'since', old_since, 'endedBy', old_ended_by) END,
    ${subscriptionJson('g')}, $2, $3, $4::jsonb FROM given g ORDER BY into_id, list_id`;

const MERGE = `
  WITH changing AS (SELECT m.*, c.archived_at FROM mending m JOIN contact c ON c.id = m.id WHERE NOT m.erased AND m.into_id IS NOT NULL),
  changed AS (
    UPDATE contact c SET archived_at = coalesce(c.archived_at, now()), merged_into = m.into_id FROM changing m WHERE c.id = m.id)
  ${NOTE} SELECT $1::int, id, 'archive', 0, jsonb_build_object('archivedAt', archived_at, 'mergedInto', NULL),
    jsonb_build_object('archivedAt', coalesce(archived_at, now()), 'mergedInto', into_id), $2, $3, $4::jsonb || jsonb_build_object('into', new) FROM changing ORDER BY id`;

/** Lists whose entries speak of an address and not of the person. */
const ABOUT_THE_ADDRESS = `'hard-bounce', 'bounce-count', 'invalid', 'spam-trap'`;

const HAND_OVER_ENTRIES = `
  WITH ${enteringCtes(
    ', evidence, entered_at, expires_at, ended_by, said_at',
    `SELECT e.list_id, e.kind, m.new, e.reason, e.source, e.evidence, e.entered_at, e.expires_at, e.ended_by, e.said_at
    FROM mending m JOIN suppression_entry e ON e.value = m.old AND e.kind = 'address' AND e.lifted_at IS NULL JOIN suppression_list l ON l.id = e.list_id
    WHERE NOT m.erased AND coalesce(l.built_in, '') NOT IN (${ABOUT_THE_ADDRESS})`,
    {
      run: '$1::int',
      actorKind: '$2',
      actor: '$3',
      cause: `$4::jsonb || jsonb_build_object('entry', e.reason)`,
      // Two slips may be of one address; both are of one person by then.
      contact: '(SELECT coalesce(m.into_id, m.id) FROM mending m WHERE m.new = e.value ORDER BY 1 LIMIT 1)',
    },
  )}
  SELECT count(*) FROM entered`;
