import type { LeftAlone } from '../../shared/contract/runs.ts';
import { byIndexAlone } from '../database.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';
import { lockContacts } from './marks.ts';
import { keepTargets } from './run-work.ts';

export interface UndoneCounts {
  restored: number;
  /** Changes that something changed again since, and that are therefore left as they are. */
  leftAlone: number;
}

/**
 * Makes everybody of whom a run changed something the targets of the run that undoes it; below zero, entries that
 * belong to no contact. With whom an undo that was stopped has dealt, it is done.
 */
export function keepUndoTargets(sql: Sql, undoingRunId: number, runId: number): Promise<number> {
  const changed = `
    changed AS (
      SELECT DISTINCT coalesce(contact_id, -subject_id) AS target FROM journal WHERE run_id = $1 AND contacts IS NULL
      UNION SELECT n FROM journal j, unnest(j.contacts) r, generate_series(lower(r), upper(r) - 1) n WHERE j.run_id = $1 AND j.contacts IS NOT NULL)`;
  const dealtWith =
    'SELECT max(after_target) FROM run WHERE undoes_run_id = $1 AND stopped IS NOT NULL AND undone_by_run_id IS NULL';
  const rest = `SELECT target FROM changed WHERE target > coalesce((${dealtWith}), '-infinity'::float8)`;
  return keepTargets(sql, undoingRunId, changed, rest, [runId]);
}

/** Targets of an undo: contacts, and below zero entries that belong to none. */
function splitTargets(targets: number[]): { contactIds: number[]; entryIds: number[] } {
  return {
    contactIds: targets.filter((target) => target > 0),
    entryIds: targets.filter((target) => target < 0).map((target) => -target),
  };
}

/**
 * Holds all that an undo of these targets looks at and then writes, so that nobody changes it in between: contacts
 * first, as everybody's own acts do, then entries that belong to none, then where they stand on ladders and among
 * machines, which move without that lock.
 */
export async function lockToUndo(sql: Sql, targets: number[]): Promise<void> {
  const { contactIds, entryIds } = splitTargets(targets);
  await lockContacts(sql, contactIds);
  await execute(
    sql,
    'SELECT FROM suppression_entry WHERE id = ANY($1::bigint[]) ORDER BY value, list_id FOR NO KEY UPDATE',
    [entryIds],
  );
  for (const table of ['contact_stage', 'automated_address'])
    await execute(
      sql,
      `SELECT FROM ${table} WHERE contact_id = ANY($1::bigint[]) ORDER BY contact_id FOR NO KEY UPDATE`,
      [contactIds],
    );
}

/**
 * Contacts n of a set `j.contacts` that lie between the least and the greatest of some targets: where these are the
 * next ones in order of all whom a run concerns, just those of them that are in the set.
 */
function membersWithin(targets: string): string {
  const of = (end: 'min' | 'max'): string => `(SELECT ${end}(t) FROM unnest(${targets}) t)`;
  return `unnest(CASE WHEN cardinality(${targets}) > 0 THEN j.contacts * int8multirange(int8range(${of('min')}, ${of('max')}, '[]')) END) r, generate_series(lower(r), upper(r) - 1) n`;
}

/** The brand of a subscription or an opt-out that a journal row `j` speaks of; null for whatever else it speaks of. */
const BRAND_OF_WORD = `CASE WHEN j.subject = 'subscription' THEN (SELECT brand_id FROM list WHERE id = j.subject_id)
      WHEN j.subject = 'entry' THEN (SELECT scope_id FROM suppression_list WHERE id = (j.after->>'listId')::int AND built_in = 'opt-out') END`;

/** What a contact said themselves of a brand after journal row `j` was written; `which` is a test of that row `l`. */
const saidSince = (which: string): string => `EXISTS (
        SELECT FROM journal l WHERE l.contact_id = j.contact_id AND l.id > j.id AND l.actor_kind = 'contact' AND l.subject IN ('subscription', 'entry') AND ${which}
          AND j.of_brand = CASE WHEN l.subject = 'subscription' THEN (SELECT brand_id FROM list WHERE id = l.subject_id) ELSE (SELECT scope_id FROM suppression_list WHERE id = (l.after->>'listId')::int) END)`;

/**
 * Whether the contact has spoken for themselves since: who has left or complained is not given back what was taken from
 * them, who has come back is not opted out again, and who has signed up stays on. Somebody may also have left before
 * and been heard late.
 */
