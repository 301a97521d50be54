import type { WithDates } from '../with-dates.ts';
import type { Entry, SuppressionList } from '../../shared/contract/suppression.ts';
import { enteringCtes } from './entering.ts';
import { inEffectSql } from '../../core/eligibility/in-effect.ts';
import type { BuiltInList, EndedBy, Reach, Scope } from '../../shared/words.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';

/** A suppression list with its counts. */
export type SuppressionListRow = SuppressionList;

/** Lists with how many of their entries are in effect and how many were lifted or have ended. */
export async function listSuppressionLists(sql: Sql): Promise<SuppressionListRow[]> {
  return rowsOf<SuppressionListRow>(
    sql,
    `SELECT l.id, l.name, l.built_in AS "builtIn", l.scope, l.scope_id AS "scopeId", coalesce(b.name, s.name) AS "scopeName", l.reach, l.exact,
       coalesce(n.in_effect, 0) AS "inEffect", coalesce(n.ended, 0) AS ended
     FROM suppression_list l
     LEFT JOIN brand b ON l.scope = 'brand' AND b.id = l.scope_id
     LEFT JOIN list s ON l.scope = 'list' AND s.id = l.scope_id
     LEFT JOIN (SELECT list_id, (count(*) FILTER (WHERE ${IN_EFFECT}))::int AS in_effect, (count(*) FILTER (WHERE NOT (${IN_EFFECT})))::int AS ended
                FROM suppression_entry e GROUP BY list_id) n ON n.list_id = l.id
     ORDER BY l.built_in IS NULL, l.id`,
  );
}

const IN_EFFECT = inEffectSql();

/** How many entries there are, ended ones among them; `most` if there are more. */
export async function countEntries(sql: Sql, most: number): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `SELECT count(*)::int AS n FROM (SELECT FROM suppression_entry LIMIT $1) e`,
    [most],
  );
  return row!.n;
}

/** What entries after `after` name, in their order, at most `limit`: ended ones too, since ending can be undone. */
export async function listEntryValues(
  sql: Sql,
  after: number,
  limit: number,
): Promise<{ entries: number; last: number; hasHashes: boolean; values: string[] }> {
  const [page] = await rowsOf<{ entries: number; last: string | null; hasHashes: boolean; values: string | null }>(
    sql,
    `SELECT count(*)::int AS entries, max(id) AS last, coalesce(bool_or(kind = 'hash'), false) AS "hasHashes", string_agg(value, E'\\n') AS values
     FROM (SELECT id, kind, value FROM suppression_entry WHERE id > $1 ORDER BY id LIMIT $2) e`,
    [after, limit],
  );
  const { entries, last, hasHashes, values } = page!;
  return { entries, last: Number(last), hasHashes, values: values === null ? [] : values.split('\n') };
}

/** Keeps a new suppression list. @throws when one of this name has the same scope (suppression_list_name_key) */
export async function insertSuppressionList(
  sql: Sql,
  list: {
    name: string;
    builtIn: BuiltInList | null;
    scope: Scope;
    scopeId: number | null;
    reach: Reach;
    exact: boolean;
  },
): Promise<number> {
  const [row] = await rowsOf<{ id: number }>(
    sql,
    `INSERT INTO suppression_list (name, built_in, scope, scope_id, reach, exact) VALUES ($1, $2, $3, $4, $5, $6) RETURNING id`,
    [list.name, list.builtIn, list.scope, list.scopeId, list.reach, list.exact],
  );
  return row!.id;
}

/** Numbers of the built-in lists, by kind and brand: `complaint 2`, `hard-bounce 0`. */
export async function findBuiltInLists(sql: Sql): Promise<Map<string, number>> {
  const rows = await rowsOf<{ id: number; key: string }>(
    sql,
    `SELECT id, built_in || ' ' || coalesce(scope_id, 0) AS key FROM suppression_list WHERE built_in IS NOT NULL`,
  );
  return new Map(rows.map((row) => [row.key, row.id]));
}

