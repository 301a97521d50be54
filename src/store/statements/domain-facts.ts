import type { Exchange } from '../../core/address/check-address.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** Answers of the domain name system that still hold. */
export async function findExchanges(sql: Sql, domains: string[], now: Date): Promise<Map<string, Exchange>> {
  const rows = await rowsOf<{ domain: string; exchange: Exchange }>(
    sql,
    `SELECT domain, exchange FROM domain_answer WHERE domain = ANY($1::text[]) AND expires_at > $2`,
    [domains, now],
  );
  return new Map(rows.map((row) => [row.domain, row.exchange]));
}

/** Keeps what the resolver said of domains, each until its lifetime is over. */
export async function saveExchanges(
  sql: Sql,
  answers: { domain: string; exchange: Exchange; expiresAt: Date }[],
  now: Date,
): Promise<void> {
  await execute(
    sql,
    `INSERT INTO domain_answer (domain, exchange, asked_at, expires_at)
     SELECT r.domain, r.exchange, $2, r."expiresAt" FROM json_to_recordset($1::json) AS r(domain text, exchange text, "expiresAt" timestamptz) ORDER BY 1
     ON CONFLICT (domain) DO UPDATE SET exchange = excluded.exchange, asked_at = excluded.asked_at, expires_at = excluded.expires_at`,
    [JSON.stringify(answers), now],
  );
}

export interface RefusedValue {
  value: string;
  reason: string;
  actor: string;
  enteredAt: Date;
}

/** Which of these addresses and domain entries stand on the refuse-list. */
export async function findRefused(sql: Sql, values: string[]): Promise<Map<string, string>> {
  const rows = await rowsOf<{ value: string; reason: string }>(
    sql,
    'SELECT value, reason FROM refused_value WHERE value = ANY($1::text[])',
    [values],
  );
  return new Map(rows.map((row) => [row.value, row.reason]));
}

/** Whether single addresses stand on the refuse-list at all: if none do, no row needs to be held against it. */
export async function anyAddressRefused(sql: Sql): Promise<boolean> {
  const [row] = await rowsOf<{ any: boolean }>(
    sql,
    `SELECT EXISTS (SELECT FROM refused_value WHERE strpos(value, '@') > 0) AS any`,
  );
  return row!.any;
}

/** The refuse-list, in order of value, after `after`. */
export async function listRefused(sql: Sql, part: string, after: string, limit: number): Promise<RefusedValue[]> {
  return rowsOf<RefusedValue>(
    sql,
    `SELECT value, reason, actor, entered_at AS "enteredAt" FROM refused_value
     WHERE value > $2 AND strpos(value, $1) > 0 ORDER BY value LIMIT $3`,
    [part.toLowerCase(), after, limit],
  );
}

/** Puts values on the refuse-list; those that stand on it stay as they are. Returns how many are new. */
export async function addRefused(sql: Sql, values: string[], reason: string, actor: string): Promise<number> {
  const rows = await rowsOf(
    sql,
    `INSERT INTO refused_value (value, reason, actor) SELECT v, $2, $3 FROM unnest($1::text[]) v ORDER BY 1
     ON CONFLICT (value) DO NOTHING RETURNING value`,
    [values, reason, actor],
  );
  return rows.length;
}

/** Takes values off the refuse-list; returns how many stood on it. */
export async function removeRefused(sql: Sql, values: string[]): Promise<number> {
  const affected = await changedBy(sql, 'DELETE FROM refused_value WHERE value = ANY($1::text[])', [values]);
  return affected;
}

/** How many contacts these values would have refused, of how many. To be run within overWholeSet. */
export async function countRefused(
  sql: Sql,
  addresses: string[],
  domains: string[],
): Promise<{ refused: number; contacts: number }> {
  const [row] = await rowsOf<{ refused: number; contacts: number }>(
    sql,
    `WITH at AS (SELECT split_part(address, '@', 2) AS domain, count(*) AS n FROM contact WHERE erased_at IS NULL GROUP BY 1)
     SELECT (coalesce((SELECT sum(n) FROM at WHERE EXISTS (
         SELECT FROM unnest($2::text[]) v WHERE at.domain = ltrim(v, '.') OR (left(v, 1) = '.' AND right(at.domain, length(v)) = v))), 0)
       + (SELECT count(*) FROM contact WHERE address = ANY($1::text[])))::int AS refused, coalesce((SELECT sum(n) FROM at), 0)::int AS contacts`,
    [addresses, domains],
  );
  return row!;
}
