import type { WithDates } from '../with-dates.ts';
import type { ContactQuery, Contact, Subscription } from '../../shared/contract/contacts.ts';
import type { Among, ContactOrder, Deliverability, Stage } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

/** Addresses of contacts by their number. */
export async function findAddresses(sql: Sql, contactIds: number[]): Promise<Map<number, string>> {
  const rows = await rowsOf<{ id: number; address: string }>(
    sql,
    `SELECT id::float8 AS id, address FROM contact WHERE id = ANY($1::bigint[])`,
    [contactIds],
  );
  return new Map(rows.map((row) => [row.id, row.address]));
}

/** Names of the contacts with these addresses; looked up one by one in the index, as in findContactIds. */
export async function findNames(
  sql: Sql,
  addresses: string[],
): Promise<{ contactId: number; address: string; name: string | null }[]> {
  return rowsOf<{ contactId: number; address: string; name: string | null }>(
    sql,
    `SELECT c.id::float8 AS "contactId", g.address, c.name FROM unnest($1::text[]) g (address) CROSS JOIN LATERAL (SELECT id, name FROM contact WHERE address = g.address OFFSET 0) c`,
    [addresses],
  );
}

/** Tags that contacts have, the commonest first; so many at most. */
export async function listTags(sql: Sql): Promise<string[]> {
  const rows = await rowsOf<{ tag: string }>(
    sql,
    `SELECT u.tag FROM contact c, unnest(c.tags) u (tag) WHERE c.tags <> '{}' GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 200`,
  );
  return rows.map(({ tag }) => tag);
}

/**
 * Numbers of the contacts that have these addresses. Looked up one by one in the index (OFFSET 0 sees to it): for ten
 * thousand at once PostgreSQL reads through a million contacts, on all its processors.
 */
export async function findContactIds(sql: Sql, addresses: string[]): Promise<Map<string, number>> {
  const rows = await rowsOf<{ id: number; address: string }>(
    sql,
    `SELECT c.id::float8 AS id, g.address FROM unnest($1::text[]) g (address) CROSS JOIN LATERAL (SELECT id FROM contact WHERE address = g.address OFFSET 0) c`,
    [addresses],
  );
  return new Map(rows.map((row) => [row.address, row.id]));
}

/** The highest number of a contact; 0 where there is none. */
export async function findLastContactId(sql: Sql): Promise<number> {
  const [row] = await rowsOf<{ last: number }>(sql, `SELECT coalesce(max(id), 0)::float8 AS last FROM contact`);
  return row!.last;
}

/** When these contacts last opted in to a brand, or out of all of it, in milliseconds since the epoch; 0 for never. */
export async function findOptInTimes(
  sql: Sql,
  brandId: number,
  contactIds: number[],
): Promise<Map<number, { subscribedAt: number; confirmedAt: number; optedOutAt: number }>> {
  const ms = (column: string): string => `coalesce(extract(epoch FROM ${column}) * 1000, 0)::float8`;
  const rows = await rowsOf<{
    contactId: number;
    subscribedAt: number;
    confirmedAt: number;
    optedOutAt: number;
  }>(
    sql,
    `SELECT contact_id::float8 AS "contactId", ${ms('last_subscribed_at')} AS "subscribedAt", ${ms('last_confirmed_at')} AS "confirmedAt", ${ms('last_opted_out_at')} AS "optedOutAt"
     FROM activity WHERE brand_id = $1 AND contact_id = ANY($2::bigint[])`,
    [brandId, contactIds],
  );
  return new Map(rows.map((row) => [row.contactId, row]));
}

/** A contact as it stands in the base; null for what is not known. */
export type ContactRow = WithDates<Contact, 'joinedAt' | 'archivedAt' | 'erasedAt' | 'deliverabilitySince'>;

const CONTACT_COLUMNS = `c.id::float8 AS id, c.address, c.name, c.attributes, c.joined_at AS "joinedAt", c.archived_at AS "archivedAt", c.erased_at AS "erasedAt",
  c.deliverability, c.deliverability_since AS "deliverabilitySince", c.deliverability_cause AS "deliverabilityCause",
  c.tags, c.verdict, c.verdict_cause AS "verdictCause", c.merged_into::float8 AS "mergedInto"`;

