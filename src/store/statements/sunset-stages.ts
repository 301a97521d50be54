import type { SunsetPreview } from '../../shared/contract/rules.ts';
import { enteringCtes } from './entering.ts';
import type { SunsetRule } from '../../core/rules/sunset-ladder.ts';
import type { Stage } from '../../shared/words.ts';
import { rowsOf, type Sql } from '../sql.ts';
import { isCaughtUp } from './catching-up.ts';
import type { Act } from './journal.ts';
import { KEPT_MESSAGES } from './mailed.ts';
import { keepTargets } from './run-work.ts';

/** Whom a rule covers: all on the brand's lists, or those in the table `matching` of this transaction. */
export type Covered = 'all' | 'matching';

const LATEST_OF_ACT = {
  opened: 'a.last_opened_at',
  clicked: 'a.last_clicked_at',
  replied: 'a.last_replied_at',
  visited: 'a.last_visited_at',
  purchased: 'a.last_purchased_at',
  confirmed: 'a.last_confirmed_at',
} as const;

/** Where the messages of a silence are counted, and how far. */
export interface Counting {
  /**
   * `mailed` has everybody's in one row, which is right for many; the ledger has each of them, which is exact for a
   * few, and all there is until `mailed` has caught up.
   */
  in: 'mailed' | 'ledger';
  /** As many messages as anything asks for: of whoever has more in silence it may be said that they have as many. */
  most: number;
  /** The ledger is asked only about those who have been silent for so many days: whoever asks for less must say so. */
  leastDays: number;
}

/** For a few contacts: exact, however many messages they are. */
export const OF_FEW: Counting = { in: 'ledger', most: Infinity, leastDays: 0 };

/** For whole sets, as far as this rule asks, or conditions that ask for so many messages. */
export async function countingOfMany(sql: Sql, rule: SunsetRule, most = 0, leastDays = 0): Promise<Counting> {
  const asked = [most, rule.grace.messages, ...rule.steps.map(({ messages }) => messages)];
  return { in: (await isCaughtUp(sql, 'mailed')) ? 'mailed' : 'ledger', most: Math.max(...asked), leastDays };
}

/** Messages of marketing that reached somebody, of those whom `whose` names (a test on `d` and `s`), in the ledger. */
const inLedger = (counts: string, whose: string): string =>
  `SELECT ${counts} FROM delivery d JOIN campaign k ON k.id = d.campaign_id
    WHERE ${whose} AND k.brand_id = $1::int AND k.purpose = 'marketing' AND d.state = 'accepted' AND d.accepted_at IS NOT NULL AND d.bounced IS NULL`;
const HANDED_IN_SILENCE = 'coalesce(d.handed_at, d.accepted_at) > s.silent_since';

/**
 * CTE `reached`: `silence` with the messages `ever` and those in the silence. In `mailed` a message stands from when it
 * is handed over: those that nobody has answered yet are taken off, who are few; without a query of its own for each
 * contact, which no two processes would work at together. Of whoever has more than are kept, all of them in silence,
 * the ledger is asked where anything asks for more than are kept.
 */
function reachedCte(counting: Counting): string {
  if (counting.in === 'ledger')
    return `reached AS (
    SELECT s.*, coalesce(x.ever, 0) AS ever, coalesce(x.messages, 0) AS messages FROM silence s LEFT JOIN LATERAL (${inLedger(
      `count(*)::int AS ever, (count(*) FILTER (WHERE ${HANDED_IN_SILENCE}))::int AS messages`,
      'd.contact_id = s.contact_id',
    )}) x ON ${passedSince('s.silent_since', counting.leastDays)})`;
  const kept = `cardinality(m.at) - width_bucket(s.silent_since, m.at) - CASE WHEN w.handed_at IS NULL THEN 0 ELSE cardinality(w.handed_at) - width_bucket(s.silent_since, w.handed_at) END`;
  const messages =
    counting.most <= KEPT_MESSAGES
      ? kept
      : `CASE WHEN m.ever > ${KEPT_MESSAGES} AND m.at[1] > s.silent_since THEN (${inLedger('count(*)::int', `d.contact_id = s.contact_id AND ${HANDED_IN_SILENCE}`)}) ELSE ${kept} END`;
  return `on_their_way AS (
    SELECT d.contact_id, array_agg(d.handed_at ORDER BY d.handed_at) AS handed_at FROM delivery d JOIN campaign k ON k.id = d.campaign_id
    WHERE k.brand_id = $1::int AND k.purpose = 'marketing' AND d.state = 'claimed' AND d.handed_at IS NOT NULL AND d.bounced IS NULL GROUP BY 1),
  reached AS (
    SELECT s.*, coalesce(m.ever - coalesce(cardinality(w.handed_at), 0), 0) AS ever, coalesce(${messages}, 0) AS messages
    FROM silence s LEFT JOIN mailed m ON m.contact_id = s.contact_id AND m.brand_id = $1::int LEFT JOIN on_their_way w ON w.contact_id = s.contact_id)`;
}

