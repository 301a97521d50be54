import type { DomainStanding } from '../../core/address/look-alike.ts';
import { rowsOf, type Sql } from '../sql.ts';

/**
 * How every receiving domain has done: its contacts, messages accepted, and those that did not come back. To be run
 * within overWholeSet.
 */
export async function listDomainStandings(sql: Sql): Promise<DomainStanding[]> {
  return rowsOf<DomainStanding>(
    sql,
    `SELECT split_part(c.address, '@', 2) AS domain, count(*)::int AS contacts, coalesce(sum(a.sent), 0)::int AS accepted,
       coalesce(sum(greatest(a.sent - a.bounced, 0)), 0)::int AS delivered
     FROM contact c
     LEFT JOIN (SELECT contact_id, sum(sent) AS sent, sum(bounced_hard + bounced_soft + bounced_block) AS bounced FROM activity GROUP BY contact_id) a ON a.contact_id = c.id
     WHERE c.erased_at IS NULL AND c.merged_into IS NULL GROUP BY 1`,
  );
}
