import { inEffectSql } from '../../core/eligibility/in-effect.ts';
import type { DoneChunks } from '../../core/import/chunk-plan.ts';
import type { RowOutcome } from '../../core/import/row-outcomes.ts';
import { OUTCOME_LETTERS, REFUSED_LETTERS, TAKEN_LETTERS } from '../../core/import/row-outcomes.ts';
import type { PackedTexts } from '../../core/import-engine/packed-texts.ts';
import { arrayText } from '../array-text.ts';
import { lookUpByIndex } from '../database.ts';
import { rowsOf, type Sql } from '../sql.ts';
import { textArray } from '../import-engine/text-array.ts';
import { baseAddressSql } from './eligibility.ts';

/** Rows of a file as columns: addresses are in normal form and each stands once. A column nobody fills is null. */
export interface RowColumns {
  addresses: PackedTexts;
  names: PackedTexts | null;
  /** JSON texts. */
  attributes: (string | null)[] | null;
  joinedAt: (string | null)[] | null;
  /** Texts of arrays. */
  tags?: (string | null)[] | null;
  /** Where consent was given, and to what, as the file says. */
  consentSources?: (string | null)[] | null;
  consentEvidence?: (string | null)[] | null;
  /** Letters of the checks that speak against a row: held unless the contact is known, or refused. */
  flags?: (string | null)[] | null;
  /** Places of rows that may be suppressed; null when any may. */
  suspects?: number[] | null;
}

export interface RowTarget {
  importId: number;
  listId: number;
  brandId: number;
  /** What a new subscription begins as. */
  state: 'subscribed' | 'pending';
}

const letter = (outcome: RowOutcome): string => `'${OUTCOME_LETTERS[outcome]}'`;

/** Each row of a chunk as it was given. */
const GIVEN = `
  given AS MATERIALIZED (
    SELECT g.n, g.address, g.name, g.flag, g.attributes::jsonb AS attributes, g.tags::text[] AS tags, g.joined_at::timestamptz AS joined_at
    FROM unnest($1::text[], $2::text[], $3::text[], $4::text[], $8::text[], $9::text[]) WITH ORDINALITY AS g (address, name, attributes, joined_at, flag, tags, n)),`;

/**
 * The contact of each row, if it is one. They are looked up one by one in their index (OFFSET 0 keeps the planner from
 * hashing the whole table for it): a chunk costs the same whether the base has thousands or millions. `lookUpByIndex`
 * must come before.
 */
const LOOKED_UP = `
  known AS MATERIALIZED (
    SELECT g.*, c.id AS known_id, c.tags AS known_tags, c.erased_at IS NOT NULL AS erased, c.deliverability, s.state,
      c.erased_at IS NULL AND ((g.name IS NOT NULL AND g.name IS DISTINCT FROM c.name) OR NOT c.attributes @> coalesce(g.attributes, '{}') OR NOT c.tags @> coalesce(g.tags, '{}')) AS differs
    FROM given g LEFT JOIN LATERAL (SELECT * FROM contact WHERE address = g.address OFFSET 0) c ON true
    LEFT JOIN LATERAL (SELECT state FROM subscription WHERE contact_id = c.id AND list_id = $6::int OFFSET 0) s ON true),`;

/**
 * CTEs that end in `judged`: each row with the contact it is about and its outcome. $1 to $4 are columns, $5 the
 * import, $6 the list, $7 the brand, $8 the flags, $9 the tags, $10 the suspects. Suppression is matched as at sending
 * (exact, base, hash, domain), `marketing` and `everything` alike. A dry run reads this and nothing else, so that its
 * counts are those of the real run. Each suspect looks into the index of entries (OFFSET 0): joined as the planner
 * likes, all entries are read for each chunk, and with 500,000 of them a row took half as long again.
 */