const SPOKE_SINCE = `CASE WHEN j.of_brand IS NULL THEN false
      WHEN j.after->>'state' = 'unsubscribed' THEN ${saidSince(`(l.after->>'state' = 'unsubscribed' OR (l.after->>'inEffect')::boolean)`)}
        OR EXISTS (SELECT FROM subscription s WHERE s.contact_id = j.contact_id AND s.list_id = j.subject_id AND s.left_at > (j.before->>'since')::timestamptz)
      WHEN (j.after->>'inEffect')::boolean THEN ${saidSince(`(l.after->>'state' = 'unsubscribed' OR (l.after->>'inEffect')::boolean)`)}
      WHEN j.subject = 'subscription' AND j.before IS NULL THEN EXISTS (
        SELECT FROM sign_up u WHERE u.contact_id = j.contact_id AND u.list_id = j.subject_id AND u.state = 'confirmed')
      WHEN j.subject = 'entry' THEN ${saidSince(`l.after->>'state' = 'subscribed'`)}
      ELSE false END`;

/**
 * The latest change that a run ($1) made to each thing of these targets ($5, contacts; $6, entries), with whether
 * anything changed that thing again later. before = what the run found, taken from its first change. Sets are taken
 * apart; nothing that came later can be a set, since one only says where things began, or a tag. An address that
 * somebody else has by now cannot go back. Uses journal_by_run, journal_by_contact and journal_by_entry.
 */
const CHANGES = `
  mine AS (
    SELECT id, subject, subject_id, contact_id, before, after FROM journal WHERE run_id = $1 AND contact_id = ANY($5::bigint[])
    UNION ALL
    SELECT id, subject, subject_id, contact_id, before, after FROM journal
    WHERE run_id = $1 AND contact_id IS NULL AND contacts IS NULL AND subject = 'entry' AND subject_id = ANY($6::bigint[])
    UNION ALL
    SELECT j.id, j.subject, j.subject_id, n AS contact_id, NULL, j.after
    FROM journal j, ${membersWithin('$5::bigint[]')} WHERE j.run_id = $1 AND j.contacts IS NOT NULL),
  spoken AS (SELECT j.*, ${BRAND_OF_WORD} AS of_brand FROM mine j),
  change AS (
    SELECT DISTINCT ON (j.subject, j.subject_id, j.contact_id) j.id, j.subject, j.subject_id, j.contact_id, j.after,
      first_value(j.before) OVER (PARTITION BY j.subject, j.subject_id, j.contact_id ORDER BY j.id) AS before,
      CASE WHEN j.subject = 'entry' THEN EXISTS (
        SELECT FROM journal l WHERE l.subject = 'entry' AND l.subject_id = j.subject_id AND l.id > j.id AND l.run_id IS DISTINCT FROM $1::int)
      WHEN j.subject = 'asking' THEN NOT EXISTS (SELECT FROM sign_up u WHERE u.contact_id = j.contact_id AND u.list_id = j.subject_id AND u.state = 'pending')
      ELSE (j.subject = 'address' AND EXISTS (SELECT FROM contact o WHERE o.address = j.before->>'address' AND o.id <> j.contact_id)) OR EXISTS (
        SELECT FROM journal l WHERE l.contact_id = j.contact_id AND l.subject = j.subject AND l.subject_id = j.subject_id AND l.id > j.id
          AND l.run_id IS DISTINCT FROM $1::int) END OR ${SPOKE_SINCE} AS moved_on
    FROM spoken j ORDER BY j.subject, j.subject_id, j.contact_id, j.id DESC),
  back AS (SELECT * FROM change WHERE NOT moved_on)`;

/** Whether an entry stood already when the run asked for it: then it stands on, as long as it would have. */
const ASKED_AGAIN = `coalesce((b.before->>'inEffect')::boolean AND (b.after->>'inEffect')::boolean, false)`;

/**
 * Puts back everything a run changed of these targets, except where something changed it again later; journals each
 * under the undoing run, and keeps what was left alone.
 */
