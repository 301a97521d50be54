import { ERASED } from '../../core/import/row-outcomes.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';

export interface ErasedPerson {
  id: number;
  address: string;
}

/**
 * What is to be found and removed of the people these contacts are, who are not erased yet: a row for each contact that
 * was merged into another of them, with each address that any of them has or had.
 */
export async function listErasable(sql: Sql, contactIds: number[]): Promise<ErasedPerson[]> {
  return rowsOf<ErasedPerson>(
    sql,
    `WITH RECURSIVE member AS (
       SELECT id AS root, id, merged_into FROM contact WHERE id = ANY($1::bigint[])
       UNION SELECT m.root, c.id, c.merged_into FROM member m JOIN contact c ON c.merged_into = m.id OR c.id = m.merged_into),
     known AS (
       SELECT m.root, c.address FROM member m JOIN contact c ON c.id = m.id WHERE c.erased_at IS NULL
       UNION SELECT m.root, s.address FROM member m JOIN journal j ON j.contact_id = m.id AND j.subject = 'address'
         CROSS JOIN LATERAL (VALUES (j.before->>'address'), (j.after->>'address')) s (address) WHERE s.address LIKE '%@%')
     SELECT DISTINCT c.id::float8 AS id, k.address FROM member m JOIN known k USING (root) JOIN contact c ON c.id = m.id
     WHERE c.erased_at IS NULL ORDER BY 1, 2`,
    [contactIds],
  );
}

/** Locks the contacts that are to be erased, so that nothing is recorded for them meanwhile. */
export async function lockToErase(sql: Sql, contactIds: number[]): Promise<void> {
  await execute(sql, `SELECT id FROM contact WHERE id = ANY($1::bigint[]) ORDER BY id FOR UPDATE`, [contactIds]);
}

/** Class of the advisory locks of erasing; 0 is the whole of it, another number a kept file. */
const ERASING_LOCKS = 73_006;

/** Waits until nobody else erases, and keeps others waiting until the transaction ends. */
export async function takeErasingTurn(sql: Sql): Promise<void> {
  await execute(sql, 'SELECT pg_advisory_xact_lock($1, 0)', [ERASING_LOCKS]);
}

/**
 * Waits until nobody else writes this import's kept file anew: who does reads what the other left, and loses nothing of
 * it.
 */
export async function lockKeptFile(sql: Sql, importId: number): Promise<void> {
  await execute(sql, 'SELECT pg_advisory_xact_lock($1, $2)', [ERASING_LOCKS, importId]);
}

/**
 * Removes people from every table, and leaves the digest of each address on the list of erasures, so that they stay
 * out. Counts, instants and kinds of events stay; what was said, from where, and by whom goes. Kept import files are
 * rewritten by the caller. Statements in order: what names an address is found before the address is gone.
 */
export async function erasePeople(sql: Sql, people: ErasedPerson[], actor: string): Promise<void> {
  if (people.length === 0) return;
  // A statement meets each contact once; who had several addresses comes again with the next.
  for (let left = people; left.length > 0;) {
    const once = new Map(left.map((person) => [person.id, person]));
    for (const statement of ERASURES) await execute(sql, statement, [JSON.stringify([...once.values()])]);
    left = left.filter((person) => once.get(person.id) !== person);
  }
  const given = [JSON.stringify(people)];
  await execute(
    sql,
    `WITH ${PEOPLE}
     INSERT INTO suppression_entry (list_id, kind, value, reason, source)
     SELECT DISTINCT l.id, 'hash', p.hash, 'erased', $2 FROM person p, suppression_list l WHERE l.built_in = 'erasure' ORDER BY 3
     ON CONFLICT (value, list_id) WHERE lifted_at IS NULL DO NOTHING`,
    [...given, actor],
  );
  await execute(
    sql,
    `WITH ${PEOPLE}
     UPDATE contact c SET address = '(erased ' || c.id || ')', name = NULL, attributes = '{}', tags = '{}', verdict = NULL, verdict_cause = NULL,
       deliverability_cause = NULL, archived_at = NULL, merged_into = NULL, erased_at = now()
     FROM person p WHERE c.id = p.id`,
    given,
  );
}

/**
 * With each address as a pattern that finds it and no longer one: `ana@…` is not in `hanna@…`. Before it may stand what
 * JSON writes a line end as.
 */
const PEOPLE = `person AS MATERIALIZED (
  SELECT r.id, r.address, encode(sha256(convert_to(r.address, 'UTF8')), 'hex') AS hash, encode(convert_to(r.address, 'UTF8'), 'escape') AS escaped,
    '(?:(?<![[:alnum:]._+-])|(?<=\\\\[bfnrt]))' || regexp_replace(r.address, '([^[:alnum:]@])', '\\\\\\1', 'g') || '(?![[:alnum:]-]|[.][[:alnum:]])' AS pattern
  FROM json_to_recordset($1::json) AS r(id bigint, address text))`;