const JUDGED = `
  applicable AS (
    SELECT l.id, l.exact, l.built_in FROM suppression_list l
    WHERE l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = $7::int) OR (l.scope = 'list' AND l.scope_id = $6::int)),
  entry AS NOT MATERIALIZED (
    SELECT e.value, e.kind, l.exact, l.built_in FROM suppression_entry e JOIN applicable l ON l.id = e.list_id
    WHERE ${inEffectSql()}),
  suspect AS MATERIALIZED (
    SELECT n, address, CASE WHEN strpos(address, '+') > 1 THEN ${baseAddressSql('address')} END AS base, split_part(address, '@', 2) AS domain
    FROM given WHERE $10::int[] IS NULL OR n = ANY ($10)),
  stopped_domain AS (
    SELECT DISTINCT d.domain FROM (SELECT value FROM entry WHERE kind = 'domain') e
    JOIN (SELECT DISTINCT domain FROM suspect) d
      ON d.domain = ltrim(e.value, '.') OR (left(e.value, 1) = '.' AND right(d.domain, length(e.value)) = e.value)),
  hashed AS MATERIALIZED (
    SELECT g.n, e.built_in = 'erasure' AS erasure
    FROM suspect g CROSS JOIN LATERAL (SELECT built_in FROM entry WHERE kind = 'hash' AND value = encode(sha256(convert_to(g.address, 'UTF8')), 'hex') OFFSET 0) e
    WHERE EXISTS (SELECT FROM entry WHERE kind = 'hash')),
  erased AS (SELECT n FROM hashed WHERE erasure),
  named AS (SELECT n, address, false AS by_base FROM suspect UNION ALL SELECT n, base, true FROM suspect WHERE base IS NOT NULL),
  suppressed AS MATERIALIZED (
    SELECT g.n FROM named g CROSS JOIN LATERAL (SELECT exact FROM entry WHERE kind = 'address' AND value = g.address OFFSET 0) e
    WHERE NOT (e.exact AND g.by_base)
    UNION SELECT g.n FROM suspect g JOIN stopped_domain d USING (domain)
    UNION SELECT n FROM hashed
    UNION SELECT k.n FROM known k WHERE k.erased OR k.deliverability = 'undeliverable'),
  judged AS NOT MATERIALIZED (
    SELECT k.*, CASE
        WHEN n IN (SELECT n FROM erased) THEN ${letter('refused:erased')}
        WHEN flag IS NOT NULL AND (known_id IS NULL OR flag = ANY ('{${REFUSED_LETTERS.join(',')}}')) THEN flag
        WHEN flag = ${letter('suppressed:left')} THEN flag
        WHEN n IN (SELECT n FROM suppressed) THEN ${letter('suppressed')}
        WHEN state = 'unsubscribed' THEN ${letter('suppressed:unsubscribed')}
        WHEN known_id IS NULL THEN ${letter('created')}
        WHEN state IS NULL OR differs THEN ${letter('updated')}
        ELSE ${letter('unchanged')} END AS outcome
    FROM known k)`;

// Ordered before they are put together: an ORDER BY within the aggregate sorts also what is in order.
const lettersOf = (rows: string): string =>
  `SELECT string_agg(outcome, '') AS letters FROM (SELECT outcome FROM ${rows} ORDER BY n) o`;

/** What would become of rows: one letter a row, in their order. Changes nothing. Within a transaction. */
export async function judgeImportRows(sql: Sql, rows: RowColumns, target: RowTarget): Promise<string> {
  await lookUpByIndex(sql);
  const [answer] = await rowsOf<{ letters: string | null }>(
    sql,
    `WITH ${GIVEN}${LOOKED_UP}${JUDGED}, import AS (SELECT $5::int) ${lettersOf('judged')}`,
    parameters(rows, target),
  );
  return answer!.letters ?? '';
}

/**
 * Takes rows into contacts and onto the list, journaled under a run, and answers one letter a row. A suppressed address
 * is kept as a contact and not subscribed. An import never lifts anything: who has left the list stays out, who is on
 * it stays as they are, who is erased does not come back.
 *  One statement; ids are drawn before inserting, so nothing is read back, and the journal takes the subscribed as a
 * set (apart by whether they joined just now, which is what Today counts as news). Plain INSERTs: ON CONFLICT DO
 * NOTHING was half as slow again. When another act brings in one of these people in the same instant, the unique key of
 * contact or subscription is violated; the caller rolls back and tries again, and then finds that person.
 */
export async function takeImportRows(
  sql: Sql,
  rows: RowColumns,
  target: RowTarget,
  runId: number,
  actor: string,
): Promise<string> {
  await lookUpByIndex(sql);
  const hasConsent = Boolean(rows.consentSources ?? rows.consentEvidence);
  const changes = [
    CREATED,
    SUBSCRIBED,
    ...(rows.tags ? [TAGGED] : []),
    UPDATED,
    DETAILED,
    ...(hasConsent ? [PROVEN] : []),
  ];
  const [answer] = await rowsOf<{ letters: string | null }>(
    sql,
    `WITH ${GIVEN}${LOOKED_UP}${JUDGED}, ${TAKEN}, ${changes.join(', ')} ${lettersOf('person')}`,
    [...parameters(rows, target), target.state, runId, actor, ...(hasConsent ? consentOf(rows) : [])],
  );
  return answer!.letters ?? '';
}

