import { enteringCtes } from './entering.ts';
import { inEffectSql } from '../../core/eligibility/in-effect.ts';
import { mayEnd, standingOfState } from '../../core/consent/consent-table.ts';
import { ENDED_BY } from '../../shared/words.ts';
import { byIndexAlone } from '../database.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';
import { closeEndedEntries, leftSinceSql } from './suppression.ts';
import { subscriptionJson } from './subscriptions.ts';
import { keepTargets } from './run-work.ts';
import { pickedCte, selectionParameters, type Selection } from './selection.ts';

/** An act on many, with what it needs to know. Erasing goes person by person, and is not among them. */
export type ActOnMany =
  | { act: 'archive' | 'restore' }
  | { act: 'tag' | 'untag'; tag: string }
  | { act: 'suppress'; suppressionListId: number }
  | { act: 'unsubscribe'; brandId: number }
  | { act: 'ask'; listId: number; brandId: number }
  | { act: 'subscribe'; listId: number; brandId: number; state: 'subscribed' | 'pending' };

export interface SelectionCount {
  contacts: number;
  willChange: number;
  sample: { contactId: number; address: string; name: string | null }[];
}

const SAMPLE = 20;

/**
 * Makes those of a selection whom the act would change the targets of a run, and returns how many they are. Within a
 * transaction.
 */
export function keepActTargets(
  sql: Sql,
  runId: number,
  selection: Selection,
  act: ActOnMany | { act: 'erase' },
): Promise<number> {
  const { would, parameters } = actSql(act);
  const given = [...selectionParameters(selection), ...parameters];
  return keepTargets(sql, runId, pickedCte(selection), `SELECT p.id FROM picked p WHERE ${would}`, given);
}

/** How many a selection has, how many of them the act would change, and some of these. */
export async function countSelection(
  sql: Sql,
  selection: Selection,
  act: ActOnMany | { act: 'erase' },
): Promise<SelectionCount> {
  const { would, parameters } = actSql(act);
  const [row] = await rowsOf<SelectionCount>(
    sql,
    `WITH ${pickedCte(selection)}, changing AS MATERIALIZED (SELECT p.id, p.address, p.name FROM picked p WHERE ${would})
     SELECT (SELECT count(*)::int FROM picked) AS contacts, (SELECT count(*)::int FROM changing) AS "willChange",
       (SELECT coalesce(json_agg(json_build_object('contactId', s.id, 'address', s.address, 'name', s.name)), '[]') FROM (SELECT * FROM changing ORDER BY id LIMIT ${SAMPLE}) s) AS sample`,
    [...selectionParameters(selection), ...parameters],
  );
  return row!;
}

/** Puts those of a selection whom an act would change into the table `concerned (id)` of this transaction. */
export async function keepConcerned(sql: Sql, selection: Selection, act: ActOnMany | { act: 'erase' }): Promise<void> {
  const { would, parameters } = actSql(act);
  await execute(
    sql,
    `CREATE TEMP TABLE concerned ON COMMIT DROP AS WITH ${pickedCte(selection)} SELECT p.id FROM picked p WHERE ${would}`,
    [...selectionParameters(selection), ...parameters],
  );
  await execute(sql, 'ANALYZE concerned');
}

/**
 * Does it to a selection of a few or to a piece, journaled under the run, and returns how many it changed. Within a
 * transaction.
 */
export async function actOnMany(
  sql: Sql,
  selection: Selection,
  act: ActOnMany,
  reason: string,
  by: Act,
): Promise<number> {
  if (act.act === 'suppress') await closeEndedEntries(sql, act.suppressionListId);
  const { would, parameters, change } = actSql(act);
  const given = [...selectionParameters(selection), ...parameters];
  const at = (offset: number): string => `$${given.length + offset}`;
  const who: Who = { run: `${at(1)}::int`, actorKind: at(2), actor: `${at(3)}::text`, reason: `${at(4)}::text` };
  const [row] = await byIndexAlone(sql, () =>
    rowsOf<{ n: number }>(
      sql,
      `WITH ${pickedCte(selection)}, changing AS MATERIALIZED (SELECT p.* FROM picked p WHERE ${would} ORDER BY p.id), ${change(who)}
       SELECT count(*)::int AS n FROM changing`,
      [...given, by.runId, by.actorKind, by.actor, reason],
    ),
  );
  return row!.n;
}

/** Expressions for who does it, for whichever statement. */
interface Who {
  run: string;
  actorKind: string;
  actor: string;
  reason: string;
}

interface ActSql {
  /** Whether a `picked p` would change. Its own parameters begin with $14. */
  would: string;
  parameters: unknown[];
  /** CTEs that change the contacts of `changing` and journal it. */
  change: (who: Who) => string;
}