/** An entry that is to stand; the value is in normal form. */
export interface NewEntry {
  listId: number;
  kind: 'address' | 'domain' | 'hash';
  value: string;
  reason: string;
  source: string;
  evidence: unknown;
  /** RFC 3339, or null for no end. */
  expiresAt: string | null;
  /** Of opt-outs: whose word it is. */
  endedBy?: EndedBy;
  /** RFC 3339: when it was said; now, if not given. */
  saidAt?: string;
}

const INCOMING = `json_to_recordset($1::json) AS r("listId" int, kind text, value text, reason text, source text, evidence jsonb, "expiresAt" timestamptz, "endedBy" text, "saidAt" timestamptz)`;

const ENTERING = enteringCtes(
  ', evidence, expires_at, ended_by, said_at',
  `SELECT DISTINCT ON (r.value, r."listId") r."listId", r.kind, r.value, r.reason, r.source, r.evidence, r."expiresAt", r."endedBy", coalesce(r."saidAt", now())
       FROM ${INCOMING} ORDER BY r.value, r."listId", r."saidAt" DESC`,
  {
    run: '$2::int',
    actorKind: '$3',
    actor: '$4',
    cause: `jsonb_build_object('reason', e.reason) || coalesce(e.evidence, '{}')`,
  },
);

/**
 * Enters values on suppression lists and journals it; a value already in effect on its list is left as it is. Entries
 * that have run out are closed first, so that they do not stand in the way. Returns the contacts concerned, and which
 * entries are new. Locks entries in order of (value, list).
 */
export async function enterEntries(
  sql: Sql,
  entries: NewEntry[],
  act: Act,
): Promise<{ entered: number; entryIds: number[]; contactIds: number[] }> {
  if (entries.length === 0) return { entered: 0, entryIds: [], contactIds: [] };
  await execute(
    sql,
    `UPDATE suppression_entry e SET lifted_at = e.expires_at, lift_kind = 'rule', lifted_by = 'its end', lift_reason = 'reached its end'
     FROM ${INCOMING} WHERE e.value = r.value AND e.list_id = r."listId" AND e.lifted_at IS NULL AND e.expires_at <= now()`,
    [JSON.stringify(entries)],
  );
  const rows = await rowsOf<{ entryId: number; contactId: number | null }>(
    sql,
    `WITH ${ENTERING}
     SELECT e.id::float8 AS "entryId", c.id::float8 AS "contactId" FROM entered e LEFT JOIN contact c ON e.kind = 'address' AND c.address = e.value`,
    [JSON.stringify(entries), act.runId, act.actorKind, act.actor],
  );
  return {
    entered: rows.length,
    entryIds: rows.map((row) => row.entryId),
    contactIds: rows.flatMap((row) => (row.contactId === null ? [] : [row.contactId])),
  };
}

/**
 * Notes on entries that stood already that somebody asks for them anew: they stand as long as the longer of both asks,
 * and the undo of whatever entered them first leaves them. `newIds` were entered by this act. To follow `enterEntries`.
 * Returns how many it were.
 */
export async function askForEntriesAgain(sql: Sql, entries: NewEntry[], newIds: number[], act: Act): Promise<number> {
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `WITH asked AS (
       SELECT e.id, e.expires_at AS was, r.reason, CASE WHEN e.expires_at IS NULL OR r."expiresAt" IS NULL THEN NULL ELSE greatest(e.expires_at, r."expiresAt") END AS until
       FROM ${INCOMING} JOIN suppression_entry e ON e.value = r.value AND e.list_id + 0 = r."listId" AND e.lifted_at IS NULL AND e.id <> ALL($5::bigint[])),
     changed AS (
       UPDATE suppression_entry e SET expires_at = a.until FROM asked a WHERE e.id = a.id AND e.lifted_at IS NULL RETURNING e.id, e.list_id, e.kind, e.value, a.was, a.until, a.reason),
     noted AS (
     INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
     SELECT $2::int, c.id, 'entry', h.id, jsonb_build_object('list', l.name, 'listId', l.id, 'value', h.value, 'inEffect', true, 'expiresAt', h.was),
       jsonb_build_object('list', l.name, 'listId', l.id, 'value', h.value, 'inEffect', true, 'expiresAt', h.until), $3, $4, jsonb_build_object('reason', h.reason)
     FROM changed h JOIN suppression_list l ON l.id = h.list_id LEFT JOIN contact c ON h.kind = 'address' AND c.address = h.value)
     SELECT count(*)::int AS n FROM changed`,
    [JSON.stringify(entries), act.runId, act.actorKind, act.actor, newIds],
  );
  return row!.n;
}