/**
 * CTEs that end in `measured (contact_id, silent_since, silent_days, messages, ever, joined_at)` for contacts on the
 * brand's lists ($1 brand, $2 contacts or null for all). Counted are messages that were accepted and did not bounce, by
 * when they were handed over. Read once, it costs no more than what is read of it.
 */
export function measuredCtes(rule: SunsetRule, counting: Counting): string {
  const engaged = rule.engagingActs.map((act) => LATEST_OF_ACT[act]).join(', ');
  return `
  silence AS (
    SELECT c.id AS contact_id, c.joined_at, greatest(c.joined_at, ${engaged}, r.restarted_at) AS silent_since
    FROM contact c LEFT JOIN activity a ON a.contact_id = c.id AND a.brand_id = $1::int
    LEFT JOIN (
      SELECT e.value, max(e.lifted_at) AS restarted_at FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
      WHERE l.built_in = 'sunset' AND l.scope_id = $1::int AND e.lift_kind = 'person'
        AND ($2::bigint[] IS NULL OR e.value = ANY (ARRAY(SELECT address FROM contact WHERE id = ANY($2::bigint[])))) GROUP BY e.value) r ON r.value = c.address
    WHERE c.erased_at IS NULL AND ($2::bigint[] IS NULL OR c.id = ANY($2::bigint[]))
      AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = ANY (ARRAY(SELECT id FROM list WHERE brand_id = $1::int)))),
  ${reachedCte(counting)},
  measured AS (
    SELECT s.contact_id, s.silent_since, s.joined_at, s.messages, s.ever,
      greatest(0, floor(date_part('epoch', $3::timestamptz - s.silent_since) / 86400))::int AS silent_days
    FROM reached s)`;
}

/** Whether so many whole days have passed since an instant: compared, which costs less than counting them. */
const passedSince = (instant: string, days: number): string =>
  Number(days) === 0 ? 'true' : `${instant} <= $3::timestamptz - interval '${Number(days) * 24} hours'`;

/**
 * CTEs that end in `decided (contact_id, stage, silent_days, messages, current)` for the contacts that a brand's rule
 * covers: the twin of core/rules/sunset-ladder on sets, held to it by a differential test. Where the rule covers some
 * (`covered`), they stand in the table `matching`, and all others are `new`.
 */
export function decidedCtes(rule: SunsetRule, counting: Counting, covered: Covered = 'all'): string {
  const steps = [...rule.steps]
    .reverse()
    .map(
      (step) =>
        `WHEN ${passedSince('silent_since', step.days)} AND messages >= ${Number(step.messages)} THEN '${step.stage}'`,
    );
  return `${measuredCtes(rule, counting)},
  decided AS (
    SELECT m.contact_id, m.silent_since, m.silent_days, m.messages, cs.stage AS current, cs.since,
      CASE WHEN ${covered === 'all' ? '' : 'm.contact_id NOT IN (SELECT id FROM matching) OR '}NOT ${passedSince('joined_at', rule.grace.days)} OR ever < ${Number(rule.grace.messages)} THEN 'new' ${steps.join(' ')} ELSE 'engaged' END AS stage
    FROM measured m LEFT JOIN contact_stage cs ON cs.contact_id = m.contact_id AND cs.brand_id = $1::int)`;
}

export interface StageCount {
  from: Stage;
  to: Stage;
  contacts: number;
}

/** How many stand where now, and where the rule would put them. Nothing is written. */
export async function countStages(
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  now: Date,
  covered: Covered,
): Promise<StageCount[]> {
  return rowsOf<StageCount>(
    sql,
    `WITH ${decidedCtes(rule, await countingOfMany(sql, rule), covered)} SELECT coalesce(current, 'new') AS "from", stage AS "to", count(*)::int AS contacts FROM decided GROUP BY 1, 2 ORDER BY 1, 2`,
    [brandId, null, now],
  );
}

/**
 * Makes those whom the rule would move the targets of a run, and returns how many. Within the transaction that begins
 * it.
 */