/** One contact as the API shows it; erased ones too. */
export async function findContact(
  sql: Sql,
  key: { id: number } | { address: string },
): Promise<ContactRow | undefined> {
  const [which, value] = 'id' in key ? ['c.id = $1', key.id] : ['c.address = $1', key.address];
  const [row] = await rowsOf<ContactRow>(sql, `SELECT ${CONTACT_COLUMNS} FROM contact c WHERE ${which}`, [value]);
  return row;
}

/** A contact found by a filter, with the stage of the brand asked for and the lists they are subscribed to. */
export interface ContactListRow extends ContactRow {
  stage: Stage | null;
  lists: string[];
}

/** Which contacts are meant; null leaves a part out. `where` is a condition that was worked out before. */
export interface ContactFilter {
  /** Part of an address or name. */
  part: string;
  listId: number | null;
  stage: Stage | null;
  deliverability: Deliverability | null;
  tag: string | null;
  /** A condition of the brand; whom it matches stands in the temporary table `matching (id)`. */
  where: string | null;
  brandId: number;
  /** Only who is, or ever was, on a list of the brand. */
  ofBrand: boolean;
  /** Only archived ones, or none; null for both. */
  archived: boolean | null;
  /** Whom a figure counts, since an instant; they stand in the temporary table `among (id)`. */
  among: Among | null;
  since: Date | null;
}

/** A filter that leaves nobody out. */
export const EVERYBODY = {
  part: '',
  listId: null,
  stage: null,
  deliverability: null,
  tag: null,
  where: null,
  ofBrand: false,
  archived: null,
  among: null,
  since: null,
} as const;

/** A filter as it was asked for, with null for what was not. */
export function fullFilter({ since, ...asked }: ContactQuery): ContactFilter {
  return { ...EVERYBODY, ...asked, since: since === undefined ? null : new Date(since) };
}

/** Each order goes along an index; `$7` is where the page before ended, null at the beginning. */
const ORDERS: Record<ContactOrder, string> = {
  oldest: '($7::bigint IS NULL OR c.id > $7) ORDER BY c.id',
  newest: '($7::bigint IS NULL OR c.id < $7) ORDER BY c.id DESC',
  'a-to-z': '($7::text IS NULL OR c.address > $7) ORDER BY c.address',
  'z-to-a': '($7::text IS NULL OR c.address < $7) ORDER BY c.address DESC',
};

/**
 * Contacts of the filter in an order, after the number or the address of another, with their stage at the brand and the
 * lists they are subscribed to.
 */
export async function listContacts(
  sql: Sql,
  filter: ContactFilter,
  order: ContactOrder,
  after: number | string | null,
  limit: number,
): Promise<ContactListRow[]> {
  return rowsOf<ContactListRow>(
    sql,
    `SELECT ${CONTACT_COLUMNS}, cs.stage,
       ARRAY(SELECT l.name FROM subscription s JOIN list l ON l.id = s.list_id WHERE s.contact_id = c.id AND s.state = 'subscribed' ORDER BY l.id) AS lists
     FROM contact c LEFT JOIN contact_stage cs ON cs.contact_id = c.id AND cs.brand_id = $5
     WHERE ${contactFilterSql(1, filter)} AND ${ORDERS[order]} LIMIT $8`,
    [...filterParameters(filter), after, limit],
  );
}

/** How many contacts a filter finds. */
export async function countContacts(sql: Sql, filter: ContactFilter): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `SELECT count(*)::int AS n FROM contact c LEFT JOIN contact_stage cs ON cs.contact_id = c.id AND cs.brand_id = $5 WHERE ${contactFilterSql(1, filter)}`,
    filterParameters(filter),
  );
  return row!.n;
}

/**
 * The test of a filter over `contact c` and its `contact_stage cs` of the brand, which is the fifth of its six
 * parameters.
 */
export function contactFilterSql(
  first: number,
  filter: Pick<ContactFilter, 'where' | 'ofBrand' | 'archived' | 'among'>,
): string {
  const { where, ofBrand, archived, among } = filter;
  const [part, list, stage, deliverability, brand, tag] = [0, 1, 2, 3, 4, 5].map((index) => `$${first + index}`);
  return `c.erased_at IS NULL AND (${part}::text = '' OR c.address LIKE '%' || ${part} || '%' OR c.name ILIKE '%' || ${part} || '%')
  AND (${list}::int IS NULL OR EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = ${list} AND s.state = 'subscribed'))
  AND (${stage}::text IS NULL OR coalesce(cs.stage, 'new') = ${stage})
  AND (${deliverability}::text IS NULL OR c.deliverability = ${deliverability})
  AND (${tag}::text IS NULL OR (c.tags <> '{}' AND c.tags @> ARRAY[${tag}::text]))${[
    ...(ofBrand
      ? [
          `EXISTS (SELECT FROM subscription o JOIN list ol ON ol.id = o.list_id WHERE o.contact_id = c.id AND ol.brand_id = ${brand}::int)`,
        ]
      : []),
    ...(archived === null ? [] : [`c.archived_at IS ${archived ? 'NOT ' : ''}NULL`]),
    ...(where === null ? [] : ['c.id IN (SELECT id FROM matching)']),
    ...(among === null ? [] : ['c.id IN (SELECT id FROM among)']),
  ]
    .map((test) => ` AND ${test}`)
    .join('')}`;
}

