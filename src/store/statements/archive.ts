import type { Sql } from '../database.ts';
import type { Act } from './journal.ts';

/** Whom an act on many concerns: named by their addresses in normal form, or by where they stand. */
export interface Selection {
  addresses: string[] | null;
  standing: Standing | null;
  /** Those on a reconciled list, or those of ours that are not on it. */
  reconciled: { id: number; on: boolean } | null;
}

/** `unreachable`: not archived, and no campaign of any brand could reach them now. */
export type Standing = 'unreachable' | 'archived';

/**
 * Someone can be reached when they can receive at all and are subscribed, or asked to be, to a list of a brand whose
 * ladder has not put them to sunset and from which they have not opted out.
 */
const REACHABLE = `c.deliverability <> 'undeliverable' AND EXISTS (
  SELECT FROM subscription s JOIN list l ON l.id = s.list_id
  WHERE s.contact_id = c.id AND s.state IN ('subscribed', 'pending')
    AND NOT EXISTS (SELECT FROM contact_stage g WHERE g.contact_id = c.id AND g.brand_id = l.brand_id AND g.stage = 'sunset'))`;

/** CTE `picked (id, archived_at)`: $1 addresses or null, $2 standing or null, $3 a reconciliation or null and $4 whether on it. */
const PICKED = `picked AS (
  SELECT c.id, c.address, c.name, c.archived_at FROM contact c
  WHERE c.erased_at IS NULL AND ($1::text[] IS NULL OR c.address = ANY($1::text[]))
    AND ($3::int IS NULL OR EXISTS (SELECT FROM reconciliation_row r WHERE r.reconciliation_id = $3 AND r.contact_id = c.id) = $4::boolean)
    AND CASE $2::text WHEN 'unreachable' THEN c.archived_at IS NULL AND NOT (${REACHABLE}) WHEN 'archived' THEN c.archived_at IS NOT NULL ELSE true END)`;

function parametersOf({ addresses, standing, reconciled }: Selection): unknown[] {
  return [addresses, standing, reconciled?.id ?? null, reconciled?.on ?? null];
}

export interface SelectionCount {
  contacts: number;
  archived: number;
  sample: { contactId: number; address: string; name: string | null }[];
}

export async function countSelection(sql: Sql, selection: Selection): Promise<SelectionCount> {
  const [row]: SelectionCount[] = await sql.query(
    `WITH ${PICKED}
     SELECT count(*)::int AS contacts, count(archived_at)::int AS archived,
       (SELECT coalesce(json_agg(json_build_object('contactId', s.id, 'address', s.address, 'name', s.name)), '[]') FROM (SELECT * FROM picked ORDER BY id LIMIT 5) s) AS sample
     FROM picked`,
    parametersOf(selection),
  );
  return row!;
}

/** Ids of a selection, in order, after `after`: for acts that go through people one batch at a time. */
export async function listSelection(sql: Sql, selection: Selection, after: number, limit: number): Promise<number[]> {
  const rows: { id: number }[] = await sql.query(
    `WITH ${PICKED} SELECT id::float8 AS id FROM picked WHERE id > $5 ORDER BY id LIMIT $6`,
    [...parametersOf(selection), after, limit],
  );
  return rows.map((row) => row.id);
}

/** Archives a selection and journals it as a set; returns how many. Who is archived already stays as they are. */
export async function archiveContacts(sql: Sql, selection: Selection, reason: string, act: Act): Promise<number> {
  const [row]: { n: number }[] = await sql.query(
    `WITH ${PICKED},
     changed AS (
       UPDATE contact c SET archived_at = now() FROM picked p WHERE c.id = p.id AND c.archived_at IS NULL RETURNING c.id),
     noted AS (
       INSERT INTO journal (run_id, contacts, subject, after, actor_kind, actor, cause)
       SELECT $5::int, range_agg(int8range(id, id, '[]')), 'archive', jsonb_build_object('archivedAt', now()), $6, $7, jsonb_build_object('reason', $8::text)
       FROM changed HAVING count(*) > 0)
     SELECT count(*)::int AS n FROM changed`,
    [...parametersOf(selection), act.runId, act.actorKind, act.actor, reason],
  );
  return row!.n;
}

/** Brings archived contacts of a selection back, as they were; journaled one by one, with when they had been archived. */
export async function restoreContacts(sql: Sql, selection: Selection, reason: string, act: Act): Promise<number> {
  const [row]: { n: number }[] = await sql.query(
    `WITH ${PICKED},
     changed AS (
       UPDATE contact c SET archived_at = NULL FROM picked p WHERE c.id = p.id AND c.archived_at IS NOT NULL RETURNING c.id, p.archived_at),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, before, after, actor_kind, actor, cause)
       SELECT $5::int, id, 'archive', jsonb_build_object('archivedAt', archived_at), NULL, $6, $7, jsonb_build_object('reason', $8::text) FROM changed)
     SELECT count(*)::int AS n FROM changed`,
    [...parametersOf(selection), act.runId, act.actorKind, act.actor, reason],
  );
  return row!.n;
}
