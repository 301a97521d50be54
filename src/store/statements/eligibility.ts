import { REASON_OF_LIST } from '../../core/eligibility/decide-verdict.ts';
import { REASONS, type Purpose } from '../../shared/words.ts';

/** The message whose recipients are judged. */
export interface JudgedMessage {
  campaignId: number;
  brandId: number;
  purpose: Purpose;
  listIds: number[];
  leftOutListIds: number[];
}

/** Parameters $1 to $5 of every statement built on `verdictCtes`. */
export function messageParameters(message: JudgedMessage): unknown[] {
  return [message.campaignId, message.brandId, message.purpose, message.listIds, message.leftOutListIds];
}

/** Contacts with a subscription, in any state, on a list that the campaign takes in. */
export const AUDIENCE_OF_LISTS = `
  SELECT s.contact_id,
         coalesce(array_agg(s.list_id ORDER BY s.list_id) FILTER (WHERE s.state = 'subscribed'), '{}') AS list_ids,
         bool_or(s.state = 'pending') AS pending,
         true AS any_row
  FROM subscription s WHERE s.list_id = ANY($4::int[]) GROUP BY s.contact_id`;

/** The same for contacts named by a preceding CTE `picked (contact_id)`: what the gate judges. */
export const AUDIENCE_OF_PICKED = `
  SELECT p.contact_id, coalesce(s.list_ids, '{}') AS list_ids, coalesce(s.pending, false) AS pending, s.list_ids IS NOT NULL AS any_row
  FROM picked p LEFT JOIN LATERAL (
    SELECT coalesce(array_agg(s.list_id ORDER BY s.list_id) FILTER (WHERE s.state = 'subscribed'), '{}') AS list_ids,
           bool_or(s.state = 'pending') AS pending
    FROM subscription s WHERE s.contact_id = p.contact_id AND s.list_id = ANY($4::int[]) HAVING count(*) > 0
  ) s ON true`;

const REASON_CASE = Object.entries(REASON_OF_LIST)
  .map(([builtIn, reason]) => `WHEN '${builtIn}' THEN '${reason}'`)
  .join(' ');

const IN_EFFECT = `e.lifted_at IS NULL AND (e.expires_at IS NULL OR e.expires_at > now())`;

/**
 * CTEs that end in `verdict (contact_id, address, list_ids, reasons)`: every reason that holds a contact back from the
 * message, in the order in which they decide; no reason means eligible. The twin of core/eligibility/decide-verdict on
 * sets; a differential test holds the two together.
 *
 * Entries are matched by four joins on suppression_entry_in_effect_key (value): exact address, address without its
 * sub-address, domain and its parents, hash; the few that are no addresses have suppression_entry_special. The domain and hash joins build on the entries' side, so that they cost
 * nothing where there are no such entries. One join with OR over all four keys was tried: it scans entries per contact.
 * `entry` is not materialized, or the look-ups of a few contacts could not use its index. Over whole audiences these
 * statements run within overWholeSet.
 */
