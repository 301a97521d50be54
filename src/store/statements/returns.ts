import type { ReturnKind } from '../../shared/words.ts';
import type { ReadReturn } from '../../core/returns/read-return.ts';
import type { Purpose } from '../../shared/words.ts';
import { changedBy, execute, rowsOf, type Sql } from '../sql.ts';

/** `asks`: to stop; `held`: a hard bounce that is known by its Message-ID alone. Both wait for a person. */
export type ReturnState = 'counted' | 'noted' | 'asks' | 'held' | 'unmatched' | 'dismissed';

export interface ReturnRow {
  id: number;
  receivedAt: Date;
  envelopeTo: string;
  /** Of the message as it came. */
  bytes: number;
  kind: ReturnKind;
  reading: ReadReturn;
  state: ReturnState;
  because: string;
  campaignId: number | null;
  contactId: number | null;
  /** Of the message it is about, or of the mailbox it was in. */
  brandId: number | null;
}

const COLUMNS = `id::float8 AS id, received_at AS "receivedAt", envelope_to AS "envelopeTo", bytes, kind, reading, state, because,
  campaign_id AS "campaignId", contact_id::float8 AS "contactId", brand_id AS "brandId"`;

/** Keeps the bytes of a message once, whatever number of returns it is; the longer where one was cut. */
export async function keepRaw(sql: Sql, digest: string, raw: Buffer): Promise<void> {
  await execute(
    sql,
    `INSERT INTO return_raw (digest, raw) VALUES ($1, $2)
     ON CONFLICT (digest) DO UPDATE SET kept_at = now(), raw = CASE WHEN length(excluded.raw) > length(return_raw.raw) THEN excluded.raw ELSE return_raw.raw END`,
    [digest, raw],
  );
}

/** A return as it is kept; rawDigest says which bytes it came as. */
export interface NewReturn extends Omit<ReturnRow, 'id' | 'receivedAt' | 'kind'> {
  digest: string;
  rawDigest: string;
}

/** Keeps a return; the same bytes to the same address are kept once. Returns its number, and whether it is new. */
export async function insertReturn(sql: Sql, row: NewReturn): Promise<{ id: number; fresh: boolean }> {
  const inserted = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO return_message (digest, raw_digest, bytes, envelope_to, kind, reading, state, because, campaign_id, contact_id, brand_id)
     VALUES ($1, $2, $3, $4, $5, $6::jsonb, $7, $8, $9, $10, $11) ON CONFLICT (digest) DO NOTHING RETURNING id::float8 AS id`,
    [
      row.digest,
      row.rawDigest,
      row.bytes,
      row.envelopeTo,
      row.reading.kind,
      JSON.stringify(row.reading),
      row.state,
      row.because,
      row.campaignId,
      row.contactId,
      row.brandId,
    ],
  );
  if (inserted[0]) return { id: inserted[0].id, fresh: true };
  const kept = await rowsOf<{ id: number }>(sql, `SELECT id::float8 AS id FROM return_message WHERE digest = $1`, [
    row.digest,
  ]);
  return { id: kept[0]!.id, fresh: false };
}

/** Returns of one state or of all, before a number, latest first; without their bytes. */
export async function listReturns(
  sql: Sql,
  state: ReturnState | null,
  before: number,
  limit: number,
): Promise<ReturnRow[]> {
  return rowsOf<ReturnRow>(
    sql,
    `SELECT ${COLUMNS} FROM return_message WHERE ($1::text IS NULL OR state = $1) AND id < $2 ORDER BY id DESC LIMIT $3`,
    [state, before, limit],
  );
}

/** One return with its bytes, as far as they are still kept. */
export async function findReturn(sql: Sql, id: number): Promise<(ReturnRow & { raw: Buffer | null }) | undefined> {
  const rows = await rowsOf<ReturnRow & { raw: Buffer | null }>(
    sql,
    `SELECT ${COLUMNS}, (SELECT raw FROM return_raw WHERE digest = raw_digest) AS raw FROM return_message WHERE id = $1`,
    [id],
  );
  return rows[0];
}

/** Puts a return aside that matched nothing or waits for a person; false when it does neither. */
export async function dismissReturn(sql: Sql, id: number): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE return_message SET state = 'dismissed' WHERE id = $1 AND state IN ('unmatched', 'asks', 'held')`,
    [id],
  );
  return affected > 0;
}

export interface DeliveryOfToken {
  campaignId: number;
  contactId: number;
  brandId: number;
  address: string;
  purpose: Purpose;
  listIds: number[];
  /** A segment took them in; the lists are then all of the brand that they were on. */
  bySegment: boolean;
  state: string;
  /** When the relay took it, or was given it; null for what never left. */
  sentAt: Date | null;
}