/**
 * Has entries that are in effect say what the contact says now: an opt-out that staff or a rule entered becomes the
 * contact's own word, which nobody can take back for them, and any is as late as it was last said. Journals whose word
 * changed. The caller has locked the contacts.
 */
export async function sayEntriesAgain(sql: Sql, entries: NewEntry[], act: Act): Promise<void> {
  if (entries.length === 0) return;
  await execute(
    sql,
    `WITH said AS (
       SELECT DISTINCT ON (e.id) e.id, e.ended_by AS was, r.* FROM ${INCOMING} JOIN suppression_entry e ON e.value = r.value AND e.list_id + 0 = r."listId" AND e.lifted_at IS NULL
       WHERE e.said_at < r."saidAt" OR e.ended_by <> 'contact' ORDER BY e.id, r."saidAt" DESC),
     changed AS (
       UPDATE suppression_entry e SET ended_by = s."endedBy", reason = s.reason, source = s.source, evidence = s.evidence, said_at = greatest(e.said_at, s."saidAt")
       FROM said s WHERE e.id = s.id RETURNING e.id, e.value, e.list_id, s.was, e.ended_by, e.evidence)
     INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
     SELECT $2::int, c.id, 'entry', h.id, jsonb_build_object('list', l.name, 'listId', l.id, 'value', h.value, 'inEffect', true, 'endedBy', h.was),
       jsonb_build_object('list', l.name, 'listId', l.id, 'value', h.value, 'inEffect', true, 'endedBy', h.ended_by), $3, $4, coalesce(h.evidence, '{}')
     FROM changed h JOIN suppression_list l ON l.id = h.list_id JOIN contact c ON c.address = h.value WHERE h.was IS DISTINCT FROM h.ended_by`,
    [JSON.stringify(entries), act.runId, act.actorKind, act.actor],
  );
}

/** Closes entries of a list that have reached their end, so that they do not stand in the way of new ones. */
export async function closeEndedEntries(sql: Sql, listId: number): Promise<void> {
  await execute(
    sql,
    `UPDATE suppression_entry SET lifted_at = expires_at, lift_kind = 'rule', lifted_by = 'its end', lift_reason = 'reached its end'
     WHERE list_id = $1 AND lifted_at IS NULL AND expires_at <= now()`,
    [listId],
  );
}

/** Lifts entries that are in effect, with a reason, and journals it. They stay on record. Returns what was lifted. */
export async function liftEntries(
  sql: Sql,
  entryIds: number[],
  reason: string,
  liftKind: 'person' | 'rule' | 'contact' | 'undo',
  act: Act,
): Promise<{ entryId: number; contactId: number | null; builtIn: BuiltInList | null; scopeId: number | null }[]> {
  if (entryIds.length === 0) return [];
  return rowsOf<{ entryId: number; contactId: number | null; builtIn: BuiltInList | null; scopeId: number | null }>(
    sql,
    `WITH lifted AS (
       UPDATE suppression_entry SET lifted_at = now(), lifted_by = $2, lift_reason = $3, lift_kind = $6
       WHERE id = ANY($1::bigint[]) AND lifted_at IS NULL RETURNING id, list_id, kind, value),
     named AS (
       SELECT e.id, l.id AS list_id, l.name, l.built_in, l.scope_id, e.value, c.id AS contact_id
       FROM lifted e JOIN suppression_list l ON l.id = e.list_id LEFT JOIN contact c ON e.kind = 'address' AND c.address = e.value),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $4::int, contact_id, 'entry', id, jsonb_build_object('list', name, 'listId', list_id, 'value', value, 'inEffect', true),
              jsonb_build_object('list', name, 'listId', list_id, 'value', value, 'inEffect', false), $5, $2, jsonb_build_object('reason', $3::text)
       FROM named)
     SELECT id::float8 AS "entryId", contact_id::float8 AS "contactId", built_in AS "builtIn", scope_id AS "scopeId" FROM named`,
    [entryIds, act.actor, reason, act.runId, act.actorKind, liftKind],
  );
}