/** The parameters of a filter, in the order in which statements read them. */
export function filterParameters(
  filter: Pick<ContactFilter, 'part' | 'listId' | 'stage' | 'deliverability' | 'tag'> & { brandId: number | null },
): unknown[] {
  return [
    filter.part.toLowerCase().replace(/[\\%_]/g, '\\$&'),
    filter.listId,
    filter.stage,
    filter.deliverability,
    filter.brandId,
    filter.tag,
  ];
}

/** A contact and a list of any brand. */
export type ContactSubscription = WithDates<Subscription, 'since'>;

/** The contact's state on every list there is; null where they never were. */
export async function findContactSubscriptions(sql: Sql, contactId: number): Promise<ContactSubscription[]> {
  return rowsOf<ContactSubscription>(
    sql,
    `SELECT l.id AS "listId", l.name AS "listName", b.id AS "brandId", b.name AS "brandName", l.opt_in AS "optIn", s.state, s.since, s.source, s.ended_by AS "endedBy"
     FROM list l JOIN brand b ON b.id = l.brand_id LEFT JOIN subscription s ON s.list_id = l.id AND s.contact_id = $1 ORDER BY b.id, l.id`,
    [contactId],
  );
}

/** One event of a contact, or a hold-back. */
export interface TimeLineRow {
  id: string;
  at: Date;
  kind: string;
  actor: 'human' | 'machine' | 'unknown';
  actorReason: string | null;
  brandId: number;
  campaignId: number | null;
  campaignName: string | null;
  detail: Record<string, unknown> | null;
}

/**
 * What happened with one contact, newest first, before an instant: events, and the campaigns that held them back; all
 * kinds or those named, `held-back` among them.
 */
export async function listTimeLine(
  sql: Sql,
  contactId: number,
  kinds: readonly string[] | null,
  before: Date,
  limit: number,
): Promise<TimeLineRow[]> {
  return rowsOf<TimeLineRow>(
    sql,
    `SELECT * FROM (
       SELECT e.id::text AS id, e.occurred_at AS at, e.kind::text AS kind, e.actor::text AS actor, e.actor_reason AS "actorReason", e.brand_id AS "brandId", e.campaign_id AS "campaignId",
         k.name AS "campaignName", e.detail
       FROM event e LEFT JOIN campaign k ON k.id = e.campaign_id WHERE e.contact_id = $1 AND e.occurred_at < $2 AND ($4::text[] IS NULL OR e.kind::text = ANY($4))
       UNION ALL
       SELECT 'held ' || d.campaign_id, d.held_back_at, 'held-back', 'machine', NULL, k.brand_id, d.campaign_id, k.name, jsonb_build_object('reasons', d.reasons)
       FROM delivery d JOIN campaign k ON k.id = d.campaign_id WHERE d.contact_id = $1 AND d.state = 'held-back' AND d.held_back_at < $2 AND ($4::text[] IS NULL OR 'held-back' = ANY($4))
     ) t ORDER BY at DESC, kind LIMIT $3`,
    [contactId, before, limit, kinds],
  );
}

/** Makes contacts of these addresses, on no list; whoever was erased, or is there already, is not made. */
export async function createContacts(sql: Sql, addresses: string[], now: Date): Promise<void> {
  await execute(
    sql,
    `INSERT INTO contact (address, joined_at) SELECT a, $2 FROM unnest($1::text[]) a
     WHERE NOT EXISTS (SELECT FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
       WHERE l.built_in = 'erasure' AND e.kind = 'hash' AND e.value = encode(sha256(convert_to(a, 'UTF8')), 'hex'))
     ORDER BY a ON CONFLICT (address) DO NOTHING`,
    [addresses, now],
  );
}
