import type { EntryValue } from '../../core/address/suppression-keys.ts';
import { rowsOf, type Sql } from '../sql.ts';

/**
 * How many contacts each of these entries stops, or would: an address with its sub-addresses, a domain, with a leading
 * dot its subdomains too, a SHA-256. Those who are erased are not counted. To be run within overWholeSet.
 */
export async function countStopped(
  sql: Sql,
  entries: EntryValue[],
): Promise<{ all: number; byValue: Map<string, number> }> {
  const [row] = await rowsOf<{ all: number; byValue: Record<string, number> }>(
    sql,
    `WITH given AS (SELECT DISTINCT g.kind, g.value FROM unnest($1::text[], $2::text[]) g (kind, value)),
     domain AS (SELECT DISTINCT split_part(address, '@', 2) AS name FROM contact WHERE EXISTS (SELECT FROM given WHERE kind = 'domain')),
     named AS (
       SELECT g.value, d.name FROM domain d JOIN given g ON g.kind = 'domain'
         AND (d.name = g.value OR (left(g.value, 1) = '.' AND (d.name = substr(g.value, 2) OR right(d.name, length(g.value)) = g.value)))),
     hit AS (
       SELECT g.value, c.id FROM given g JOIN contact c ON c.address = g.value WHERE g.kind = 'address' AND c.erased_at IS NULL
       UNION
       SELECT g.value, c.id FROM contact c JOIN given g ON g.kind = 'address' AND g.value = split_part(c.address, '+', 1) || '@' || split_part(c.address, '@', 2)
       WHERE strpos(c.address, '+') > 1 AND c.erased_at IS NULL
       UNION
       SELECT n.value, c.id FROM named n JOIN contact c ON split_part(c.address, '@', 2) = n.name WHERE c.erased_at IS NULL
       UNION
       SELECT g.value, c.id FROM contact c JOIN given g ON g.kind = 'hash' AND g.value = encode(sha256(convert_to(c.address, 'UTF8')), 'hex')
       WHERE EXISTS (SELECT FROM given WHERE kind = 'hash') AND c.erased_at IS NULL)
     SELECT (SELECT count(DISTINCT id)::int FROM hit) AS "all",
       (SELECT coalesce(json_object_agg(value, n), '{}') FROM (SELECT value, count(*) AS n FROM hit GROUP BY value) b) AS "byValue"`,
    [entries.map(({ kind }) => kind), entries.map(({ value }) => value)],
  );
  return { all: row!.all, byValue: new Map(Object.entries(row!.byValue)) };
}
