import type { WithDates } from '../with-dates.ts';
import type { JournalItem, Run } from '../../shared/contract/runs.ts';
import type { MatchingContact } from './conditions.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/** Who or what changes something, and as part of which run. Every changing statement takes one. */
export interface Act {
  actorKind: 'person' | 'rule' | 'contact';
  actor: string;
  runId: number | null;
}

export type RunRow = WithDates<Run, 'startedAt' | 'finishedAt'>;

export const RUN_COLUMNS = `id, kind, brand_id AS "brandId", actor, account_id AS "accountId", reason, counts, started_at AS "startedAt", finished_at AS "finishedAt",
  undoes_run_id AS "undoesRunId", undone_by_run_id AS "undoneByRunId", done, whole, stopped, rule_before IS NOT NULL AS "changedRule"`;

/** Begins a run; it is open until finishRun. With `work` it is worked through in pieces; see run-work. */
export async function insertRun(
  sql: Sql,
  run: { kind: string; brandId: number | null; actor: string; reason: string; undoesRunId?: number; work?: object },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO run (kind, brand_id, actor, reason, undoes_run_id, work) VALUES ($1, $2, $3, $4, $5, $6::jsonb) RETURNING id`,
    [run.kind, run.brandId, run.actor, run.reason, run.undoesRunId ?? null, run.work ? JSON.stringify(run.work) : null],
  );
  return row!.id;
}

/** Ends a run with what it changed, by kind of change. */
export async function finishRun(sql: Sql, runId: number, counts: Record<string, number>): Promise<void> {
  await execute(sql, `UPDATE run SET counts = $2::jsonb, finished_at = now() WHERE id = $1`, [
    runId,
    JSON.stringify(counts),
  ]);
}

/** One run, with who undid it if anybody did. */
export async function findRun(sql: Sql, runId: number): Promise<RunRow | undefined> {
  const rows = await rowsOf<RunRow>(sql, `SELECT ${RUN_COLUMNS} FROM run WHERE id = $1`, [runId]);
  return rows[0];
}

/** Runs before a number, latest first. */
export async function listRuns(sql: Sql, before: number, limit: number): Promise<RunRow[]> {
  return rowsOf<RunRow>(sql, `SELECT ${RUN_COLUMNS} FROM run WHERE id < $1 ORDER BY id DESC LIMIT $2`, [before, limit]);
}

export type JournalRow = WithDates<JournalItem, 'at'>;

/** How many contacts a row speaks of: all of its set, or those of them who are in the table `matching`. */
const CONTACTS_OF_ROW = {
  all: '(SELECT sum(upper(r) - lower(r))::float8 FROM unnest(j.contacts) r)',
  matching:
    'CASE WHEN j.contacts IS NOT NULL THEN (SELECT count(*)::float8 FROM matching m WHERE j.contacts @> m.id) END',
};

const JOURNAL_COLUMNS = `j.id::float8 AS id, j.at, j.run_id AS "runId", j.contact_id::float8 AS "contactId", c.address, c.name, c.archived_at IS NOT NULL AS archived, j.subject,
  j.subject_id::float8 AS "subjectId", j.before, j.after, j.actor_kind AS "actorKind", j.actor, j.account_id AS "accountId", j.cause`;

/**
 * Journal rows of one run or one contact or all, newest first, before number `before`. A contact's are found in two
 * indexes, those about them alone and those about a set with them in it. With `matching` only rows that speak of
 * somebody in the table of that name, and of a set as many as are in it.
 */
export async function listJournal(
  sql: Sql,
  filter: { runId?: number; contactId?: number; matching?: boolean },
  before: number,
  limit: number,
): Promise<JournalRow[]> {
  const from =
    filter.contactId === undefined
      ? 'SELECT * FROM journal WHERE $2::bigint IS NULL'
      : `SELECT * FROM journal WHERE contact_id = $2::bigint UNION ALL SELECT * FROM journal WHERE contacts @> $2::bigint`;
  return rowsOf<JournalRow>(
    sql,
    `SELECT ${JOURNAL_COLUMNS}, ${filter.matching ? CONTACTS_OF_ROW.matching : CONTACTS_OF_ROW.all} AS contacts FROM (${from}) j LEFT JOIN contact c ON c.id = coalesce(j.contact_id, $2::bigint)
     WHERE ($1::int IS NULL OR j.run_id = $1) AND j.id < $3${filter.matching ? ` AND (j.contact_id IN (SELECT id FROM matching) OR EXISTS (SELECT FROM matching m WHERE j.contacts @> m.id))` : ''} ORDER BY j.id DESC LIMIT $4`,
    [filter.runId ?? null, filter.contactId ?? null, before, limit],
  );
}

/** Contacts that one journal row speaks of as a set, by id, after contact `after`. */
export async function listSetContacts(
  sql: Sql,
  journalId: number,
  after: number,
  limit: number,
): Promise<MatchingContact[]> {
  return rowsOf<MatchingContact>(
    sql,
    `SELECT c.id::float8 AS id, c.address, c.name, c.archived_at IS NOT NULL AS archived FROM contact c
     WHERE c.id > $2 AND (SELECT contacts FROM journal WHERE id = $1) @> c.id ORDER BY c.id LIMIT $3`,
    [journalId, after, limit],
  );
}