/**
 * Everybody who is or becomes a contact has an id. $11 is the state of new subscriptions, $12 the run, $13 the actor.
 */
const TAKEN = `person AS MATERIALIZED (
       SELECT n, address, name, attributes, tags, joined_at, outcome, known_id, known_tags, state, differs, CASE WHEN outcome = ANY ('{${TAKEN_LETTERS.join(',')}}') THEN coalesce(known_id, nextval('contact_id_seq')) END AS id FROM judged j),
     taken AS NOT MATERIALIZED (SELECT * FROM person WHERE id IS NOT NULL)`;

const CREATED = `created AS (
       INSERT INTO contact (id, address, name, attributes, joined_at, tags)
       SELECT id, address, name, coalesce(attributes, '{}'), coalesce(joined_at, now()), coalesce(tags, '{}') FROM taken WHERE known_id IS NULL)`;

const UPDATED = `updated AS (
       UPDATE contact c SET name = coalesce(t.name, c.name), attributes = c.attributes || coalesce(t.attributes, '{}'),
         tags = c.tags || ARRAY(SELECT u.tag FROM unnest(t.tags) u (tag) WHERE u.tag <> ALL (c.tags))
       FROM taken t WHERE c.id = ANY (ARRAY(SELECT known_id FROM taken WHERE differs)) AND c.id = t.known_id)`;

/** Ids that follow one another without a gap become one range before the ranges are put together. */
const SUBSCRIBED = `joining AS NOT MATERIALIZED (
       SELECT id, joined_at, coalesce(joined_at > now() - interval '1 day', true) AS just_now FROM taken WHERE state IS NULL AND outcome NOT IN (${letter('suppressed')}, ${letter('suppressed:left')})),
     subscribed AS (
       INSERT INTO subscription (contact_id, list_id, state, since, source)
       SELECT id, $6, $11, coalesce(joined_at, now()), 'import ' || $5::int FROM joining),
     noted AS (
       INSERT INTO journal (run_id, contacts, subject, subject_id, after, actor_kind, actor, cause)
       SELECT $12::int, range_agg(int8range(first, last, '[]')), 'subscription', $6, jsonb_build_object('state', $11::text, 'since', max(since)),
         'person', $13, jsonb_build_object('import', $5::int)
       FROM (SELECT just_now, min(id) AS first, max(id) AS last, max(coalesce(joined_at, now())) AS since
             FROM (SELECT *, id - row_number() OVER (PARTITION BY just_now ORDER BY id) AS stretch FROM joining) numbered GROUP BY just_now, stretch) s
       GROUP BY just_now)`;

const TAGGED = `tagged AS (
       INSERT INTO journal (run_id, contacts, subject, subject_id, after, actor_kind, actor, cause)
       SELECT $12::int, range_agg(int8range(t.id, t.id, '[]')), 'tag', hashtext(u.tag), jsonb_build_object('tag', u.tag), 'person', $13, jsonb_build_object('import', $5::int)
       FROM taken t, unnest(t.tags) u (tag) WHERE t.known_tags IS NULL OR u.tag <> ALL (t.known_tags) GROUP BY u.tag)`;

/** Names and attributes that change are journaled by contact with what they were, so that an undo can put them back. */
const DETAILED = `detailed AS (
       INSERT INTO journal (run_id, contact_id, subject, before, after, actor_kind, actor, cause)
       SELECT $12::int, c.id, 'details',
         CASE WHEN renamed THEN jsonb_build_object('name', c.name) ELSE '{}' END || jsonb_build_object('attributes', (SELECT coalesce(jsonb_object_agg(k, c.attributes->k), '{}') FROM jsonb_object_keys(t.attributes) k WHERE c.attributes->k IS DISTINCT FROM t.attributes->k)),
         CASE WHEN renamed THEN jsonb_build_object('name', t.name) ELSE '{}' END || jsonb_build_object('attributes', (SELECT coalesce(jsonb_object_agg(k, t.attributes->k), '{}') FROM jsonb_object_keys(t.attributes) k WHERE c.attributes->k IS DISTINCT FROM t.attributes->k)),
         'person', $13, jsonb_build_object('import', $5::int)
       FROM taken t CROSS JOIN LATERAL (SELECT id, name, attributes FROM contact WHERE id = t.known_id OFFSET 0) c
         CROSS JOIN LATERAL (SELECT t.name IS NOT NULL AND t.name IS DISTINCT FROM c.name AS renamed) r
       WHERE t.differs AND (renamed OR NOT c.attributes @> coalesce(t.attributes, '{}')))`;