export async function keepStageTargets(
  sql: Sql,
  runId: number,
  brandId: number,
  rule: SunsetRule,
  now: Date,
  covered: Covered,
): Promise<number> {
  const moving = `SELECT contact_id FROM decided WHERE stage <> coalesce(current, 'new')`;
  const ctes = decidedCtes(rule, await countingOfMany(sql, rule), covered);
  return keepTargets(sql, runId, ctes, moving, [brandId, null, now]);
}

export type StageMove = SunsetPreview['sample'][number];

export type SilenceBin = SunsetPreview['silence'][number];

/**
 * What a rule would do: how many stand where now and where it would put them, how long they are silent, and a sample.
 */
export interface StagesSurvey {
  counts: StageCount[];
  /** Contacts past the newcomer's grace by days of silence, in bins. */
  silence: SilenceBin[];
  /** Whom it would move, those to sunset first, longest silence first. */
  sample: StageMove[];
}

/**
 * Surveys what a rule would do, with `edges` as the lower ends of the bins of silence, rising, and a sample of `most`.
 * Everybody is decided once for all three. Nothing is written.
 */
export async function surveyStages(
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  now: Date,
  { edges, most }: { edges: number[]; most: number },
  covered: Covered,
): Promise<StagesSurvey> {
  const byDays = [...rule.steps]
    .reverse()
    .map((step) => `WHEN ${passedSince('silent_since', step.days)} THEN '${step.stage}'`);
  const [survey] = await rowsOf<StagesSurvey>(
    sql,
    `WITH ${decidedCtes(rule, await countingOfMany(sql, rule), covered)},
     counted AS (SELECT coalesce(current, 'new') AS "from", stage AS "to", count(*)::int AS contacts FROM decided GROUP BY 1, 2),
     placed AS (
       SELECT width_bucket(silent_days, $4::int[]) AS bin, count(*) FILTER (WHERE full_measure)::int AS silent, count(*) FILTER (WHERE NOT full_measure)::int AS unasked
       FROM (SELECT silent_days, stage = (CASE ${byDays.join(' ')} ELSE 'engaged' END) AS full_measure FROM decided WHERE stage <> 'new') d GROUP BY 1),
     moves AS (
       SELECT * FROM decided WHERE stage <> coalesce(current, 'new') ORDER BY stage = 'sunset' DESC, silent_days DESC, contact_id LIMIT $5)
     SELECT (SELECT coalesce(json_agg(n ORDER BY "from", "to"), '[]') FROM counted n) AS counts,
       (SELECT json_agg(json_build_object('from', e.edge, 'silent', coalesce(p.silent, 0), 'unasked', coalesce(p.unasked, 0)) ORDER BY e.edge)
        FROM unnest($4::int[]) WITH ORDINALITY AS e(edge, bin) LEFT JOIN placed p USING (bin)) AS silence,
       (SELECT coalesce(json_agg((
          SELECT json_build_object('contactId', c.id, 'address', c.address, 'name', c.name, 'from', coalesce(m.current, 'new'), 'to', m.stage, 'silentDays', m.silent_days, 'messages', CASE WHEN m.messages < ${KEPT_MESSAGES} THEN m.messages ELSE (${inLedger('count(*)', `d.contact_id = s.contact_id AND ${HANDED_IN_SILENCE}`)}) END)
          FROM contact c CROSS JOIN (SELECT m.contact_id, m.silent_since) s WHERE c.id = m.contact_id) ORDER BY m.stage = 'sunset' DESC, m.silent_days DESC, m.contact_id), '[]') FROM moves m) AS sample`,
    [brandId, null, now, edges, most],
  );
  return survey!;
}

/** One contact as the ladder sees it; nothing if the rule does not cover them. */
export async function findDecidedStage(
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  now: Date,
  contactId: number,
): Promise<{ stage: Stage; current: Stage; since: Date | null; silentDays: number; messages: number } | undefined> {
  const rows = await rowsOf<{ stage: Stage; current: Stage; since: Date | null; silentDays: number; messages: number }>(
    sql,
    `WITH ${decidedCtes(rule, OF_FEW)} SELECT stage, coalesce(current, 'new') AS current, since, silent_days AS "silentDays", messages FROM decided`,
    [brandId, [contactId], now],
  );
  return rows[0];
}

