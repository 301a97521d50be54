import type { Reason } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import {
  DECIDING_SQL,
  findWhatApplies,
  judgeMailableCtes,
  JUDGE_PICKED_CTES,
  messageParameters,
  REASONS_SQL,
  type JudgedMessage,
} from './eligibility.ts';

/** A brand with its lists: whom it may write to is whoever it may on any of them. */
export interface SendingBrand {
  id: number;
  name: string;
  listIds: number[];
}

/** Marketing of a brand, to whoever is on any of its lists. */
export function anyMarketing(brand: Pick<SendingBrand, 'id' | 'listIds'>): JudgedMessage {
  return { campaignId: 0, brandId: brand.id, purpose: 'marketing', listIds: brand.listIds, leftOutListIds: [] };
}

/** Every brand with its lists. */
export async function listSendingBrands(sql: Sql): Promise<SendingBrand[]> {
  return rowsOf<SendingBrand>(
    sql,
    `SELECT b.id, b.name, coalesce(array_agg(l.id ORDER BY l.id) FILTER (WHERE l.id IS NOT NULL), '{}') AS "listIds"
     FROM brand b LEFT JOIN list l ON l.brand_id = b.id GROUP BY b.id ORDER BY b.id`,
  );
}

/**
 * Puts those who may get marketing of the brand now, of all or of a few, into the table `mailable (id)` of this
 * transaction.
 */
export async function keepMailable(
  sql: Sql,
  brand: Pick<SendingBrand, 'id' | 'listIds'>,
  among: number[] | null,
): Promise<void> {
  if (await isKept(sql, 'mailable')) return;
  const { text, parameters } = await mailableOf(sql, brand, among);
  await execute(sql, `CREATE TEMP TABLE mailable ON COMMIT DROP AS ${text}`, parameters);
  await execute(sql, 'ANALYZE mailable');
}

/**
 * Puts those who may get marketing of any brand now, of all or of a few, into the table `mailable_by_any (id,
 * brand_id)` of this transaction.
 */
export async function keepMailableByAny(sql: Sql, among: number[] | null): Promise<void> {
  if (await isKept(sql, 'mailable_by_any')) return;
  await execute(sql, 'CREATE TEMP TABLE mailable_by_any (id bigint NOT NULL, brand_id int NOT NULL) ON COMMIT DROP');
  for (const brand of await listSendingBrands(sql)) {
    const { text, parameters } = await mailableOf(sql, brand, among);
    await execute(sql, `INSERT INTO mailable_by_any (id, brand_id) SELECT m.id, $2::int FROM (${text}) m`, parameters);
  }
  await execute(sql, 'ANALYZE mailable_by_any');
}

/**
 * Puts those whom marketing of any brand reaches now, or would once they have confirmed, into the table
 * `reachable (id)` of this transaction, some of them twice. To be run within overWholeSet.
 */
export async function keepReachable(sql: Sql): Promise<void> {
  if (await isKept(sql, 'reachable')) return;
  await keepMailableByAny(sql, null);
  await execute(sql, 'CREATE TEMP TABLE reachable ON COMMIT DROP AS SELECT id FROM mailable_by_any');
  for (const brand of await listSendingBrands(sql)) {
    await execute(
      sql,
      `INSERT INTO reachable
       WITH picked AS (SELECT DISTINCT s.contact_id, false AS by_segment FROM subscription s WHERE s.list_id = ANY($4::int[]) AND s.state = 'pending'),
         ${JUDGE_PICKED_CTES}
       SELECT j.contact_id FROM judged j WHERE (${REASONS_SQL}) = '{unconfirmed}'`,
      messageParameters(anyMarketing(brand)),
    );
  }
  await execute(sql, 'ANALYZE reachable');
}

async function isKept(sql: Sql, table: 'mailable' | 'mailable_by_any' | 'reachable'): Promise<boolean> {
  const [there] = await rowsOf<{ kept: boolean }>(sql, `SELECT to_regclass('pg_temp.${table}') IS NOT NULL AS kept`);
  return there!.kept;
}

async function mailableOf(
  sql: Sql,
  brand: Pick<SendingBrand, 'id' | 'listIds'>,
  among: number[] | null,
): Promise<{ text: string; parameters: unknown[] }> {
  const message = anyMarketing(brand);
  const judged =
    among === null
      ? judgeMailableCtes(message, await findWhatApplies(sql, message))
      : `picked AS (SELECT unnest($6::bigint[]) AS contact_id, false AS by_segment), ${JUDGE_PICKED_CTES}`;
  return {
    text: `WITH ${judged} SELECT j.contact_id AS id FROM judged j WHERE (${DECIDING_SQL}) IS NULL`,
    parameters: [...messageParameters(message), ...(among === null ? [] : [among])],
  };
}

/** Why a brand may not write to a contact now; null when it may. */
export async function findHoldBack(
  sql: Sql,
  contactId: number,
  brand: Pick<SendingBrand, 'id' | 'listIds'>,
): Promise<Reason | null> {
  const [row] = await rowsOf<{ reason: Reason | null }>(
    sql,
    `WITH picked AS (SELECT $6::bigint AS contact_id, false AS by_segment), ${JUDGE_PICKED_CTES} SELECT ${DECIDING_SQL} AS reason FROM judged j`,
    [...messageParameters(anyMarketing(brand)), contactId],
  );
  return row!.reason;
}

/** Contacts whom some brand may still write to, and how many of them each may. */
export interface StillMailable {
  contacts: number;
  brands: { brandId: number; brandName: string; contacts: number }[];
}

/** So many are looked up one by one; for more, the whole base is judged, once for each brand. */
const FEW = 2000;

/**
 * Of the contacts in the table `concerned (id)` of this transaction, those whom some brand may still write to. What
 * concerns many is planned as work over a whole set.
 */
export async function countStillMailable(sql: Sql): Promise<StillMailable> {
  const ids = await rowsOf<{ id: number }>(sql, `SELECT id::float8 AS id FROM concerned LIMIT ${FEW + 1}`);
  if (ids.length === 0) return { contacts: 0, brands: [] };
  const isFew = ids.length <= FEW;
  if (!isFew) await execute(sql, 'SET LOCAL enable_nestloop = off');
  await keepMailableByAny(sql, isFew ? ids.map(({ id }) => id) : null);
  if (!isFew) await execute(sql, 'SET LOCAL enable_nestloop = on');
  const [still] = await rowsOf<StillMailable>(
    sql,
    `WITH still AS (SELECT m.id, m.brand_id FROM mailable_by_any m JOIN concerned c USING (id))
     SELECT (SELECT count(DISTINCT id)::int FROM still) AS contacts, (
       SELECT coalesce(json_agg(json_build_object('brandId', b.id, 'brandName', b.name, 'contacts', n.contacts) ORDER BY b.id), '[]')
       FROM (SELECT brand_id, count(*)::int AS contacts FROM still GROUP BY 1) n JOIN brand b ON b.id = n.brand_id) AS brands`,
  );
  return still!;
}