/**
 * What the file says of consent is kept as the proof of the new subscriptions; $14 are the sources, $15 the evidence.
 */
const PROVEN = `proven AS (
       INSERT INTO sign_up (list_id, address, contact_id, name, state, way, source, agreed, at)
       SELECT $6, t.address, t.id, t.name, 'noted', 'import', p.source, coalesce(p.evidence, ''), coalesce(t.joined_at, now())
       FROM taken t JOIN unnest($14::text[], $15::text[]) WITH ORDINALITY p (source, evidence, n) USING (n)
       WHERE t.state IS NULL AND t.outcome NOT IN (${letter('suppressed')}, ${letter('suppressed:left')}) AND (p.source IS NOT NULL OR p.evidence IS NOT NULL))`;

function consentOf({ consentSources, consentEvidence }: RowColumns): (string | null)[] {
  return [consentSources, consentEvidence].map((column) => (column ? arrayText(column) : null));
}

function parameters(rows: RowColumns, target: RowTarget): unknown[] {
  const texts = [textArray(rows.addresses), rows.names && textArray(rows.names)];
  const columns = [rows.attributes, rows.joinedAt].map((column) => column && arrayText(column));
  const flags = rows.flags?.some((flag) => flag !== null) ? arrayText(rows.flags) : null;
  const tags = rows.tags ? arrayText(rows.tags) : null;
  // Rows of a chunk count from 1.
  const suspects = rows.suspects ? rows.suspects.map((place) => place + 1) : null;
  return [...texts, ...columns, target.importId, target.listId, target.brandId, flags, tags, suspects];
}

/**
 * Keeps the letters of a chunk of rows, which also says that the chunk is done, and moves the import's progress on.
 * Returns false when the import was cancelled meanwhile: the caller rolls back.
 */
export async function keepChunk(
  sql: Sql,
  importId: number,
  chunk: { firstRow: number; letters: string; counts: Record<string, number> },
): Promise<boolean> {
  const rows = await rowsOf(
    sql,
    `WITH kept AS (INSERT INTO import_chunk (import_id, first_row, letters) VALUES ($1, $2, $3) RETURNING import_id),
     moved AS (
       UPDATE import i SET rows_done = i.rows_done + length($3), counts = (
         SELECT jsonb_object_agg(key, n) FROM (
           SELECT key, sum(value::int) AS n FROM (SELECT * FROM jsonb_each_text(i.counts) UNION ALL SELECT * FROM jsonb_each_text($4::jsonb)) c GROUP BY key) s)
       FROM kept WHERE i.id = kept.import_id AND i.state <> 'cancelled' RETURNING i.id)
     SELECT id FROM moved`,
    [importId, chunk.firstRow, chunk.letters, JSON.stringify(chunk.counts)],
  );
  return rows.length > 0;
}

/** The chunks that are done: what an import that was interrupted does not do again. */
export async function listDoneChunks(sql: Sql, importId: number): Promise<DoneChunks> {
  const rows = await rowsOf<{ firstRow: number; rows: number }>(
    sql,
    `SELECT first_row AS "firstRow", length(letters) AS rows FROM import_chunk WHERE import_id = $1`,
    [importId],
  );
  return new Map(rows.map((chunk) => [chunk.firstRow, chunk.rows]));
}

/** Letters of the rows of one chunk, in their order: the first chunk that begins at `rowNo` or later. */
export async function findLetters(
  sql: Sql,
  importId: number,
  rowNo: number,
): Promise<{ firstRow: number; letters: string } | undefined> {
  const rows = await rowsOf<{ firstRow: number; letters: string }>(
    sql,
    `SELECT first_row AS "firstRow", letters FROM import_chunk WHERE import_id = $1 AND first_row >= $2 ORDER BY first_row LIMIT 1`,
    [importId, rowNo],
  );
  return rows[0];
}

/** Whether any row of an import has this outcome. */
export async function hasLetter(sql: Sql, importId: number, wanted: string): Promise<boolean> {
  const [row] = await rowsOf<{ any: boolean }>(
    sql,
    `SELECT EXISTS (SELECT FROM import_chunk WHERE import_id = $1 AND strpos(letters, $2) > 0) AS any`,
    [importId, wanted],
  );
  return row!.any;
}
