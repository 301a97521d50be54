import { IN_SPITE_OF, type InSpiteOf, type Reason } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import { cappedBySql, type CappedByRow } from './capped.ts';
import {
  DECIDING_SQL,
  findWhatApplies,
  judgeAudienceCtes,
  messageParameters,
  REASONS_SQL,
  waveSql,
  type JudgedMessage,
} from './eligibility.ts';

export interface PreflightRow {
  /** The deciding reason, or null for those who will get the message. */
  reason: Reason | null;
  /** Of those who are left out: by which thing, its place in the message's order from 1. */
  by: number | null;
  contacts: number;
  sample: { contactId: number; name: string | null; address: string }[];
}

export interface DomainRow {
  domain: string;
  contacts: number;
  accepted: number;
  bounced: number;
}

/** What a preflight counts. */
export interface CountedPreflight {
  rows: PreflightRow[];
  domains: DomainRow[];
  waves: { wave: number; willGet: number; heldBack: number }[];
}

/**
 * Counts the audience by deciding reason, with three contacts of each, and those who will get it by receiving domain,
 * largest first, with the domain's bounces of 30 days. Nothing is written. The audience is gone through once: counting
 * reasons and domains apart took it through all joins twice.
 */
export async function countPreflight(sql: Sql, message: JudgedMessage, mostDomains: number): Promise<CountedPreflight> {
  const { join, wave } = waveSql(message.waves);
  const [answer] = await rowsOf<CountedPreflight>(
    sql,
    `WITH ${judgeAudienceCtes(message, await findWhatApplies(sql, message))},
     counted AS MATERIALIZED (
       SELECT reason, by, domain, wave, count(*)::int AS contacts, min(contact_id) AS low, max(contact_id) AS high
       FROM (SELECT contact_id, reason, CASE WHEN reason = 'left-out' THEN by END AS by, domain, wave
         FROM (SELECT j.contact_id, ${DECIDING_SQL} AS reason, j.left_out_by AS by, split_part(j.address, '@', 2) AS domain, ${wave} AS wave FROM judged j ${join}) j) d
       GROUP BY reason, by, domain, wave),
     by_reason AS (
       SELECT reason, by, sum(contacts)::int AS contacts, (array_agg(low) || array_agg(high)) AS some FROM counted GROUP BY reason, by),
     top AS (SELECT domain, sum(contacts)::int AS contacts FROM counted WHERE reason IS NULL GROUP BY domain ORDER BY contacts DESC, domain LIMIT $6),
     recent AS (
       SELECT one AS domain, coalesce(sum(n) FILTER (WHERE figure = 'accepted'), 0)::int AS accepted, coalesce(sum(n) FILTER (WHERE figure = 'bounced any'), 0)::int AS bounced
       FROM day_figure WHERE brand_id = $2::int AND counted_by = 'domain' AND day > current_date - 30 GROUP BY 1)
     SELECT
       (SELECT coalesce(json_agg(json_build_object('reason', n.reason, 'by', n.by, 'contacts', n.contacts, 'sample', (
          SELECT coalesce(json_agg(json_build_object('contactId', c.id, 'name', c.name, 'address', c.address) ORDER BY c.id), '[]')
          FROM contact c WHERE c.id = ANY (ARRAY(SELECT DISTINCT u FROM unnest(n.some) u ORDER BY u LIMIT 3)))) ORDER BY n.by), '[]') FROM by_reason n) AS rows,
       (SELECT coalesce(json_agg(json_build_object('domain', t.domain, 'contacts', t.contacts, 'accepted', coalesce(r.accepted, 0), 'bounced', coalesce(r.bounced, 0))
          ORDER BY t.contacts DESC, t.domain), '[]') FROM top t LEFT JOIN recent r USING (domain)) AS domains,
       (SELECT coalesce(json_agg(json_build_object('wave', w.wave, 'willGet', w.will_get, 'heldBack', w.held_back) ORDER BY w.wave), '[]')
        FROM (SELECT wave, coalesce(sum(contacts) FILTER (WHERE reason IS NULL), 0)::int AS will_get, coalesce(sum(contacts) FILTER (WHERE reason IS NOT NULL), 0)::int AS held_back FROM counted GROUP BY wave) w) AS waves`,
    [...messageParameters(message), mostDomains],
  );
  return answer!;
}

/**
 * Of those whom a service message will reach, those whom a marketing message would not, by each of these reasons, with
 * three contacts of each; one contact may have several. Within a transaction of overWholeSet.
 */
