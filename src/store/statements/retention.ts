import { changedBy, rowsOf, type Sql } from '../sql.ts';

/** Pages of a table, of 8 kB, that are gone through in one statement. */
const PAGES = 2000;
const ROWS = 5000;

/** A month of events: its table, how many pages that has, and whether it lies before an instant as a whole. */
export interface EventMonth {
  table: string;
  pages: number;
}

/** The months of events that begin before an instant and end after another, oldest first. */
export async function listEventMonths(sql: Sql, endsAfter: Date, beginsBefore: Date): Promise<EventMonth[]> {
  return rowsOf<EventMonth>(
    sql,
    `SELECT c.relname AS "table", (pg_relation_size(c.oid) / 8192)::int AS pages
     FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
     WHERE i.inhparent = 'event'::regclass AND c.relname ~ '^event_[0-9]{4}_[0-9]{2}$'
       AND to_date(substr(c.relname, 7), 'YYYY_MM') < $2::timestamptz AND to_date(substr(c.relname, 7), 'YYYY_MM') + interval '1 month' > $1::timestamptz
     ORDER BY 1`,
    [endsAfter, beginsBefore],
  );
}

/**
 * Takes away from where the acts of some pages of a month came, and with what, that are older than an instant; who did
 * them stays as it was judged. Returns how many, and whether there are further pages.
 */
export async function sweepActs(
  sql: Sql,
  { table, pages }: EventMonth,
  from: number,
  before: Date,
): Promise<{ acts: number; next: number | null }> {
  const acts = await changedBy(
    sql,
    `UPDATE "${table}" SET detail = (detail - '{userAgent,network}'::text[]) || '{"swept": true}'
     WHERE ctid >= '(${from},0)' AND ctid < '(${from + PAGES},0)' AND occurred_at < $1 AND detail ?| '{userAgent,network}'`,
    [before],
  );
  return { acts, next: from + PAGES < pages ? from + PAGES : null };
}

/** The same of some sign-ups; how many there were. */
export async function sweepSignUps(sql: Sql, before: Date): Promise<number> {
  const affected = await changedBy(
    sql,
    `UPDATE sign_up SET network = NULL, confirmed_network = NULL, user_agent = NULL WHERE id IN (
       SELECT id FROM sign_up WHERE at < $1 AND (network IS NOT NULL OR confirmed_network IS NOT NULL OR user_agent IS NOT NULL) ORDER BY at LIMIT ${ROWS})`,
    [before],
  );
  return affected;
}

/** Takes away some returns that match nothing or were put aside; how many there were. */
export async function sweepUnmatched(sql: Sql, before: Date): Promise<number> {
  const affected = await changedBy(
    sql,
    `DELETE FROM return_message WHERE id IN (
       SELECT id FROM return_message WHERE received_at < $1 AND state IN ('unmatched', 'dismissed') ORDER BY received_at LIMIT ${ROWS})`,
    [before],
  );
  return affected;
}

/**
 * Takes away the bytes of some returns, and of those that none of ours is any more, unless they came just now; how many
 * there were.
 */
export async function sweepRawReturns(sql: Sql, before: Date, justNow: Date): Promise<number> {
  const affected = await changedBy(
    sql,
    `DELETE FROM return_raw WHERE kept_at < greatest($1, $2::timestamptz) AND digest IN (
       SELECT digest FROM return_raw w WHERE kept_at < $1 OR (kept_at < $2 AND NOT EXISTS (SELECT FROM return_message m WHERE m.raw_digest = w.digest)) ORDER BY kept_at LIMIT ${ROWS / 5})`,
    [before, justNow],
  );
  return affected;
}

/**
 * Takes away the kept file of one import that ended before an instant, with no row that waits for a decision; false
 * when there is none. Imports that take such rows in read the file they came from.
 */
export async function sweepFile(sql: Sql, before: Date): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `DELETE FROM import_part WHERE import_id = (
       SELECT i.id FROM import i WHERE i.finished_at < $1 AND EXISTS (SELECT FROM import_part p WHERE p.import_id = i.id)
         AND NOT EXISTS (SELECT FROM import f WHERE (f.options->'held'->>'of')::int = i.id AND (f.finished_at IS NULL OR f.finished_at >= $1))
         AND (coalesce((i.counts->>'held')::int, 0) = 0 OR EXISTS (SELECT FROM import f WHERE (f.options->'held'->>'of')::int = i.id AND NOT f.dry_run))
       ORDER BY i.id LIMIT 1)`,
    [before],
  );
  return affected > 0;
}