function actSql(act: ActOnMany | { act: 'erase' }): ActSql {
  switch (act.act) {
    case 'archive':
      return { would: 'p.archived_at IS NULL', parameters: [], change: archive };
    case 'restore':
      return { would: 'p.archived_at IS NOT NULL', parameters: [], change: restore };
    case 'tag':
      return { would: 'NOT p.tags @> ARRAY[$14::text]', parameters: [act.tag], change: tag };
    case 'untag':
      return { would: 'p.tags @> ARRAY[$14::text]', parameters: [act.tag], change: untag };
    case 'suppress':
      return { would: NOT_ON_LIST, parameters: [act.suppressionListId], change: suppress };
    case 'unsubscribe':
      return { would: ON_ANY_LIST, parameters: [act.brandId], change: unsubscribe };
    case 'ask':
      return { would: MAY_BE_ASKED, parameters: [act.listId, act.brandId], change: ask };
    case 'subscribe':
      return { would: MAY_BE_SUBSCRIBED, parameters: [act.listId, act.brandId, act.state], change: subscribe };
    case 'erase':
      return { would: 'true', parameters: [], change: () => '' };
  }
}

const NOTED = `INSERT INTO journal (run_id, contacts, subject, subject_id, after, actor_kind, actor, cause)`;
const NOTED_SINGLY = `INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)`;
const SET_OF_ALL = `range_agg(int8range(id, id, '[]'))`;
const by = (who: Who): string => `${who.actorKind}, ${who.actor}, jsonb_build_object('reason', ${who.reason})`;

const archive = (who: Who): string => `
  changed AS (UPDATE contact c SET archived_at = now() FROM changing p WHERE c.id = p.id),
  noted AS (
    ${NOTED} SELECT ${who.run}, ${SET_OF_ALL}, 'archive', 0, jsonb_build_object('archivedAt', now()), ${by(who)} FROM changing HAVING count(*) > 0)`;

/** Each with when they had been archived: they differ. Who was merged into another stands alone again. */
const restore = (who: Who): string => `
  changed AS (UPDATE contact c SET archived_at = NULL, merged_into = NULL FROM changing p WHERE c.id = p.id),
  noted AS (
    ${NOTED_SINGLY} SELECT ${who.run}, c.id, 'archive', 0, jsonb_build_object('archivedAt', c.archived_at, 'mergedInto', c.merged_into), NULL, ${by(who)}
    FROM changing p JOIN contact c ON c.id = p.id)`;

/** A tag's journal rows are told apart by a digest of it. */
const TAG_SUBJECT = `hashtext($14::text)`;

const tag = (who: Who): string => `
  changed AS (UPDATE contact c SET tags = array_append(c.tags, $14::text) FROM changing p WHERE c.id = p.id),
  noted AS (
    ${NOTED} SELECT ${who.run}, ${SET_OF_ALL}, 'tag', ${TAG_SUBJECT}, jsonb_build_object('tag', $14::text), ${by(who)} FROM changing HAVING count(*) > 0)`;

const untag = (who: Who): string => `
  changed AS (UPDATE contact c SET tags = array_remove(c.tags, $14::text) FROM changing p WHERE c.id = p.id),
  noted AS (
    ${NOTED_SINGLY} SELECT ${who.run}, id, 'tag', ${TAG_SUBJECT}, jsonb_build_object('tag', $14::text), NULL, ${by(who)} FROM changing)`;

/**
 * That somebody is on a list is looked up by who they are. Of a list that was just filled the server believes that it
 * has one row; finding people by the list it compared each of 10,000 with all 100,000 on it, for minutes. A sum with
 * nothing hides the list from its indexes.
 */
const NOT_ON_LIST = `NOT EXISTS (
  SELECT FROM suppression_entry e WHERE e.list_id + 0 = $14::int AND e.value = p.address AND ${inEffectSql()})`;

const suppress = (who: Who): string => enterChanging('$14::int', 'NULL', who);

/** CTEs that enter the addresses of `changing` on a list. Entries that have run out must have been closed before. */
function enterChanging(list: string, endedBy: string, who: Who): string {
  const rows = `SELECT ${list}, 'address', p.address, ${who.reason}, ${who.actor}, ${endedBy} FROM changing p`;
  return enteringCtes(', ended_by', rows, { ...who, cause: `jsonb_build_object('reason', ${who.reason})` });
}

const LISTS_OF_BRAND = `(SELECT id FROM list WHERE brand_id = $14::int)`;
const ON_ANY_LIST = `EXISTS (SELECT FROM subscription s WHERE s.contact_id = p.id AND s.list_id + 0 IN ${LISTS_OF_BRAND} AND s.state <> 'unsubscribed')`;

/** Off every list of the brand, and out of the brand: as when the person asks for no more, but it is not their word. */
const unsubscribe = (who: Who): string => `
  old AS (
    SELECT s.contact_id, s.list_id, s.state, s.since, s.ended_by FROM subscription s JOIN changing p ON p.id = s.contact_id
    WHERE s.list_id + 0 IN ${LISTS_OF_BRAND} AND s.state <> 'unsubscribed'),
  changed AS (
    UPDATE subscription s SET state = 'unsubscribed', since = now(), source = 'run ' || ${who.run}, ended_by = 'staff'
    FROM old o WHERE s.contact_id = o.contact_id AND s.list_id = o.list_id),
  noted AS (
    ${NOTED_SINGLY}
    SELECT ${who.run}, contact_id, 'subscription', list_id, ${subscriptionJson('o')}, jsonb_build_object('state', 'unsubscribed', 'since', now(), 'endedBy', 'staff'), ${by(who)} FROM old o),
  ${enterChanging(`(SELECT id FROM suppression_list WHERE built_in = 'opt-out' AND scope_id = $14::int)`, `'staff'`, who)}`;