/** A text without the person's address, wherever in it it stands. */
const without = (text: string): string =>
  `CASE WHEN strpos(lower(${text}), p.address) > 0 THEN regexp_replace(${text}, p.pattern, '${ERASED}', 'gi') ELSE ${text} END`;
/** What people wrote themselves, in JSON about the person: it may say anything. */
const cleaned = (column: string): string =>
  `CASE WHEN jsonb_typeof(${column}) = 'object' AND (${column} ?| '{reason,note,way,source}' OR strpos(lower(${column}::text), p.address) > 0) THEN (${without(`${column}::text`)})::jsonb || (
     SELECT coalesce(jsonb_object_agg(t.key, '${ERASED}'), '{}') FROM jsonb_each_text(${column}) t WHERE t.key IN ('reason', 'note') OR (t.key IN ('way', 'source') AND t.value LIKE 'asked %'))
   ELSE ${column} END`;
const says = (text: string): string => `(strpos(lower(${text}), p.address) > 0 AND ${text} ~* p.pattern)`;
/** Bytes of any kind as text: a message may hold any, and PostgreSQL's texts no NUL. */
const saysBytes = (bytes: string): string =>
  `(strpos(lower(encode(${bytes}, 'escape')), p.escaped) > 0 AND encode(${bytes}, 'escape') ~* p.pattern)`;
/** The codes of a server's reply, without its words. */
const codesOf = (reply: string): string =>
  `concat_ws(' ', substring(${reply} FROM '^[245][0-9]{2}(?:[ -][245][.][0-9]{1,3}[.][0-9]{1,3})?'), '${ERASED}')`;

