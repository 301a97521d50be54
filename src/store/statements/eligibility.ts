/**
 * Who may get a message, and why not, as SQL over sets: the one definition beside core/eligibility/decide-verdict,
 * which judges a single contact and is held to it by a test. All of it is CTEs that end in `judged`, over which
 * REASONS_SQL and DECIDING_SQL say the verdict. They differ in whom they judge, and in how the entries that match are
 * found:
 *
 *   whom                          | asked by                             | from                  | entries are found
 *   ------------------------------+--------------------------------------+-----------------------+------------------
 *   audience of one list          | preflight, ledger: judgeAudienceCtes | AUDIENCE_OF_ONE_LIST  | by value *
 *   audience of several lists     | the same                             | AUDIENCE_OF_LISTS     | by value *
 *   audience with segments        | the same                             | AUDIENCE_OF_SEGMENTS  | by value *
 *   whoever a brand may write to  | conditions, acts: judgeMailableCtes  | WHOEVER_IS_SUBSCRIBED | by value *
 *   contacts named one by one     | both gates, an address's verdict,    | AUDIENCE_OF_PICKED    | by contact
 *                                 | conditions of few: JUDGE_PICKED_CTES |                       |
 *
 *   by value (matchedByValue): entries are put together first and joined as the audience passes.
 *   by contact (matchedByContact): each contact's entries are looked up by index. * Also where an entry of a list's
 *   scope can apply, which needs to know what else the contact is subscribed to.
 *
 * What no message of the kind can meet is left out of the statement: findWhatApplies.
 */
import { inEffectSql } from '../../core/eligibility/in-effect.ts';
import { REASON_OF_LIST } from '../../core/eligibility/decide-verdict.ts';
import { REASONS, type Purpose, type Reason } from '../../shared/words.ts';
import { rowsOf, type Sql } from '../sql.ts';
import { CAPPED_OF_FEW, cappedOfMany, cappingSql, joinMailed, type CapInEffect } from './capped.ts';

/** The message whose recipients are judged. */
export interface JudgedMessage {
  campaignId: number;
  brandId: number;
  purpose: Purpose;
  listIds: number[];
  /**
   * What leaves people out, in the order in which it decides. A list is asked of by its number; of whatever has 0 here
   * those whom it leaves out stand in a temporary table, by its place in this order, from 1.
   */
  leftOutListIds: number[];
  /** Conditions take people in, or leave them out: the temporary tables `taken_in (id)` and `left_out (id, by)`. */
  bySegments?: { takenIn: boolean; leftOut: boolean };
  /** The parts in which it goes; left out: everybody at once. */
  waves?: JudgedWaves;
}

/** How a contact's wave is found: the first whose condition they meet, or between whose bounds they draw. */
export interface JudgedWaves {
  /** Whoever meets a condition of one stands in the temporary table `in_wave (id, by)`, with its number. */
  byCondition: boolean;
  /** Bounds between 0 and 1. */
  shares: { wave: number; from: number; to: number }[];
  /** The rest. */
  last: number;
}

/**
 * The wave of `judged j`, with what has to be joined. A draw is the same each time for a campaign ($1) and a contact,
 * and independent between campaigns.
 */
export function waveSql(waves: JudgedWaves | undefined): { join: string; wave: string } {
  if (!waves) return { join: '', wave: '1' };
  const { byCondition, shares, last } = waves;
  const draw = `('x' || left(md5('wave ' || $1::int || ' ' || j.contact_id), 8))::bit(32)::bigint / 4294967296.0`;
  const drawn = shares.map(
    ({ wave, from, to }) => `WHEN w.draw >= ${Number(from)} AND w.draw < ${Number(to)} THEN ${Number(wave)}`,
  );
  return {
    join: `${byCondition ? 'LEFT JOIN in_wave iw ON iw.id = j.contact_id' : ''} CROSS JOIN LATERAL (SELECT ${shares.length > 0 ? draw : '0'} AS draw) w`,
    wave: `least(${[...(byCondition ? ['iw.by'] : []), ...(drawn.length > 0 ? [`CASE ${drawn.join(' ')} END`] : []), Number(last)].join(', ')})`,
  };
}

