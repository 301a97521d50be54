import type { Reason } from '../../shared/words.ts';
import type { Sql } from '../database.ts';
import { AUDIENCE_OF_LISTS, messageParameters, verdictCtes, type JudgedMessage } from './eligibility.ts';

export interface PreflightRow {
  /** The deciding reason, or null for those who will get the message. */
  reason: Reason | null;
  contacts: number;
  sample: { contactId: number; name: string | null; address: string }[];
}

/** Counts the audience by deciding reason, with three contacts of each. Nothing is written. */
export async function countPreflight(sql: Sql, message: JudgedMessage): Promise<PreflightRow[]> {
  return sql.query(
    `WITH ${verdictCtes(AUDIENCE_OF_LISTS)},
     counted AS (SELECT reasons[1] AS reason, count(*)::int AS contacts, (array_agg(contact_id))[1:3] AS three FROM verdict GROUP BY reasons[1])
     SELECT n.reason, n.contacts,
       (SELECT coalesce(json_agg(json_build_object('contactId', c.id, 'name', c.name, 'address', c.address) ORDER BY c.id), '[]')
        FROM contact c WHERE c.id = ANY(n.three)) AS sample
     FROM counted n`,
    messageParameters(message),
  );
}

/** Counts those who will get the message by receiving domain, largest first, with the domain's bounce rate of 30 days. */
export async function countPreflightDomains(
  sql: Sql,
  message: JudgedMessage,
  most: number,
): Promise<{ domain: string; contacts: number; accepted: number; bounced: number }[]> {
  return sql.query(
    `WITH ${verdictCtes(AUDIENCE_OF_LISTS)},
     top AS (SELECT split_part(address, '@', 2) AS domain, count(*)::int AS contacts FROM verdict WHERE reasons = '{}' GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT $6),
     recent AS (
       SELECT split_part(d.address, '@', 2) AS domain, count(*)::int AS accepted, count(d.bounced)::int AS bounced
       FROM delivery d JOIN campaign k ON k.id = d.campaign_id
       WHERE k.brand_id = $2::int AND d.state = 'accepted' AND d.accepted_at > now() - interval '30 days' GROUP BY 1)
     SELECT t.domain, t.contacts, coalesce(r.accepted, 0) AS accepted, coalesce(r.bounced, 0) AS bounced
     FROM top t LEFT JOIN recent r USING (domain) ORDER BY t.contacts DESC, t.domain`,
    [...messageParameters(message), most],
  );
}

export interface JudgedContact {
  contactId: number;
  address: string;
  name: string | null;
  reasons: Reason[];
}

/** Lists contacts of the audience whose deciding reason is `reason` (null: those who will get it), by contact number after `after`. */
export async function listPreflight(
  sql: Sql,
  message: JudgedMessage,
  reason: Reason | null,
  after: number,
  limit: number,
): Promise<JudgedContact[]> {
  return sql.query(
    `WITH ${verdictCtes(AUDIENCE_OF_LISTS)}
     SELECT v.contact_id::int AS "contactId", v.address, c.name, v.reasons
     FROM verdict v JOIN contact c ON c.id = v.contact_id
     WHERE v.reasons[1] IS NOT DISTINCT FROM $6::text AND v.contact_id > $7
     ORDER BY v.contact_id LIMIT $8`,
    [...messageParameters(message), reason, after, limit],
  );
}