/** An entry with its list. */
export type EntryRow = WithDates<Omit<Entry, 'notLiftable'>, 'enteredAt' | 'expiresAt' | 'liftedAt' | 'saidAt'> & {
  exact: boolean;
};

const ENTRY_COLUMNS = `e.id::float8 AS id, e.list_id AS "listId", l.name AS "listName", l.built_in AS "builtIn", l.scope, l.scope_id AS "scopeId", l.reach, l.exact,
  e.kind, e.value, e.reason, e.source, e.evidence, e.entered_at AS "enteredAt", e.expires_at AS "expiresAt",
  e.lifted_at AS "liftedAt", e.lifted_by AS "liftedBy", e.lift_reason AS "liftReason", e.ended_by AS "endedBy", e.said_at AS "saidAt"`;

/** Every entry, in effect or past, that names this address, its base, its domain or its hash; newest first. */
export async function findMatchingEntries(
  sql: Sql,
  keys: { exact: string; base: string; hash: string; domains: string[] },
): Promise<EntryRow[]> {
  return rowsOf<EntryRow>(
    sql,
    `SELECT ${ENTRY_COLUMNS} FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
     WHERE e.value = ANY($1::text[])
       AND (e.kind <> 'address' OR e.value = $2 OR NOT l.exact)
     ORDER BY e.lifted_at IS NOT NULL, e.id DESC LIMIT 200`,
    [[keys.exact, keys.base, keys.hash, ...keys.domains], keys.exact],
  );
}

/** A value, and a list on which it stands now. */
export interface ListOfValue {
  value: string;
  kind: 'address' | 'domain' | 'hash';
  listName: string;
  builtIn: BuiltInList | null;
  exact: boolean;
  reason: string | null;
}

/** Names of the lists on which each of these values stands now; only the values that stand on any. */
export async function findListsOfValues(sql: Sql, values: string[]): Promise<ListOfValue[]> {
  return rowsOf<ListOfValue>(
    sql,
    `SELECT e.value, e.kind, e.reason, l.name AS "listName", l.built_in AS "builtIn", l.exact FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
     WHERE e.value = ANY($1::text[]) AND ${IN_EFFECT} ORDER BY e.id`,
    [[...new Set(values)]],
  );
}

/** Which entries are meant: in effect, lifted or ended, or both. */
export type EntryStanding = 'in-effect' | 'past' | 'all';

/**
 * Entries of one list, filtered by part of their value, in the order in which they were entered or the reverse, after
 * number `after`.
 */
export async function listEntries(
  sql: Sql,
  listId: number,
  standing: EntryStanding,
  part: string,
  order: 'oldest' | 'newest',
  after: number | null,
  limit: number,
): Promise<EntryRow[]> {
  const test = { 'in-effect': IN_EFFECT, past: `NOT ${IN_EFFECT}`, all: 'true' }[standing];
  return rowsOf<EntryRow>(
    sql,
    `SELECT ${ENTRY_COLUMNS} FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
     WHERE e.list_id = $1 AND ${test} AND ($2 = '' OR e.value LIKE '%' || $2 || '%') AND ($3::bigint IS NULL OR e.id ${order === 'oldest' ? '>' : '<'} $3) ORDER BY e.id ${order === 'oldest' ? 'ASC' : 'DESC'} LIMIT $4`,
    [listId, part.replace(/[\\%_]/g, '\\$&'), after, limit],
  );
}