export async function countReachedInSpite(
  sql: Sql,
  message: JudgedMessage,
): Promise<{ contacts: number; rows: Omit<PreflightRow, 'by'>[] }> {
  const { ctes, parameters } = await sparedCtes(sql, message);
  const rows = await rowsOf<Omit<PreflightRow, 'by'>>(
    sql,
    `WITH ${ctes},
     counted AS (
       SELECT reason, count(*)::int AS contacts, (array_agg(contact_id ORDER BY contact_id))[1:3] AS some FROM spared GROUP BY 1
       UNION ALL SELECT NULL, count(DISTINCT contact_id)::int, '{}' FROM spared)
     SELECT n.reason, n.contacts, (
       SELECT coalesce(json_agg(json_build_object('contactId', c.id, 'name', c.name, 'address', c.address) ORDER BY c.id), '[]')
       FROM contact c WHERE c.id = ANY (n.some)) AS sample FROM counted n ORDER BY array_position($6::text[], n.reason)`,
    parameters,
  );
  return {
    contacts: rows.find(({ reason }) => reason === null)!.contacts,
    rows: rows.filter(({ reason }) => reason !== null),
  };
}

/** Lists whom a service message reaches in spite of one reason, by contact number after `after`. */
export async function listReachedInSpite(
  sql: Sql,
  message: JudgedMessage,
  reason: InSpiteOf,
  after: number,
  limit: number,
): Promise<JudgedContact[]> {
  const { ctes, parameters } = await sparedCtes(sql, message);
  return rowsOf<JudgedContact>(
    sql,
    `WITH ${ctes}
     SELECT s.contact_id::float8 AS "contactId", c.address, c.name, s.reasons, NULL::int AS "leftOutBy", NULL AS "cappedBy"
     FROM spared s JOIN contact c ON c.id = s.contact_id WHERE s.reason = $7 AND s.contact_id > $8 ORDER BY 1 LIMIT $9`,
    [...parameters, reason, after, limit],
  );
}

/**
 * CTEs that end in `spared`: whom a service message will reach although a marketing message would not, a row for each
 * such reason. Within a transaction of overWholeSet.
 */
async function sparedCtes(sql: Sql, message: JudgedMessage): Promise<{ ctes: string; parameters: unknown[] }> {
  await execute(
    sql,
    `CREATE TEMP TABLE reached ON COMMIT DROP AS WITH ${judgeAudienceCtes(message, await findWhatApplies(sql, message))}
     SELECT j.contact_id FROM judged j WHERE (${DECIDING_SQL}) IS NULL`,
    messageParameters(message),
  );
  const asMarketing: JudgedMessage = { ...message, purpose: 'marketing' };
  return {
    ctes: `${judgeAudienceCtes(asMarketing, await findWhatApplies(sql, asMarketing))},
     spared AS (
       SELECT r.reason, j.contact_id, j.reasons
       FROM (SELECT j.contact_id, ${REASONS_SQL} AS reasons FROM judged j JOIN reached USING (contact_id)) j
       CROSS JOIN LATERAL unnest(j.reasons) r (reason) WHERE r.reason = ANY($6::text[]))`,
    parameters: [...messageParameters(asMarketing), [...IN_SPITE_OF]],
  };
}

export interface JudgedContact {
  contactId: number;
  address: string;
  name: string | null;
  reasons: Reason[];
  /** What leaves them out, its place in the message's order from 1. */
  leftOutBy: number | null;
  /** Where a cap is among the reasons. */
  cappedBy: CappedByRow | null;
}

/**
 * Lists contacts of the audience whose deciding reason is `reason` (null: those who will get it), and if `by` is given
 * those whom that thing leaves out, by contact number after `after`.
 */
export async function listPreflight(
  sql: Sql,
  message: JudgedMessage,
  reason: Reason | null,
  after: number,
  limit: number,
  by: number | null = null,
): Promise<JudgedContact[]> {
  return rowsOf<JudgedContact>(
    sql,
    `WITH ${judgeAudienceCtes(message, await findWhatApplies(sql, message))}
     SELECT p.*, CASE WHEN 'capped' = ANY (p.reasons) THEN ${cappedBySql('p."contactId"::bigint')} END AS "cappedBy" FROM (
       SELECT j.contact_id::float8 AS "contactId", j.address, c.name, ${REASONS_SQL} AS reasons, j.left_out_by AS "leftOutBy"
       FROM judged j JOIN contact c ON c.id = j.contact_id
       WHERE (${DECIDING_SQL}) IS NOT DISTINCT FROM $6::text AND j.contact_id > $7 AND ($9::int IS NULL OR j.left_out_by = $9)
       ORDER BY j.contact_id LIMIT $8) p ORDER BY 1`,
    [...messageParameters(message), reason, after, limit, by],
  );
}