export async function undoRunChanges(sql: Sql, runId: number, targets: number[], act: Act): Promise<UndoneCounts> {
  const { contactIds, entryIds } = splitTargets(targets);
  const [counts] = await byIndexAlone(sql, () =>
    rowsOf<UndoneCounts>(
      sql,
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
       UPDATE subscription s SET state = b.before->>'state', since = (b.before->>'since')::timestamptz, source = 'undo',
         ended_by = CASE WHEN b.before->>'state' = 'unsubscribed' THEN coalesce(b.before->>'endedBy', 'contact') END
       FROM back b WHERE b.subject = 'subscription' AND b.before IS NOT NULL AND s.contact_id = b.contact_id AND s.list_id = b.subject_id),
     unsubscribed AS (
       DELETE FROM subscription s USING back b WHERE b.subject = 'subscription' AND b.before IS NULL AND s.contact_id = b.contact_id AND s.list_id = b.subject_id),
     taken_back AS (
       UPDATE sign_up u SET state = 'turned-away', because = 'run ' || $1 || ' was undone', next_message_at = NULL
       FROM back b WHERE b.subject = 'asking' AND u.contact_id = b.contact_id AND u.list_id = b.subject_id AND u.state = 'pending'),
     lifted AS (
       UPDATE suppression_entry e SET lifted_at = now(), lifted_by = $3, lift_kind = 'undo', lift_reason = 'run ' || $1 || ' undone'
       FROM back b WHERE b.subject = 'entry' AND (b.after->>'inEffect')::boolean AND NOT ${ASKED_AGAIN} AND e.id = b.subject_id AND e.lifted_at IS NULL),
     until AS (
       UPDATE suppression_entry e SET expires_at = (b.before->>'expiresAt')::timestamptz
       FROM back b WHERE b.subject = 'entry' AND ${ASKED_AGAIN} AND e.id = b.subject_id AND e.lifted_at IS NULL),
     entered AS (
       UPDATE suppression_entry e SET lifted_at = NULL, lifted_by = NULL, lift_kind = NULL, lift_reason = NULL
       FROM back b WHERE b.subject = 'entry' AND NOT (b.after->>'inEffect')::boolean AND e.id = b.subject_id
         AND NOT EXISTS (SELECT FROM suppression_entry o WHERE o.value = e.value AND o.list_id = e.list_id AND o.lifted_at IS NULL)),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $4::int, contact_id, subject, subject_id, after,
         CASE WHEN subject = 'entry' AND NOT ${ASKED_AGAIN} THEN after || jsonb_build_object('inEffect', NOT (after->>'inEffect')::boolean) ELSE before END,
         $2, $3, jsonb_build_object('undoneRun', $1::int) FROM back b),
     kept AS (INSERT INTO run_left (run_id, journal_id, contact_id) SELECT $4::int, id, contact_id FROM change WHERE moved_on ORDER BY id, contact_id)
     SELECT (count(*) FILTER (WHERE NOT moved_on))::int AS restored, (count(*) FILTER (WHERE moved_on))::int AS "leftAlone" FROM change`,
      [runId, act.actorKind, act.actor, act.runId, contactIds, entryIds],
    ),
  );
  return counts!;
}

/**
 * Removes those of these contacts whom an import brought in, and of whom nothing else is known by now: on no list, at
 * no stage, in no campaign, no act, nothing that another run or they themselves changed. Archived they would stand in
 * the way of the file that is imported in its place. To be run once the import itself is undone. Returns how many.
 */
export async function removeBroughtIn(
  sql: Sql,
  runId: number,
  contactIds: number[],
  undoingRunId: number,
): Promise<number> {
  const [row] = await byIndexAlone(sql, () =>
    rowsOf<{ n: number }>(
      sql,
      `WITH meant AS MATERIALIZED (
       SELECT DISTINCT n AS id FROM journal j, ${membersWithin('$3::bigint[]')} WHERE j.run_id = $1 AND j.subject = 'subscription'),
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
      [runId, undoingRunId, contactIds],
    ),
  );
  return row!.n;
}

/** A thing that an undo left alone: `subject` says what of the contact, or which entry. */
export type LeftRow = LeftAlone;

/** What an undo left alone, because something had changed it again, in the order in which it was met, after `after`. */
export async function listLeftAlone(sql: Sql, undoingRunId: number, after: number, limit: number): Promise<LeftRow[]> {
  return rowsOf<LeftRow>(
    sql,
    `SELECT l.number::float8 AS number, l.contact_id::float8 AS "contactId", coalesce(c.address, j.after->>'value') AS address, c.name, c.archived_at IS NOT NULL AS archived, j.subject
     FROM run_left l JOIN journal j ON j.id = l.journal_id LEFT JOIN contact c ON c.id = l.contact_id
     WHERE l.run_id = $1 AND l.number > $2 ORDER BY l.number LIMIT $3`,
    [undoingRunId, after, limit],
  );
}

/** Notes on a run by which run it was undone; of two who try at once, one succeeds. */
export async function closeUndoneRun(sql: Sql, runId: number, undoneBy: number): Promise<boolean> {
  const affected = await changedBy(
    sql,
    'UPDATE run SET undone_by_run_id = $2 WHERE id = $1 AND undone_by_run_id IS NULL',
    [runId, undoneBy],
  );
  return affected > 0;
}

/** Takes it back that a run was undone: the undo was stopped, and another may go on where it ended. */
export async function reopenUndoneRun(sql: Sql, runId: number): Promise<void> {
  await execute(sql, 'UPDATE run SET undone_by_run_id = NULL WHERE id = $1', [runId]);
}