/** Entries of a brand's own lists, which no act of staff passes over: a complaint, an opt-out, whoever entered it. */
const NEITHER_OPTED_OUT_NOR_COMPLAINED = `NOT EXISTS (
    SELECT FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id + 0
    WHERE e.value = p.address AND e.lifted_at IS NULL AND l.built_in IN ('complaint', 'opt-out') AND l.scope_id = $15::int)`;

/** Ways in which a subscription ended that staff may give back, as core/consent/consent-table says. */
const GIVEN_BACK_BY_STAFF = ENDED_BY.filter(
  (endedBy) => mayEnd(standingOfState('unsubscribed', endedBy)!, 'staff') === 'may',
)
  .map((endedBy) => `'${endedBy}'`)
  .join(', ');

/**
 * Whoever left, opted out or complained may not be put on a list by anybody but themselves; the archived are mailed
 * nothing. Who was taken off and has not left the brand since may be given it back.
 */
const MAY_BE_SUBSCRIBED = `p.archived_at IS NULL AND $16::text IS NOT NULL
  AND NOT EXISTS (SELECT FROM subscription s WHERE s.contact_id = p.id AND s.list_id + 0 = $14::int
    AND NOT (s.state = 'unsubscribed' AND s.ended_by IN (${GIVEN_BACK_BY_STAFF}) AND s.left_at IS NULL AND NOT ${leftSinceSql('p.id', '$15::int', 's.since')}))
  AND ${NEITHER_OPTED_OUT_NOR_COMPLAINED}`;

/**
 * Whoever waits on the list and is not asked already. What else speaks against writing to one of them is found when the
 * message is due.
 */
const MAY_BE_ASKED = `p.archived_at IS NULL
  AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = p.id AND s.list_id + 0 = $14::int AND s.state = 'pending')
  AND NOT EXISTS (SELECT FROM sign_up u WHERE u.address = p.address AND u.list_id + 0 = $14::int AND u.state = 'pending')
  AND NOT EXISTS (SELECT FROM contact c WHERE c.id = p.id AND c.deliverability = 'undeliverable')
  AND ${NEITHER_OPTED_OUT_NOR_COMPLAINED}`;

/** From then on they are as who signed up by the list's form: asked, reminded, let go. */
const ask = (who: Who): string => `
  changed AS (
    INSERT INTO sign_up (list_id, address, contact_id, name, state, way, agreed, at, next_message_at, expires_at)
    SELECT l.id, p.address, p.id, p.name, 'pending', 'asked', l.agreement, now(), now(), now() + make_interval(days => l.expire_days)
    FROM changing p, list l WHERE l.id = $14::int ON CONFLICT (address, list_id) WHERE state = 'pending' DO NOTHING),
  noted AS (
    ${NOTED} SELECT ${who.run}, ${SET_OF_ALL}, 'asking', $14::int, jsonb_build_object('list', (SELECT name FROM list WHERE id = $14::int)), ${by(who)} FROM changing HAVING count(*) > 0)`;

/** Who was taken off gets back the state that they had. */
const subscribe = (who: Who): string => `
  taken AS MATERIALIZED (
    SELECT s.contact_id, s.list_id, s.state, s.since, s.ended_by, coalesce((
      SELECT j.before->>'state' FROM journal j WHERE j.contact_id = s.contact_id AND j.subject = 'subscription' AND j.subject_id = s.list_id ORDER BY j.id DESC LIMIT 1), $16::text) AS had
    FROM changing p CROSS JOIN LATERAL (SELECT * FROM subscription WHERE contact_id = p.id AND list_id = $14::int) s),
  given_back AS (
    UPDATE subscription s SET state = t.had, since = now(), source = 'run ' || ${who.run}, ended_by = NULL FROM taken t WHERE s.contact_id = t.contact_id AND s.list_id = t.list_id),
  back_noted AS (
    ${NOTED_SINGLY} SELECT ${who.run}, contact_id, 'subscription', list_id, ${subscriptionJson('t')}, jsonb_build_object('state', had, 'since', now()), ${by(who)} FROM taken t),
  fresh AS (SELECT id FROM changing WHERE id NOT IN (SELECT contact_id FROM taken)),
  changed AS (
    INSERT INTO subscription (contact_id, list_id, state, since, source) SELECT id, $14::int, $16::text, now(), 'run ' || ${who.run} FROM fresh),
  noted AS (
    ${NOTED} SELECT ${who.run}, ${SET_OF_ALL}, 'subscription', $14::int, jsonb_build_object('state', $16::text, 'since', now()), ${by(who)} FROM fresh HAVING count(*) > 0)`;