const ENTERING = enteringCtes(
  ', evidence',
  `SELECT $4::int, 'address', address, silent_days || ' days of silence, ' || messages || ' messages in it', 'sunset rule', cause
       FROM moving WHERE stage = 'sunset' ORDER BY address`,
  { run: '$5::int', actorKind: '$6', actor: '$7', cause: 'e.evidence' },
);

/**
 * Moves these contacts to the stage that the rule puts them at, journals it, enters those who come to sunset on the
 * brand's sunset list and lifts the entries of those who leave it. One statement; locks stages in order of contact.
 * Returns how many moved, by stage.
 *  A contact whom another act moved since this statement began to read is decided again: a run must not undo what a
 * click in that instant did. What an entry belongs to is looked up row by row: joined, the whole base was read for each
 * piece of a run. And by address, not by list (+ 0): how long the list has become the server does not know.
 */
export async function applyStages(
  sql: Sql,
  brandId: number,
  rule: SunsetRule,
  now: Date,
  contactIds: number[],
  sunsetListId: number,
  act: Act,
  covered: Covered = 'all',
): Promise<StageCount[]> {
  const counts = await rowsOf<StageCount & { overtaken: boolean }>(
    sql,
    `WITH ${decidedCtes(rule, OF_FEW, covered)},
     decision AS (
       SELECT d.*, coalesce(d.current, 'new') AS "from", c.address,
         jsonb_build_object('rule', 'sunset', 'silentDays', d.silent_days, 'messages', d.messages, 'from', coalesce(d.current, 'new')) AS cause
       FROM decided d JOIN contact c ON c.id = d.contact_id WHERE d.stage <> coalesce(d.current, 'new')),
     staged AS (
       INSERT INTO contact_stage (contact_id, brand_id, stage, since, cause)
       SELECT contact_id, $1::int, stage, $3::timestamptz, cause FROM decision ORDER BY contact_id
       ON CONFLICT (contact_id, brand_id) DO UPDATE SET stage = excluded.stage, since = excluded.since, cause = excluded.cause
         WHERE contact_stage.stage = excluded.cause->>'from'
       RETURNING contact_id),
     moving AS MATERIALIZED (SELECT d.* FROM decision d JOIN staged USING (contact_id)),
     ${ENTERING},
     leaving AS MATERIALIZED (
       SELECT m.contact_id, m.cause, (SELECT e.id FROM suppression_entry e WHERE e.value = m.address AND e.list_id + 0 = $4::int AND e.lifted_at IS NULL) AS entry_id
       FROM moving m WHERE m."from" = 'sunset' AND m.stage <> 'sunset'),
     lifted AS (
       UPDATE suppression_entry e SET lifted_at = now(), lifted_by = $7, lift_kind = 'rule', lift_reason = 'no longer at sunset'
       FROM leaving l WHERE e.id = l.entry_id AND e.lifted_at IS NULL RETURNING e.id, e.value, l.contact_id, l.cause),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, subject_id, before, after, actor_kind, actor, cause)
       SELECT $5::int, contact_id, 'stage', $1::int, jsonb_build_object('stage', "from", 'since', since), jsonb_build_object('stage', stage), $6, $7, cause FROM moving
       UNION ALL
       SELECT $5::int, e.contact_id, 'entry', e.id, jsonb_build_object('listId', $4::int, 'list', 'Sunset', 'value', e.value, 'inEffect', true),
         jsonb_build_object('listId', $4::int, 'list', 'Sunset', 'value', e.value, 'inEffect', false), $6, $7, e.cause
       FROM lifted e)
     SELECT d."from", d.stage AS "to", count(s.contact_id)::int AS contacts, count(*) > count(s.contact_id) AS overtaken
     FROM decision d LEFT JOIN staged s USING (contact_id) GROUP BY 1, 2 ORDER BY 1, 2`,
    [brandId, contactIds, now, sunsetListId, act.runId, act.actorKind, act.actor],
  );
  const moved = counts.filter((count) => count.contacts > 0).map(({ from, to, contacts }) => ({ from, to, contacts }));
  if (!counts.some((count) => count.overtaken)) return moved;
  return [...moved, ...(await applyStages(sql, brandId, rule, now, contactIds, sunsetListId, act, covered))];
}

/** Contacts of these that stand on a stage which an engagement would end. */
export async function findSilentContacts(sql: Sql, brandId: number, contactIds: number[]): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT contact_id::float8 AS id FROM contact_stage WHERE brand_id = $1 AND contact_id = ANY($2::bigint[]) AND stage IN ('fading', 'dormant', 'sunset')`,
    [brandId, contactIds],
  );
  return rows.map((row) => row.id);
}