/** Parameters $1 to $5 of every statement built on `judged`. */
export function messageParameters(message: JudgedMessage): unknown[] {
  return [message.campaignId, message.brandId, message.purpose, message.listIds, message.leftOutListIds];
}

/** Contacts with a subscription, in any state, on a list that the campaign takes in. */
const AUDIENCE_OF_LISTS = `
  SELECT s.contact_id,
         coalesce(array_agg(s.list_id ORDER BY s.list_id) FILTER (WHERE s.state = 'subscribed'), '{}') AS list_ids,
         bool_or(s.state = 'subscribed') AS subscribed, bool_or(s.state = 'pending') AS pending, true AS any_row, false AS by_segment
  FROM subscription s WHERE s.list_id = ANY($4::int[]) GROUP BY s.contact_id`;

const LISTS_OF_BRAND = `(SELECT id FROM list WHERE brand_id = $2::int)`;

/** These and whoever a segment takes in: for those, permission rests on any list of the brand. */
const AUDIENCE_OF_SEGMENTS = `
  SELECT s.contact_id,
         coalesce(array_agg(s.list_id ORDER BY s.list_id) FILTER (WHERE s.state = 'subscribed'), '{}') AS list_ids,
         bool_or(s.state = 'subscribed') AS subscribed, bool_or(s.state = 'pending') AS pending, true AS any_row, bool_or(t.id IS NOT NULL) AS by_segment
  FROM subscription s LEFT JOIN taken_in t ON t.id = s.contact_id
  WHERE s.list_id IN ${LISTS_OF_BRAND} AND (t.id IS NOT NULL OR s.list_id = ANY($4::int[])) GROUP BY s.contact_id
  UNION ALL
  SELECT t.id, '{}', false, false, false, true FROM taken_in t
  WHERE t.id NOT IN (SELECT s.contact_id FROM subscription s WHERE s.list_id IN ${LISTS_OF_BRAND})`;

/** The same where there is one list: a contact has one subscription on it, and nothing needs grouping. */
const AUDIENCE_OF_ONE_LIST = `
  SELECT s.contact_id, CASE WHEN s.state = 'subscribed' THEN $4::int[] ELSE '{}' END AS list_ids,
         s.state = 'subscribed' AS subscribed, s.state = 'pending' AS pending, true AS any_row, false AS by_segment
  FROM subscription s WHERE s.list_id = ANY($4::int[])`;

/** The same for contacts named by a preceding CTE `picked (contact_id, by_segment)`: what the gate judges. */
const AUDIENCE_OF_PICKED = `
  SELECT p.contact_id, coalesce(s.list_ids, '{}') AS list_ids, coalesce(s.subscribed, false) AS subscribed, coalesce(s.pending, false) AS pending,
         s.list_ids IS NOT NULL AS any_row, p.by_segment
  FROM picked p LEFT JOIN LATERAL (
    SELECT coalesce(array_agg(s.list_id ORDER BY s.list_id) FILTER (WHERE s.state = 'subscribed'), '{}') AS list_ids,
           bool_or(s.state = 'subscribed') AS subscribed, bool_or(s.state = 'pending') AS pending
    FROM subscription s WHERE s.contact_id = p.contact_id AND (s.list_id = ANY($4::int[]) OR (p.by_segment AND s.list_id IN ${LISTS_OF_BRAND})) HAVING count(*) > 0
  ) s ON true`;

const PEOPLE_OF_AUDIENCE = `
    SELECT a.contact_id, c.address, a.list_ids, a.subscribed, a.pending, a.any_row, a.by_segment, c.archived_at, c.erased_at, c.deliverability
    FROM audience a JOIN contact c ON c.id = a.contact_id`;

/**
 * The same without an audience, for marketing on any of the lists: which of them it is says nothing, and nothing is
 * grouped.
 */
const WHOEVER_IS_SUBSCRIBED = `
    SELECT c.id AS contact_id, c.address, '{}'::int[] AS list_ids, true AS subscribed, false AS pending, true AS any_row, false AS by_segment, c.archived_at, c.erased_at, c.deliverability
    FROM contact c WHERE EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = ANY($4::int[]) AND s.state = 'subscribed')`;

