import { byIndexAlone, type Sql } from '../database.ts';
import type { Act } from './journal.ts';

export interface UndoneCounts {
  restored: number;
  /** Changes that something changed again since, and that are therefore left as they are. */
  leftAlone: number;
}

/**
 * The latest change that a run made to each thing, with whether anything changed that thing again later.
 * before = what the run found, taken from its first change. Sets are taken
 * apart; nothing that came later can be a set, since one only says where things began, or a tag. An address that somebody else
 * has by now cannot go back. Uses journal_by_run,
 * journal_by_contact and journal_by_entry.
 */
const CHANGES = `
  mine AS (
    SELECT id, subject, subject_id, contact_id, before, after FROM journal WHERE run_id = $1 AND contacts IS NULL
    UNION ALL
    SELECT j.id, j.subject, j.subject_id, n AS contact_id, NULL, j.after
    FROM journal j, unnest(j.contacts) r, generate_series(lower(r), upper(r) - 1) n WHERE j.run_id = $1 AND j.contacts IS NOT NULL),
  change AS (
    SELECT DISTINCT ON (j.subject, j.subject_id, j.contact_id) j.id, j.subject, j.subject_id, j.contact_id, j.after,
      first_value(j.before) OVER (PARTITION BY j.subject, j.subject_id, j.contact_id ORDER BY j.id) AS before,
      CASE WHEN j.subject = 'entry' THEN EXISTS (
        SELECT FROM journal l WHERE l.subject = 'entry' AND l.subject_id = j.subject_id AND l.id > j.id AND l.run_id IS DISTINCT FROM $1::int)
      WHEN j.subject = 'asking' THEN NOT EXISTS (SELECT FROM sign_up u WHERE u.contact_id = j.contact_id AND u.list_id = j.subject_id AND u.state = 'pending')
      ELSE (j.subject = 'address' AND EXISTS (SELECT FROM contact o WHERE o.address = j.before->>'address')) OR EXISTS (
        SELECT FROM journal l WHERE l.contact_id = j.contact_id AND l.subject = j.subject AND l.subject_id = j.subject_id AND l.id > j.id
          AND l.run_id IS DISTINCT FROM $1::int) END AS moved_on
    FROM mine j ORDER BY j.subject, j.subject_id, j.contact_id, j.id DESC),
  back AS (SELECT * FROM change WHERE NOT moved_on)`;

/** Puts back everything a run changed, except where something changed it again later; journals each under the undoing run. */
export async function undoRunChanges(sql: Sql, runId: number, act: Act): Promise<UndoneCounts> {
  const [counts]: UndoneCounts[] = await sql.query(
    `WITH ${CHANGES},
     stages AS (
       UPDATE contact_stage s SET stage = b.before->>'stage', since = coalesce((b.before->>'since')::timestamptz, now()), cause = jsonb_build_object('undoneRun', $1::int)
       FROM back b WHERE b.subject = 'stage' AND s.contact_id = b.contact_id AND s.brand_id = b.subject_id),
     machines AS (
       UPDATE automated_address m SET state = coalesce(nullif(b.before->>'state', 'cleared'), 'person'), since = now(), decided_by = coalesce(b.before->>'decidedBy', $3)
       FROM back b WHERE b.subject = 'machine' AND m.contact_id = b.contact_id),
     contacts_back AS (
       SELECT contact_id, jsonb_object_agg(subject, before) FILTER (WHERE subject IN ('deliverability', 'archive', 'address', 'verdict', 'details')) AS was,
         coalesce(array_agg(after->>'tag') FILTER (WHERE subject = 'tag' AND before IS NULL), '{}') AS tagged,
         coalesce(array_agg(before->>'tag') FILTER (WHERE subject = 'tag' AND before IS NOT NULL), '{}') AS untagged
       FROM back WHERE subject IN ('deliverability', 'archive', 'address', 'verdict', 'details', 'tag') GROUP BY contact_id),
     contacts AS (
       UPDATE contact c SET
         deliverability = coalesce(b.was->'deliverability'->>'deliverability', c.deliverability),
         deliverability_since = CASE WHEN b.was ? 'deliverability' THEN (b.was->'deliverability'->>'since')::timestamptz ELSE c.deliverability_since END,
         deliverability_cause = CASE WHEN NOT coalesce(b.was ? 'deliverability', false) THEN c.deliverability_cause
           WHEN jsonb_typeof(b.was->'deliverability'->'cause') = 'object' THEN b.was->'deliverability'->'cause' END,
         archived_at = CASE WHEN b.was ? 'archive' THEN (b.was->'archive'->>'archivedAt')::timestamptz ELSE c.archived_at END,
         merged_into = CASE WHEN b.was ? 'archive' THEN (b.was->'archive'->>'mergedInto')::bigint ELSE c.merged_into END,
         address = coalesce(b.was->'address'->>'address', c.address),
         mended_at = CASE WHEN b.was ? 'address' THEN (b.was->'address'->>'mendedAt')::timestamptz ELSE c.mended_at END,
         verdict = CASE WHEN b.was ? 'verdict' THEN b.was->'verdict'->>'verdict' ELSE c.verdict END,
         verdict_cause = CASE WHEN b.was ? 'verdict' THEN nullif(b.was->'verdict'->'cause', 'null') ELSE c.verdict_cause END,
         name = CASE WHEN b.was->'details' ? 'name' THEN b.was->'details'->>'name' ELSE c.name END,
         attributes = (c.attributes || coalesce(jsonb_strip_nulls(b.was->'details'->'attributes'), '{}'))
           - ARRAY(SELECT key FROM jsonb_each(b.was->'details'->'attributes') WHERE value = 'null'),
         tags = ARRAY(SELECT t FROM unnest(c.tags) t WHERE t <> ALL (b.tagged) UNION SELECT t FROM unnest(b.untagged) t)
       FROM contacts_back b WHERE c.id = b.contact_id AND c.erased_at IS NULL),
     subscriptions AS (
       UPDATE subscription s SET state = b.before->>'state', since = (b.before->>'since')::timestamptz, source = 'undo'
       FROM back b WHERE b.subject = 'subscription' AND b.before IS NOT NULL AND s.contact_id = b.contact_id AND s.list_id = b.subject_id),
     unsubscribed AS (
       DELETE FROM subscription s USING back b WHERE b.subject = 'subscription' AND b.before IS NULL AND s.contact_id = b.contact_id AND s.list_id = b.subject_id),
     taken_back AS (
       UPDATE sign_up u SET state = 'turned-away', because = 'run ' || $1 || ' was undone', next_message_at = NULL
       FROM back b WHERE b.subject = 'asking' AND u.contact_id = b.contact_id AND u.list_id = b.subject_id AND u.state = 'pending'),
     lifted AS (
       UPDATE suppression_entry e SET lifted_at = now(), lifted_by = $3, lift_kind = 'undo', lift_reason = 'run ' || $1 || ' undone'
       FROM back b WHERE b.subject = 'entry' AND (b.after->>'inEffect')::boolean AND e.id = b.subject_id AND e.lifted_at IS NULL),
     entered AS (
       UPDATE suppression_entry e SET lifted_at = NULL, lifted_by = NULL, lift_kind = NULL, lift_reason = NULL
       FROM back b WHERE b.subject = 'entry' AND NOT (b.after->>'inEffect')::boolean AND e.id = b.subject_id
         AND NOT EXISTS (SELECT FROM suppression_entry o WHERE o.value = e.value AND o.list_id = e.list_id AND o.lifted_at IS NULL)),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $4::int, contact_id, subject, subject_id, after,
         CASE WHEN subject = 'entry' THEN after || jsonb_build_object('inEffect', NOT (after->>'inEffect')::boolean) ELSE before END,
         $2, $3, jsonb_build_object('undoneRun', $1::int) FROM back)
     SELECT (count(*) FILTER (WHERE NOT moved_on))::int AS restored, (count(*) FILTER (WHERE moved_on))::int AS "leftAlone" FROM change`,
    [runId, act.actorKind, act.actor, act.runId],
  );
  return counts!;
}