/** The delivery that a verified token names. */
export async function findDelivery(
  sql: Sql,
  campaignId: number,
  contactId: number,
): Promise<DeliveryOfToken | undefined> {
  const rows = await rowsOf<DeliveryOfToken>(
    sql,
    `SELECT d.campaign_id AS "campaignId", d.contact_id::float8 AS "contactId", k.brand_id AS "brandId", d.address, k.purpose, d.list_ids AS "listIds", d.by_segment AS "bySegment", d.state, coalesce(d.accepted_at, d.handed_at) AS "sentAt"
     FROM delivery d JOIN campaign k ON k.id = d.campaign_id WHERE d.campaign_id = $1 AND d.contact_id = $2`,
    [campaignId, contactId],
  );
  return rows[0];
}

/** Returns by state; every state has its count. */
export async function countReturns(sql: Sql): Promise<Record<ReturnState, number>> {
  const rows = await rowsOf<{ state: ReturnState; n: number }>(
    sql,
    'SELECT state, count(*)::int AS n FROM return_message GROUP BY state',
  );
  const none = { counted: 0, noted: 0, asks: 0, held: 0, unmatched: 0, dismissed: 0 };
  return { ...none, ...Object.fromEntries(rows.map((row) => [row.state, row.n])) };
}

/** Returns since an instant by kind and state, and when the last one ever came. */
export async function countReturnsByKind(
  sql: Sql,
  since: Date,
): Promise<{ kinds: { kind: ReturnKind; state: ReturnState; returns: number }[]; lastAt: Date | null }> {
  const [row] = await rowsOf<{
    kinds: { kind: ReturnKind; state: ReturnState; returns: number }[];
    lastAt: Date | null;
  }>(
    sql,
    `SELECT (SELECT max(received_at) FROM return_message) AS "lastAt", coalesce((
       SELECT json_agg(k) FROM (SELECT kind, state, count(*)::int AS returns FROM return_message WHERE received_at >= $1 GROUP BY 1, 2 ORDER BY 3 DESC, 1, 2) k), '[]') AS kinds`,
    [since],
  );
  return row!;
}

/**
 * Says what a return is about that matched nothing or waits for a person; its digest, or nothing when it does neither
 * any more.
 */
export async function setMatched(
  sql: Sql,
  id: number,
  match: { state: ReturnState; because: string; campaignId: number; contactId: number },
): Promise<string | undefined> {
  const rows = await rowsOf<{ digest: string }>(
    sql,
    `UPDATE return_message SET state = $2, because = $3, campaign_id = $4, contact_id = $5 WHERE id = $1 AND state IN ('unmatched', 'held') RETURNING digest`,
    [id, match.state, match.because, match.campaignId, match.contactId],
  );
  return rows[0]?.digest;
}

/**
 * The latest campaign that a contact was sent, of this brand if there is one, or the campaign named if they were sent
 * it.
 */
export async function findSentCampaign(
  sql: Sql,
  contactId: number,
  campaignId: number | null,
  brandId: number | null,
): Promise<number | undefined> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT d.campaign_id AS id FROM delivery d JOIN campaign k ON k.id = d.campaign_id
     WHERE d.contact_id = $1 AND d.state IN ('accepted', 'refused', 'uncertain') AND ($2::int IS NULL OR d.campaign_id = $2)
     ORDER BY k.brand_id IS NOT DISTINCT FROM $3::int DESC, coalesce(accepted_at, handed_at) DESC NULLS LAST LIMIT 1`,
    [contactId, campaignId, brandId],
  );
  return rows[0]?.id;
}

/** A reply that asked to stop has been answered. False when it does not ask, or not any more. */
export async function setAnswered(sql: Sql, id: number, because: string): Promise<boolean> {
  const affected = await changedBy(
    sql,
    `UPDATE return_message SET state = 'counted', because = $2 WHERE id = $1 AND state = 'asks'`,
    [id, because],
  );
  return affected > 0;
}

/** Remembers a domain that returns come to, for as long as there are messages that name it. */
export async function keepReturnDomain(sql: Sql, domain: string): Promise<void> {
  await execute(sql, 'INSERT INTO return_domain (domain) VALUES (lower($1)) ON CONFLICT DO NOTHING', [domain]);
}

/** The domains that returns come to: those that any brand has or had. */
export async function listReturnDomains(sql: Sql): Promise<string[]> {
  const rows = await rowsOf<{ domain: string }>(sql, 'SELECT domain FROM return_domain');
  return rows.map(({ domain }) => domain);
}