const bitOf = (reason: Reason): number => 1 << REASONS.indexOf(reason);
const BIT_CASE = Object.entries(REASON_OF_LIST)
  .map(([builtIn, reason]) => `WHEN '${builtIn}' THEN ${bitOf(reason)}`)
  .join(' ');

const IN_EFFECT = inEffectSql();

/** What can match at all for a message, seen beforehand: where there is none, its part of the statement is left out. */
export interface WhatApplies {
  /** Entries for domains, and for hashes, are in effect somewhere. */
  domains: boolean;
  hashes: boolean;
  /** Some contact has a sub-address. */
  subAddresses: boolean;
  /** A suppression list has one of the message's lists as its scope. */
  ofLists: boolean;
  /** The campaign has deliveries already. */
  begun: boolean;
  /** Caps on how often somebody gets such a message. */
  caps: CapInEffect[];
}

const EVERYTHING_APPLIES: WhatApplies = {
  domains: true,
  hashes: true,
  subAddresses: true,
  ofLists: true,
  begun: true,
  caps: [],
};

/** Looks beforehand what can match at all for a message, each by index or in a small table. */
export async function findWhatApplies(sql: Sql, message: JudgedMessage): Promise<WhatApplies> {
  const [row] = await rowsOf<WhatApplies>(
    sql,
    `SELECT EXISTS (SELECT FROM suppression_entry WHERE kind = 'domain' AND kind <> 'address' AND lifted_at IS NULL) AS domains,
       EXISTS (SELECT FROM suppression_entry WHERE kind = 'hash' AND kind <> 'address' AND lifted_at IS NULL) AS hashes,
       -- In the order of contact_by_base_address, which holds nobody else: the planner would read through all contacts.
       (SELECT ${baseAddressSql('address')} FROM contact WHERE strpos(address, '+') > 1 ORDER BY 1 LIMIT 1) IS NOT NULL AS "subAddresses",
       EXISTS (SELECT FROM suppression_list WHERE scope = 'list' AND (scope_id = ANY($2::int[]) OR $3::boolean)) AS "ofLists",
       EXISTS (SELECT FROM delivery WHERE campaign_id = $1) AS begun,
       (SELECT coalesce(json_agg(json_build_object('messages', messages, 'days', days, 'ofAllBrands', brand_id IS NULL)), '[]') FROM (${cappingSql('$1', '$4', '$5')}) c) AS caps`,
    [message.campaignId, message.listIds, message.bySegments?.takenIn ?? false, message.brandId, message.purpose],
  );
  return row!;
}

/** CTEs that end in `judged` for the whole audience of a message. To be run within overWholeSet. */
export function judgeAudienceCtes(message: JudgedMessage, applies: WhatApplies): string {
  const { bySegments } = message;
  const ofLists = message.listIds.length === 1 ? AUDIENCE_OF_ONE_LIST : AUDIENCE_OF_LISTS;
  return judgeCtes(bySegments?.takenIn ? AUDIENCE_OF_SEGMENTS : ofLists, applies, {
    lists: message.leftOutListIds.some((id) => id > 0),
    segments: bySegments?.leftOut ?? false,
  });
}

/**
 * CTEs that end in `judged` for whoever might be mailed on any list, and nobody else. Where an entry of a list's scope
 * can apply, each contact's lists have to be known after all. To be run within overWholeSet.
 */
export function judgeMailableCtes(message: JudgedMessage, applies: WhatApplies): string {
  return applies.ofLists
    ? judgeAudienceCtes(message, applies)
    : judgeCtes(null, applies, { lists: false, segments: false });
}

/**
 * CTEs that end in `judged`: for each contact what REASONS_SQL and DECIDING_SQL read. The twin of
 * core/eligibility/decide-verdict on sets; a differential test holds the two together. $1 to $5 as messageParameters.
 *  Entries are matched by joins on suppression_entry_in_effect_key (value): exact address, address without its
 * sub-address, domain and its parents, hash; the few that are no addresses have suppression_entry_special. One join
 * with OR over all four keys was tried: it scans entries per contact. What an entry says is one bit of its reason's
 * place, so that a contact's entries are put together without sorting. `entry` is not materialized, or the look-ups of
 * a few contacts could not use its index; nor is `person` for a whole audience, or no plan over it could run in
 * parallel.
 */