export function verdictCtes(audience: string): string {
  const stopsAll = `l.reach = 'everything'`;
  return `
  audience AS (${audience}),
  applicable AS (
    SELECT l.id, l.exact, l.scope, l.scope_id,
           CASE coalesce(l.built_in, '') ${REASON_CASE} ELSE 'suppressed' END AS reason
    FROM suppression_list l
    WHERE ($3::text = 'marketing' OR ${stopsAll})
      AND (l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = $2::int) OR (l.scope = 'list' AND l.scope_id = ANY($4::int[])))
  ),
  entry AS NOT MATERIALIZED (
    SELECT e.value, e.kind, l.exact, l.scope, l.scope_id, l.reason
    FROM suppression_entry e JOIN applicable l ON l.id = e.list_id WHERE ${IN_EFFECT}
  ),
  person AS (
    SELECT a.contact_id, c.address, a.list_ids, a.pending, a.any_row, c.archived_at, c.erased_at, c.deliverability
    FROM audience a JOIN contact c ON c.id = a.contact_id
  ),
  hit AS (
    SELECT p.contact_id, p.list_ids, e.reason, e.scope, e.scope_id FROM person p JOIN entry e ON e.kind = 'address' AND e.value = p.address
    UNION ALL
    SELECT p.contact_id, p.list_ids, e.reason, e.scope, e.scope_id
    FROM person p JOIN entry e ON e.kind = 'address' AND NOT e.exact AND e.value = ${baseAddressSql('p.address')}
    WHERE p.address LIKE '_%+%@%'
    UNION ALL
    SELECT p.contact_id, p.list_ids, e.reason, e.scope, e.scope_id
    FROM person p JOIN entry e ON e.kind = 'hash' AND e.value = encode(sha256(convert_to(p.address, 'UTF8')), 'hex')
    UNION ALL
    SELECT p.contact_id, p.list_ids, e.reason, e.scope, e.scope_id
    FROM person p JOIN (
      SELECT DISTINCT d.domain, e.reason, e.scope, e.scope_id
      FROM (SELECT * FROM entry WHERE kind = 'domain') e
      JOIN (SELECT DISTINCT split_part(address, '@', 2) AS domain FROM person WHERE EXISTS (SELECT FROM entry WHERE kind = 'domain')) d
        ON d.domain = ltrim(e.value, '.') OR (left(e.value, 1) = '.' AND right(d.domain, length(e.value)) = e.value)
    ) e ON e.domain = split_part(p.address, '@', 2)
  ),
  held AS (
    SELECT contact_id, array_agg(DISTINCT reason) AS reasons FROM hit
    -- an entry of list scope stops only messages that come to the contact from that list and no other
    WHERE scope <> 'list' OR list_ids <@ ARRAY[scope_id]
    GROUP BY contact_id
  ),
  left_out AS (
    SELECT DISTINCT s.contact_id FROM subscription s JOIN audience a ON a.contact_id = s.contact_id
    WHERE s.list_id = ANY($5::int[]) AND s.state = 'subscribed'),
  verdict AS (
    SELECT p.contact_id, p.address, p.list_ids,
      array_remove(ARRAY[${REASONS.map((reason) => `CASE WHEN ${REASON_TESTS[reason]} THEN '${reason}' END`).join(',\n        ')}], NULL) AS reasons
    FROM person p
    LEFT JOIN held h ON h.contact_id = p.contact_id
    LEFT JOIN left_out o ON o.contact_id = p.contact_id
    LEFT JOIN delivery d ON d.campaign_id = $1::int AND d.contact_id = p.contact_id AND d.state IN ('accepted', 'refused', 'uncertain')
  )`;
}

const marketing = `$3::text = 'marketing'`;
const entered = (reason: string): string => `'${reason}' = ANY(h.reasons)`;

/** When each reason applies, over the joins of `verdict`. `machine` and `capped` have no source yet. */
const REASON_TESTS: Readonly<Record<(typeof REASONS)[number], string>> = {
  erased: `p.erased_at IS NOT NULL OR ${entered('erased')}`,
  archived: `p.archived_at IS NOT NULL`,
  undeliverable: `p.deliverability = 'undeliverable' OR ${entered('undeliverable')}`,
  suppressed: entered('suppressed'),
  complained: entered('complained'),
  unsubscribed: `${entered('unsubscribed')} OR (${marketing} AND p.any_row AND NOT p.pending AND p.list_ids = '{}')`,
  unconfirmed: `${marketing} AND p.pending AND p.list_ids = '{}'`,
  'no-permission': `${marketing} AND NOT p.any_row`,
  sunset: entered('sunset'),
  machine: 'false',
  'left-out': 'o.contact_id IS NOT NULL',
  capped: 'false',
  duplicate: 'd.contact_id IS NOT NULL',
};

/** The address without its sub-address, as SQL over an expression; core/address/suppression-keys has the twin. */
export function baseAddressSql(expression: string): string {
  return `(split_part(${expression}, '+', 1) || '@' || split_part(${expression}, '@', 2))`;
}