/**
 * Removes the contacts that an import brought in, and of whom nothing else is known by now: on no list, at no stage, in no
 * campaign, no act, nothing that another run or they themselves changed. Archived they would stand in the way of the file
 * that is imported in its place. To be run once the import itself is undone. Returns how many.
 */
export async function removeBroughtIn(sql: Sql, runId: number, undoingRunId: number): Promise<number> {
  const [row] = await byIndexAlone(sql, () =>
    sql.query<{ n: number }[]>(
      `WITH meant AS MATERIALIZED (
       SELECT DISTINCT n AS id FROM journal j, unnest(j.contacts) r, generate_series(lower(r), upper(r) - 1) n WHERE j.run_id = $1 AND j.subject = 'subscription'),
     alone AS MATERIALIZED (
       SELECT c.id FROM run r, meant m JOIN contact c USING (id)
       WHERE r.id = $1 AND c.created_at BETWEEN r.started_at AND r.finished_at AND c.archived_at IS NULL AND c.erased_at IS NULL AND c.deliverability = 'deliverable'
         AND NOT EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id)
         AND NOT EXISTS (SELECT FROM activity a WHERE a.contact_id = c.id)
         AND NOT EXISTS (SELECT FROM contact_stage t WHERE t.contact_id = c.id)
         AND NOT EXISTS (SELECT FROM delivery d WHERE d.contact_id = c.id)
         AND NOT EXISTS (SELECT FROM automated_address m WHERE m.contact_id = c.id)
         AND NOT EXISTS (SELECT FROM sign_up u WHERE u.contact_id = c.id AND u.state <> 'noted')
         AND NOT EXISTS (SELECT FROM journal o WHERE o.contact_id = c.id AND o.run_id IS DISTINCT FROM $1::int AND o.run_id IS DISTINCT FROM $2::int)
         AND NOT EXISTS (SELECT FROM journal o WHERE o.contacts @> c.id AND o.run_id IS DISTINCT FROM $1::int)
       -- Whom somebody works on at this moment is not alone.
       FOR UPDATE OF c SKIP LOCKED),
     proofs AS (DELETE FROM sign_up u USING alone a WHERE u.contact_id = a.id),
     gone AS (DELETE FROM contact c USING alone a WHERE c.id = a.id)
     SELECT count(*)::int AS n FROM alone`,
      [runId, undoingRunId],
    ),
  );
  return row!.n;
}

/** Contacts whose change by a run would not be put back, because something changed it again later. */
export async function listMovedOn(
  sql: Sql,
  runId: number,
  limit: number,
): Promise<{ contactId: number | null; address: string | null; subject: string; after: unknown }[]> {
  return sql.query(
    `WITH ${CHANGES} SELECT h.contact_id::float8 AS "contactId", c.address, h.subject, h.after
     FROM change h LEFT JOIN contact c ON c.id = h.contact_id WHERE h.moved_on ORDER BY h.id LIMIT $2`,
    [runId, limit],
  );
}

/** Notes on a run by which run it was undone; of two who try at once, one succeeds. */
export async function closeUndoneRun(sql: Sql, runId: number, undoneBy: number): Promise<boolean> {
  const [, affected]: [unknown, number] = await sql.query(
    'UPDATE run SET undone_by_run_id = $2 WHERE id = $1 AND undone_by_run_id IS NULL',
    [runId, undoneBy],
  );
  return affected > 0;
}