function judgeCtes(
  audience: string | null,
  applies: WhatApplies,
  leavesOut: { lists: boolean; segments: boolean },
): string {
  const few = audience === AUDIENCE_OF_PICKED;
  const matched = few || applies.ofLists ? matchedByContact(applies, few) : matchedByValue(applies);
  const leftOutBy = [...(leavesOut.lists ? ['o.by'] : []), ...(leavesOut.segments ? ['x.by'] : [])];
  const leftOut = few ? LEFT_OUT_OF_FEW : leftOutBy.length > 0 ? `least(${leftOutBy.join(', ')})` : 'NULL::int';
  return `
  parameters AS (SELECT $1::int, $2::int, $3::text, $4::int[], $5::int[]),
  ${audience === null ? '' : `audience AS (${audience}),`}
  applicable AS (
    SELECT l.id, l.exact, CASE WHEN l.scope = 'list' THEN l.scope_id END AS list_scope,
           CASE coalesce(l.built_in, '') ${BIT_CASE} ELSE ${bitOf('suppressed')} END AS bit
    FROM suppression_list l
    WHERE ($3::text = 'marketing' OR l.reach = 'everything')
      AND (l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = $2::int) OR (l.scope = 'list' AND ${few || audience === AUDIENCE_OF_SEGMENTS ? `l.scope_id IN ${LISTS_OF_BRAND}` : 'l.scope_id = ANY($4::int[])'}))
  ),
  entry AS NOT MATERIALIZED (
    SELECT e.value, e.kind, l.exact, l.list_scope, l.bit FROM suppression_entry e JOIN applicable l ON l.id = e.list_id WHERE ${IN_EFFECT}
  ),
  person AS ${few ? 'MATERIALIZED' : 'NOT MATERIALIZED'} (
    ${audience === null ? WHOEVER_IS_SUBSCRIBED : PEOPLE_OF_AUDIENCE}
  ),
  capping AS MATERIALIZED (${cappingSql('$1', '$2', '$3')}),
  ${matched.ctes}
  judged AS (
    SELECT p.*, ${matched.bits} AS bits, (${leftOut}) AS left_out_by, ${few ? CAPPED_OF_FEW : cappedOfMany(applies.caps)} AS capped, ${applies.begun ? 'd.contact_id IS NOT NULL' : 'false'} AS has_it
    FROM person p
    ${matched.joins}
    ${leavesOut.lists && !few ? LEFT_OUT_JOIN : ''}
    ${leavesOut.segments ? 'LEFT JOIN (SELECT id, min(by) AS by FROM left_out GROUP BY id) x ON x.id = p.contact_id' : ''}
    ${few ? '' : joinMailed(applies.caps)}
    ${few ? HAS_IT_OF_FEW : applies.begun ? HAS_IT_JOIN : ''}
  )`;
}

/** How the entries that match a contact come to `judged`: CTEs before it, joins to `person p`, and their bits. */
interface Matched {
  ctes: string;
  joins: string;
  bits: string;
}

const DOMAIN_OF_PERSON = `split_part(p.address, '@', 2)`;
const HASH_OF_PERSON = `encode(sha256(convert_to(p.address, 'UTF8')), 'hex')`;

/**
 * Entries found contact by contact: for few contacts, and where an entry of a list's scope needs to know what else the
 * contact is subscribed to.
 */