const ERASURES = [
  // Journal rows of entries that were made before there was a contact hang on the entry alone.
  `WITH ${PEOPLE}
   UPDATE journal j SET before = ${cleaned('j.before')}, after = ${cleaned('j.after')}, cause = ${cleaned('j.cause')} FROM person p
   WHERE j.contact_id = p.id OR (j.subject = 'entry' AND j.subject_id IN (SELECT e.id FROM suppression_entry e WHERE e.value = p.address))`,
  `WITH ${PEOPLE} UPDATE journal j SET before = '{}', after = '{}' FROM person p WHERE j.contact_id = p.id AND j.subject = 'details'`,
  `WITH ${PEOPLE}
   UPDATE suppression_entry e SET lifted_at = now(), lifted_by = 'erasure', lift_kind = 'rule', lift_reason = 'stands there as a hash' FROM person p
   WHERE e.value = p.address AND e.lifted_at IS NULL AND EXISTS (SELECT FROM suppression_entry o WHERE o.value = p.hash AND o.list_id = e.list_id AND o.lifted_at IS NULL)`,
  `WITH ${PEOPLE}
   UPDATE suppression_entry e SET kind = 'hash', value = p.hash, reason = '${ERASED}', evidence = NULL, source = CASE WHEN e.source LIKE 'asked %' OR ${says('e.source')} THEN '${ERASED}' ELSE e.source END,
     lift_reason = CASE WHEN e.lift_reason IS NOT NULL THEN '${ERASED}' END
   FROM person p WHERE e.kind = 'address' AND e.value = p.address`,
  `WITH ${PEOPLE}
   UPDATE delivery d SET address = '${ERASED}', reply = CASE WHEN d.reply IS NOT NULL THEN ${codesOf('d.reply')} END FROM person p WHERE d.contact_id = p.id`,
  `WITH ${PEOPLE}
   UPDATE event e SET detail = CASE WHEN e.detail->>'way' LIKE 'asked %' THEN (e.detail - '{reply,userAgent,network,way}'::text[]) ELSE e.detail - '{reply,userAgent,network}'::text[] END
       || CASE WHEN e.detail ?| '{userAgent,network}' THEN '{"swept": true}'::jsonb ELSE '{}' END,
     external_id = CASE WHEN ${says('e.external_id')} THEN e.id::text ELSE e.external_id END FROM person p WHERE e.contact_id = p.id`,
  `WITH ${PEOPLE} UPDATE subscription s SET source = '${ERASED}' FROM person p WHERE s.contact_id = p.id`,
  `WITH ${PEOPLE}
   UPDATE sign_up s SET state = CASE WHEN s.state = 'pending' THEN 'turned-away' ELSE s.state END, because = '${ERASED}', next_message_at = NULL,
     address = '${ERASED}', name = NULL, network = NULL, source = NULL, confirmed_network = NULL, user_agent = NULL,
     agreed = CASE WHEN s.way = 'import' THEN '' ELSE s.agreed END FROM person p WHERE s.contact_id = p.id OR s.address = p.address`,
  `WITH ${PEOPLE}, hit AS MATERIALIZED (
     SELECT r.reconciliation_id, r.first_row, r.row_no, r.contact_id, min(p.hash) AS hash FROM (
       SELECT r.*, lower(concat_ws(' ', r.given, o.others)) AS says FROM reconciliation_row r
       LEFT JOIN reconciliation_other o USING (reconciliation_id, first_row, row_no) OFFSET 0) r
     JOIN person p ON r.contact_id = p.id OR r.address = p.address OR r.hash = p.hash OR strpos(r.says, p.address) > 0 GROUP BY 1, 2, 3, 4),
   counted AS (
     UPDATE reconciliation o SET known = o.known - n.known, contacts = o.contacts - n.contacts FROM (
       SELECT h.reconciliation_id, count(h.contact_id) AS known, count(DISTINCT h.contact_id) FILTER (WHERE NOT EXISTS (
         SELECT FROM reconciliation_row r WHERE r.reconciliation_id = h.reconciliation_id AND r.contact_id = h.contact_id
           AND r.row_no NOT IN (SELECT row_no FROM hit i WHERE i.reconciliation_id = h.reconciliation_id))) AS contacts
       FROM hit h GROUP BY 1) n
     WHERE o.id = n.reconciliation_id)
   UPDATE reconciliation_chunk k SET given = w.given, addresses = w.addresses, hashes = w.hashes, others = w.others, contact_ids = w.contact_ids FROM (
     SELECT r.reconciliation_id, r.first_row,
       array_agg(CASE WHEN h.hash IS NOT NULL THEN '${ERASED}' WHEN r.given IS DISTINCT FROM r.address THEN r.given END ORDER BY r.row_no) AS given,
       array_agg(CASE WHEN h.hash IS NULL THEN r.address END ORDER BY r.row_no) AS addresses,
       array_agg(coalesce(h.hash, r.hash) ORDER BY r.row_no) AS hashes,
       array_agg(CASE WHEN h.hash IS NULL THEN o.others END ORDER BY r.row_no) AS others,
       array_agg(CASE WHEN h.hash IS NULL THEN r.contact_id END ORDER BY r.row_no) AS contact_ids
     FROM reconciliation_row r LEFT JOIN hit h USING (reconciliation_id, first_row, row_no)
     LEFT JOIN reconciliation_other o USING (reconciliation_id, first_row, row_no)
     WHERE (r.reconciliation_id, r.first_row) IN (SELECT reconciliation_id, first_row FROM hit) GROUP BY 1, 2) w
   WHERE k.reconciliation_id = w.reconciliation_id AND k.first_row = w.first_row`,
  `WITH ${PEOPLE} DELETE FROM verification_row r USING person p WHERE r.address = p.address OR strpos(lower(r.given), p.address) > 0`,
  `WITH ${PEOPLE} DELETE FROM event_aside a USING person p WHERE a.address = p.address`,
  `WITH ${PEOPLE} DELETE FROM refused_value r USING person p WHERE r.value = p.address`,
  `WITH ${PEOPLE} DELETE FROM tries_in_hour r USING person p WHERE r.key = 'address ' || p.hash`,
  `WITH ${PEOPLE} UPDATE return_message m SET reading = (${without('m.reading::text')})::jsonb, because = ${without('m.because')}, envelope_to = ${without('m.envelope_to')}
   FROM person p WHERE m.contact_id IS DISTINCT FROM p.id AND (${says('m.reading::text')} OR ${says('m.because')} OR ${says('m.envelope_to')})`,
  `WITH ${PEOPLE}
   UPDATE return_message m SET because = '${ERASED}', reading = m.reading - 'asks_to_stop' || jsonb_build_object('because', '${ERASED}', 'message_id', NULL, 'token', NULL, 'recipients', (
     SELECT coalesce(jsonb_agg(r || '{"address": "${ERASED}", "text": "${ERASED}"}'), '[]') FROM jsonb_array_elements(m.reading->'recipients') r))
   FROM person p WHERE m.contact_id = p.id`,
  `WITH ${PEOPLE}
   DELETE FROM return_raw w USING person p
   WHERE w.digest IN (SELECT m.raw_digest FROM return_message m WHERE m.contact_id = p.id) OR ${saysBytes('w.raw')}`,
  `WITH ${PEOPLE} DELETE FROM idempotency i USING person p WHERE ${says('i.body::text')}`,
  `WITH ${PEOPLE} UPDATE run r SET reason = '${ERASED}' FROM person p WHERE ${says('r.reason')}`,
  // The reason of a run that was about nobody else is about them.
  `WITH ${PEOPLE}, own AS MATERIALIZED (
     SELECT j.run_id, min(j.contact_id) AS contact_id FROM person p JOIN journal j ON j.contact_id = p.id WHERE j.run_id IS NOT NULL GROUP BY 1)
   UPDATE run r SET reason = '${ERASED}' FROM own o
   WHERE r.id = o.run_id AND NOT EXISTS (SELECT FROM journal j WHERE j.run_id = o.run_id AND j.contact_id IS DISTINCT FROM o.contact_id)`,
];
