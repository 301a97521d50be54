import type { OutsideEvent } from '../../shared/contract/events.ts';
import { changedBy, rowsOf, type Sql } from '../sql.ts';

export interface AsideRow {
  id: number;
  address: string;
  keptAt: Date;
  /** The event as it came. */
  body: OutsideEvent;
}

/** Keeps events aside, each once. Returns how many of them are new. */
export async function keepEventsAside(
  sql: Sql,
  events: { id: string; address: string; body: unknown }[],
): Promise<number> {
  const rows = await rowsOf(
    sql,
    `INSERT INTO event_aside (event_id, address, body)
     SELECT r.id, r.address, r.body FROM json_to_recordset($1::json) AS r(id uuid, address text, body jsonb) ORDER BY r.id
     ON CONFLICT (event_id) DO NOTHING RETURNING id`,
    [JSON.stringify(events)],
  );
  return rows.length;
}

/** Events that wait, or with `known` those of them whose address is a contact by now, by number after `after`. */
export async function listEventsAside(
  sql: Sql,
  filter: { address: string | null; known: boolean },
  after: number,
  limit: number,
): Promise<AsideRow[]> {
  return rowsOf<AsideRow>(
    sql,
    `SELECT a.id::float8 AS id, a.address, a.kept_at AS "keptAt", a.body FROM event_aside a
     WHERE a.id > $3 AND ($1::text IS NULL OR a.address = $1) AND (NOT $2::boolean OR EXISTS (SELECT FROM contact c WHERE c.address = a.address))
     ORDER BY a.id LIMIT $4`,
    [filter.address, filter.known, after, limit],
  );
}

/** Drops events by number, or all that wait for an address. Returns how many. */
export async function dropEventsAside(
  sql: Sql,
  which: { ids: number[] } | { address: string | null },
): Promise<number> {
  return 'ids' in which
    ? changedBy(sql, `DELETE FROM event_aside WHERE id = ANY($1::bigint[])`, [which.ids])
    : changedBy(sql, `DELETE FROM event_aside WHERE $1::text IS NULL OR address = $1`, [which.address]);
}