function matchedByContact(applies: WhatApplies, few: boolean): Matched {
  const hit = (join: string): string =>
    `SELECT p.contact_id, e.bit FROM person p JOIN ${join} AND (e.list_scope IS NULL OR (p.list_ids <@ ARRAY[e.list_scope] AND (p.by_segment OR e.list_scope = ANY($4::int[]))))`;
  // Of a few contacts the entries come first, then their lists: the other way round each list asks for each contact.
  const entryOf = (kind: string, value: string): string =>
    few
      ? `LATERAL (SELECT l.exact, l.list_scope, l.bit FROM suppression_entry e JOIN applicable l ON l.id = e.list_id WHERE e.kind = '${kind}'${kind === 'address' ? '' : ` AND e.kind <> 'address'`} AND e.value = ${value} AND ${IN_EFFECT} OFFSET 0) e ON true`
      : `entry e ON e.kind = '${kind}' AND e.value = ${value}`;
  const hits = [
    hit(entryOf('address', 'p.address')),
    hit(`${entryOf('address', baseAddressSql('p.address'))} AND strpos(p.address, '+') > 1 AND NOT e.exact`),
    ...(applies.hashes ? [hit(entryOf('hash', HASH_OF_PERSON))] : []),
    ...(applies.domains && !few ? [hit(`stopped_domain e ON e.domain = ${DOMAIN_OF_PERSON}`)] : []),
    ...(applies.domains && few ? [hit(entryOf('domain', `ANY(ARRAY(${domainKeysSql('p.address')}))`))] : []),
  ];
  return {
    ctes: `${few || !applies.domains ? '' : stoppedDomainCte('person')}
  hit AS (${hits.join('\n    UNION ALL ')}),
  held AS (SELECT contact_id, bit_or(bit) AS bits FROM hit GROUP BY contact_id),`,
    joins: 'LEFT JOIN held h ON h.contact_id = p.contact_id',
    bits: 'h.bits',
  };
}

/**
 * Entries put together by value first and then joined to the whole audience as it passes: joining them to contacts
 * beforehand went through all contacts once more, and what is joined as a set of contacts cannot be joined in parallel.
 */
function matchedByValue(applies: WhatApplies): Matched {
  const joins = [
    `LEFT JOIN by_value v ON v.value = p.address`,
    ...(applies.subAddresses
      ? [
          `LEFT JOIN by_base b ON b.value = CASE WHEN strpos(p.address, '+') > 1 THEN ${baseAddressSql('p.address')} END`,
        ]
      : []),
    ...(applies.hashes ? [`LEFT JOIN by_hash y ON y.value = ${HASH_OF_PERSON}`] : []),
    ...(applies.domains ? [`LEFT JOIN by_domain m ON m.domain = ${DOMAIN_OF_PERSON}`] : []),
  ];
  const bits = [
    'v.bits',
    ...(applies.subAddresses ? ['b.bits'] : []),
    ...(applies.hashes ? ['y.bits'] : []),
    ...(applies.domains ? ['m.bits'] : []),
  ];
  return {
    ctes: `${applies.domains ? `${stoppedDomainCte('(SELECT address FROM contact)')} by_domain AS (SELECT domain, bit_or(bit) AS bits FROM stopped_domain GROUP BY domain),` : ''}
  by_value AS (SELECT value, bit_or(bit) AS bits FROM entry WHERE kind = 'address' GROUP BY value),
  by_base AS (SELECT value, bit_or(bit) AS bits FROM entry WHERE kind = 'address' AND NOT exact GROUP BY value),
  by_hash AS (SELECT value, bit_or(bit) AS bits FROM entry WHERE kind = 'hash' GROUP BY value),`,
    joins: joins.join('\n    '),
    bits: bits.map((column) => `coalesce(${column}, 0)`).join(' | '),
  };
}

/** Domains of people that an entry stops, for many people at once: each domain is compared once, not each address. */
function stoppedDomainCte(people: string): string {
  const domain = `split_part(p.address, '@', 2)`;
  return `stopped_domain AS (
    SELECT DISTINCT d.domain, e.bit, e.list_scope
    FROM (SELECT * FROM entry WHERE kind = 'domain') e
    JOIN (SELECT DISTINCT ${domain} AS domain FROM ${people} p WHERE EXISTS (SELECT FROM entry WHERE kind = 'domain')) d
      ON d.domain = ltrim(e.value, '.') OR (left(e.value, 1) = '.' AND right(d.domain, length(e.value)) = e.value)
  ),`;
}

/** Every domain entry that would match an address, as rows `key`; core/address/suppression-keys has the twin. */
function domainKeysSql(address: string): string {
  const domain = `split_part(${address}, '@', 2)`;
  return `SELECT ${domain} AS key UNION ALL
      SELECT '.' || array_to_string((string_to_array(${domain}, '.'))[i:], '.') FROM generate_series(1, array_length(string_to_array(${domain}, '.'), 1)) i`;
}