/** Entries in effect on built-in lists of these kinds for these contacts' addresses. */
export async function findEntriesOfContacts(
  sql: Sql,
  contactIds: number[],
  builtIn: BuiltInList[],
  brandId: number | null,
): Promise<{ id: number; contactId: number; builtIn: BuiltInList; endedBy: EndedBy | null; saidAt: number }[]> {
  return rowsOf<{ id: number; contactId: number; builtIn: BuiltInList; endedBy: EndedBy | null; saidAt: number }>(
    sql,
    `SELECT e.id::float8 AS id, c.id::float8 AS "contactId", l.built_in AS "builtIn", e.ended_by AS "endedBy", (extract(epoch FROM e.said_at) * 1000)::float8 AS "saidAt"
     FROM contact c JOIN suppression_entry e ON e.value = c.address AND e.lifted_at IS NULL
     JOIN suppression_list l ON l.id = e.list_id
     WHERE c.id = ANY($1::bigint[]) AND l.built_in = ANY($2::text[]) AND ($3::int IS NULL OR l.scope_id = $3) ORDER BY e.id`,
    [contactIds, builtIn, brandId],
  );
}

/** An entry that is to be lifted, with what says who may. */
export interface EntryToLift {
  id: number;
  value: string;
  builtIn: BuiltInList | null;
  endedBy: EndedBy | null;
  /** The contact has left a list of the brand, or complained, since it was entered. */
  leftSince: boolean;
}

/**
 * Those of these entries that are in effect, held until the transaction ends: nobody says anything else of them
 * meanwhile. Locks contacts in their order, then entries, as whatever a contact says does.
 */
export async function lockEntriesToLift(sql: Sql, entryIds: number[]): Promise<EntryToLift[]> {
  await execute(
    sql,
    `SELECT FROM contact WHERE id IN (SELECT c.id FROM contact c JOIN suppression_entry e ON e.value = c.address WHERE e.id = ANY($1::bigint[]))
     ORDER BY id FOR NO KEY UPDATE`,
    [entryIds],
  );
  await execute(sql, 'SELECT id FROM suppression_entry WHERE id = ANY($1::bigint[]) ORDER BY id FOR UPDATE', [
    entryIds,
  ]);
  return rowsOf<EntryToLift>(
    sql,
    `SELECT e.id::float8 AS id, e.value, l.built_in AS "builtIn", e.ended_by AS "endedBy",
       coalesce(l.scope = 'brand' AND ${leftSinceSql('(SELECT c.id FROM contact c WHERE c.address = e.value)', 'l.scope_id', 'e.said_at')}, false) AS "leftSince"
     FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
     WHERE e.id = ANY($1::bigint[]) AND e.lifted_at IS NULL ORDER BY e.id`,
    [entryIds],
  );
}

/**
 * Whether a contact has left a list of a brand, opted out of it or complained since an instant, each an expression.
 * What others took from them is not given back then: they have spoken for themselves.
 */
export function leftSinceSql(contactId: string, brandId: string, since: string): string {
  return `(EXISTS (SELECT FROM subscription s JOIN list b ON b.id = s.list_id WHERE s.contact_id = ${contactId} AND b.brand_id = ${brandId} AND s.left_at >= ${since})
    OR EXISTS (SELECT FROM contact p JOIN suppression_entry o ON o.value = p.address AND o.lifted_at IS NULL JOIN suppression_list k ON k.id = o.list_id + 0
      WHERE p.id = ${contactId} AND k.scope = 'brand' AND k.scope_id = ${brandId} AND (k.built_in = 'complaint' OR (k.built_in = 'opt-out' AND o.ended_by = 'contact')) AND o.said_at >= ${since}))`;
}
