import type { KeptRelay, RelaySettings } from '../../shared/contract/relay.ts';
import type { WithDates } from '../with-dates.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export type RelayRow = WithDates<KeptRelay, 'troubleSince' | 'createdAt'>;

const COLUMNS = `r.id, r.name, r.host, r.port, r.security, r.certificate, r.account, r.password_variable AS "passwordVariable", r.password_file AS "passwordFile",
  r.connections, r.per_hour AS "perHour", r.returns_to AS "returnsTo", r.trouble, r.trouble_since AS "troubleSince", r.version,
  r.created_at AS "createdAt", r.created_by AS "createdBy", r.changed_by AS "changedBy",
  ARRAY(SELECT brand_id FROM brand_relay b WHERE b.relay_id = r.id ORDER BY brand_id) AS "brandIds"`;

/** Every relay, in the order they were added. */
export function listRelays(sql: Sql): Promise<RelayRow[]> {
  return rowsOf<RelayRow>(sql, `SELECT ${COLUMNS} FROM relay r WHERE r.removed_at IS NULL ORDER BY r.id`);
}

/** The relays through which a brand sends, in its order. */
export function listRelaysOf(sql: Sql, brandId: number): Promise<RelayRow[]> {
  return rowsOf<RelayRow>(
    sql,
    `SELECT ${COLUMNS} FROM brand_relay o JOIN relay r ON r.id = o.relay_id WHERE o.brand_id = $1 ORDER BY o.place`,
    [brandId],
  );
}

/** One relay that was not removed. */
export async function findRelay(sql: Sql, id: number): Promise<RelayRow | undefined> {
  const rows = await rowsOf<RelayRow>(sql, `SELECT ${COLUMNS} FROM relay r WHERE r.id = $1 AND r.removed_at IS NULL`, [
    id,
  ]);
  return rows[0];
}

/**
 * One relay, held until the transaction ends. Read once it is held: who sends through it may change while it is waited
 * for.
 */
export async function holdRelay(sql: Sql, id: number): Promise<RelayRow | undefined> {
  await execute(sql, 'SELECT FROM relay WHERE id = $1 FOR UPDATE', [id]);
  return findRelay(sql, id);
}

const settingsOf = (relay: RelaySettings): unknown[] => [
  relay.name,
  relay.host,
  relay.port,
  relay.security,
  relay.certificate,
  relay.account,
  relay.passwordVariable,
  relay.passwordFile,
  relay.connections,
  relay.perHour,
  relay.returnsTo,
];

/** Keeps a new relay; gives its number. */
export async function insertRelay(sql: Sql, relay: RelaySettings, by: string): Promise<number> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO relay (name, host, port, security, certificate, account, password_variable, password_file, connections, per_hour, returns_to, created_by)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) RETURNING id`,
    [...settingsOf(relay), by],
  );
  return rows[0]!.id;
}

/** Changes a relay that is held. Its trouble was that of what it was before. */
export async function updateRelay(sql: Sql, id: number, relay: RelaySettings, by: string): Promise<void> {
  await execute(
    sql,
    `UPDATE relay SET name = $1, host = $2, port = $3, security = $4, certificate = $5, account = $6, password_variable = $7, password_file = $8, connections = $9,
       tokens = CASE WHEN per_hour IS NOT DISTINCT FROM $10 THEN tokens ELSE 0 END, per_hour = $10, returns_to = $11,
       changed_by = $12, version = version + 1, trouble = NULL, trouble_since = NULL
     WHERE id = $13`,
    [...settingsOf(relay), by, id],
  );
}

/** Removes a relay that is held; by which relay messages went stays known. */
export async function removeRelay(sql: Sql, id: number): Promise<void> {
  await execute(sql, 'UPDATE relay SET removed_at = now(), trouble = NULL, trouble_since = NULL WHERE id = $1', [id]);
}

/** Of these relays those that were not removed, held against being so. */
export async function keepRelays(sql: Sql, ids: number[]): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    'SELECT id FROM relay WHERE id = ANY ($1::int[]) AND removed_at IS NULL ORDER BY id FOR SHARE',
    [ids],
  );
  return rows.map((row) => row.id);
}

/** Makes these the relays of a brand, in this order. The brand is held. */
export async function setRelaysOf(sql: Sql, brandId: number, ids: number[]): Promise<void> {
  await execute(sql, 'DELETE FROM brand_relay WHERE brand_id = $1', [brandId]);
  await execute(
    sql,
    'INSERT INTO brand_relay (brand_id, place, relay_id) SELECT $1, place, id FROM unnest($2::int[]) WITH ORDINALITY AS o(id, place)',
    [brandId, ids],
  );
}

/** Notes that a relay is in trouble, as it was set then, or not any more; since when stays as it was. */
export async function setRelayTrouble(sql: Sql, id: number, version: number, trouble: string | null): Promise<void> {
  await execute(
    sql,
    `UPDATE relay SET trouble = $3::text, trouble_since = CASE WHEN $3::text IS NOT NULL THEN coalesce(trouble_since, now()) END
     WHERE id = $1 AND version = $2 AND removed_at IS NULL`,
    [id, version, trouble],
  );
}

/** How much a relay with a rate has gathered; instants are milliseconds since the epoch. */
export interface RelayRate {
  perHour: number;
  tokens: number;
  tokensAt: number;
  now: number;
}

/** The rate of a relay, held until the transaction ends; nothing where it has none. */
export async function holdRelayRate(sql: Sql, id: number): Promise<RelayRate | undefined> {
  const rows = await rowsOf<RelayRate>(
    sql,
    `SELECT per_hour AS "perHour", tokens, (extract(epoch FROM tokens_at) * 1000)::float8 AS "tokensAt", (extract(epoch FROM clock_timestamp()) * 1000)::float8 AS now
     FROM relay WHERE id = $1 AND per_hour IS NOT NULL FOR UPDATE`,
    [id],
  );
  return rows[0];
}

/** Keeps what a relay has gathered, which is held. */
export async function keepRelayRate(sql: Sql, id: number, tokens: number, tokensAt: number): Promise<void> {
  await execute(sql, 'UPDATE relay SET tokens = $2, tokens_at = to_timestamp($3 / 1000.0) WHERE id = $1', [
    id,
    tokens,
    tokensAt,
  ]);
}

/** A message that goes at once, whatever has been gathered: those of campaigns wait for it. */
export async function spendRelayRate(sql: Sql, id: number): Promise<void> {
  await execute(sql, 'UPDATE relay SET tokens = tokens - 1 WHERE id = $1 AND per_hour IS NOT NULL', [id]);
}

/** Of the relays of a brand those in trouble. */
export interface RelayInTrouble {
  id: number;
  name: string;
  trouble: string;
  since: Date;
}

/** The relays of a brand that were in trouble when a message was last handed to them, in its order. */
export function listRelaysInTrouble(sql: Sql, brandId: number): Promise<RelayInTrouble[]> {
  return rowsOf<RelayInTrouble>(
    sql,
    `SELECT r.id, r.name, r.trouble, r.trouble_since AS since FROM brand_relay o JOIN relay r ON r.id = o.relay_id
     WHERE o.brand_id = $1 AND r.trouble IS NOT NULL ORDER BY o.place`,
    [brandId],
  );
}