const LEFT_OUT_OF_FEW = `SELECT min(array_position($5::int[], s.list_id)) FROM subscription s WHERE s.contact_id = p.contact_id AND s.list_id = ANY($5::int[]) AND s.state = 'subscribed'`;
const LEFT_OUT_JOIN = `LEFT JOIN (
      SELECT s.contact_id, min(array_position($5::int[], s.list_id)) AS by FROM subscription s WHERE s.list_id = ANY($5::int[]) AND s.state = 'subscribed' GROUP BY s.contact_id
    ) o ON o.contact_id = p.contact_id`;
const HAS_IT_JOIN = `LEFT JOIN delivery d ON d.campaign_id = $1::int AND d.contact_id = p.contact_id AND d.state IN ('accepted', 'refused', 'uncertain')`;

/**
 * Found one by one: of a ledger that was just opened the planner expects one row, and would go through all of it for
 * each contact.
 */
const HAS_IT_OF_FEW = `LEFT JOIN LATERAL (
      SELECT contact_id FROM delivery WHERE campaign_id = $1::int AND contact_id = p.contact_id AND state IN ('accepted', 'refused', 'uncertain') OFFSET 0
    ) d ON true`;

/** CTEs that end in `judged` for contacts that a preceding CTE `picked (contact_id, by_segment)` names. */
export const JUDGE_PICKED_CTES = judgeCtes(AUDIENCE_OF_PICKED, EVERYTHING_APPLIES, { lists: true, segments: false });

const marketing = `$3::text = 'marketing'`;
const entered = (reason: Reason): string => `j.bits & ${bitOf(reason)} > 0`;

/** When each reason applies, over `judged j`. */
const REASON_TESTS: Readonly<Record<Reason, string>> = {
  erased: `j.erased_at IS NOT NULL OR ${entered('erased')}`,
  archived: `j.archived_at IS NOT NULL`,
  undeliverable: `j.deliverability = 'undeliverable' OR ${entered('undeliverable')}`,
  suppressed: entered('suppressed'),
  complained: entered('complained'),
  unsubscribed: `${entered('unsubscribed')} OR (${marketing} AND j.any_row AND NOT j.pending AND NOT j.subscribed)`,
  unconfirmed: `${marketing} AND j.pending AND NOT j.subscribed`,
  'no-permission': `${marketing} AND NOT j.any_row`,
  sunset: entered('sunset'),
  machine: entered('machine'),
  'left-out': 'j.left_out_by IS NOT NULL',
  capped: 'j.capped',
  duplicate: 'j.has_it',
};
const TESTS = REASONS.map((reason) => ({ reason, test: REASON_TESTS[reason] }));

/**
 * None of the tests holds: most contacts, for whom trying each took a tenth of a preflight. Who is subscribed lacks no
 * permission.
 */
const ELIGIBLE = `coalesce(j.bits, 0) = 0 AND j.erased_at IS NULL AND j.archived_at IS NULL AND j.deliverability <> 'undeliverable'
       AND (j.subscribed OR ${marketing} IS FALSE) AND j.left_out_by IS NULL AND NOT j.capped AND NOT j.has_it`;

/** Every reason over `judged j`, in the order in which they decide, as a text array; empty means eligible. */
export const REASONS_SQL = `CASE WHEN ${ELIGIBLE} THEN '{}'::text[] ELSE array_remove(ARRAY[${TESTS.map(({ reason, test }) => `CASE WHEN ${test} THEN '${reason}' END`).join(',\n        ')}], NULL) END`;

/** The deciding reason over `judged j`; NULL means eligible. */
export const DECIDING_SQL = `CASE WHEN ${ELIGIBLE} THEN NULL ${TESTS.map(({ reason, test }) => `WHEN ${test} THEN '${reason}'`).join(' ')} END`;

/** The address without its sub-address, as SQL over an expression; core/address/suppression-keys has the twin. */
export function baseAddressSql(expression: string): string {
  return `(split_part(${expression}, '+', 1) || '@' || split_part(${expression}, '@', 2))`;
}
