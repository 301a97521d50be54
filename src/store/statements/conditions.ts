import { inEffectSql } from '../../core/eligibility/in-effect.ts';
import type { ContactFacts, EventFact } from '../../core/conditions/evaluate.ts';
import { previewSql, type PreviewLine } from '../../core/conditions/preview-sql.ts';
import { conditionSql, firstMetSql, type ConditionContext, type Needs } from '../../core/conditions/sql.ts';
import type { Condition } from '../../core/conditions/tree.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { Stage } from '../../shared/words.ts';
import { baseAddressSql } from './eligibility.ts';
import { findHoldBack, keepMailable, keepMailableByAny, listSendingBrands, type SendingBrand } from './mailable.ts';
import { scoredCte, scoreJoin } from './scores.ts';
import { countingOfMany, measuredCtes, findDecidedStage, OF_FEW, type Counting } from './sunset-stages.ts';

/** Parameters that the CTE of silence takes; those of a condition come behind them. */
const SILENCE = 3;
/** Erased contacts have nothing left to ask for. The brand is $1 wherever a condition stands. */
const people = ({ needs }: Written, { score }: ConditionContext): string =>
  `contact c${needs.activity ? ' LEFT JOIN activity a ON a.contact_id = c.id AND a.brand_id = $1::int' : ''}${needs.stage ? ' LEFT JOIN contact_stage g ON g.contact_id = c.id AND g.brand_id = $1::int' : ''}${needs.score ? scoreJoin(score) : ''} WHERE c.erased_at IS NULL`;

interface Written {
  parameters: unknown[];
  needs: Needs;
}

/**
 * The CTEs that a written condition reads, and all its parameters. The dummy uses the three of silence, so that they
 * always have a type. Who may be mailed is worked out into a table beforehand, once a transaction.
 */
async function before(
  sql: Sql,
  { parameters, needs }: Written,
  context: ConditionContext,
  among: number[] | null = null,
): Promise<{ ctes: string; all: unknown[] }> {
  if (needs.mailable) await keepMailable(sql, brandOf(context), among);
  if (needs.mailableByAny) await keepMailableByAny(sql, among);
  const silence =
    needs.silence === null
      ? ''
      : `, ${measuredCtes(context.rule, await countingOf(sql, context, needs.silence, among))}`;
  const score = needs.score ? `, ${scoredCte(context.score, among === null ? null : '$2::bigint[]')}` : '';
  return {
    ctes: `WITH given AS (SELECT $1::int, $2::bigint[], $3::timestamptz)${silence}${score}`,
    all: [context.brandId, among, new Date(context.now), ...parameters],
  };
}

function countingOf(
  sql: Sql,
  { rule }: ConditionContext,
  { messages, leastDays }: NonNullable<Needs['silence']>,
  among: number[] | null,
): Promise<Counting> {
  return among === null ? countingOfMany(sql, rule, messages, leastDays) : Promise.resolve({ ...OF_FEW, leastDays });
}

/** The context's brand with its lists. */
function brandOf({ brandId, names }: ConditionContext): Pick<SendingBrand, 'id' | 'listIds'> {
  return { id: brandId, listIds: names.lists.map(({ id }) => id) };
}

/** Longer than this a statement of the transaction is stopped; 0 ends the limit. */
export async function limitCounting(sql: Sql, milliseconds: number): Promise<void> {
  await execute(sql, `SELECT set_config('statement_timeout', $1, true)`, [String(milliseconds)]);
}

/** How many contacts a condition matches. To be run within overWholeSet. */
export async function countMatching(sql: Sql, condition: Condition, context: ConditionContext): Promise<number> {
  const written = conditionSql(condition, context, SILENCE + 1);
  const { ctes, all } = await before(sql, written, context);
  const [row] = await rowsOf<{ n: number }>(
    sql,
    `${ctes} SELECT count(*)::int AS n FROM ${people(written, context)} AND ${written.text}`,
    all,
  );
  return row!.n;
}

/**
 * Puts those whom any of these conditions matches, of all or of a few, into a temporary table of this transaction, for
 * statements that build on them. Of all: to be run within overWholeSet.
 */
export async function keepMatching(
  sql: Sql,
  table: 'matching' | 'taken_in',
  conditions: readonly Condition[],
  context: ConditionContext,
  among: number[] | null = null,
): Promise<void> {
  const few = among === null ? undefined : '$2::bigint[]';
  const written = conditionSql({ kind: 'or', parts: conditions }, context, SILENCE + 1, few);
  const { ctes, all } = await before(sql, written, context, among);
  await execute(
    sql,
    `CREATE TEMP TABLE ${table} ON COMMIT DROP AS ${ctes} SELECT c.id FROM ${people(written, context)}${few ? ` AND c.id = ANY(${few})` : ''} AND ${written.text}`,
    all,
  );
  await execute(sql, `ANALYZE ${table}`);
}

/** Takes the table of keepMatching away again, for another of the same transaction. */
export async function forgetMatching(sql: Sql): Promise<void> {
  await execute(sql, 'DROP TABLE pg_temp.matching');
}

/** Conditions that are asked of one brand, each with its number. */
export interface NumberedConditions {
  context: ConditionContext;
  conditions: { by: number; condition: Condition }[];
}

/** The number of the first of these conditions that a contact meets, as SQL over what the conditions read. */
function placeOfFirst({ context, conditions }: NumberedConditions, few: string | null): Written & { text: string } {
  const first = firstMetSql(
    conditions.map(({ condition }) => condition),
    context,
    SILENCE + 1,
    few,
  );
  return { ...first, text: `(ARRAY[${conditions.map(({ by }) => Number(by)).join(', ')}])[${first.text}]` };
}

/**
 * Puts those who meet any of these conditions, with the number of the first, into the table `left_out` or `in_wave
 * (id, by)` of this transaction, for statements that build on it; some of them more than once, where the conditions are
 * of several brands. To be run within overWholeSet.
 */
export async function keepFirstMet(
  sql: Sql,
  table: 'left_out' | 'in_wave',
  numbered: readonly NumberedConditions[],
): Promise<void> {
  await execute(sql, `CREATE TEMP TABLE ${table} (id bigint NOT NULL, by int NOT NULL) ON COMMIT DROP`);
  for (const one of numbered) {
    // Of the brand before.
    await execute(sql, 'DROP TABLE IF EXISTS pg_temp.mailable');
    const written = placeOfFirst(one, null);
    const { ctes, all } = await before(sql, written, one.context);
    await execute(
      sql,
      `INSERT INTO ${table} ${ctes} SELECT id, by FROM (SELECT c.id, ${written.text} AS by FROM ${people(written, one.context)}) c WHERE by IS NOT NULL`,
      all,
    );
  }
  await execute(sql, `ANALYZE ${table}`);
}

/** Which of a few contacts any of these conditions leaves out, and which one does first; found by index. */
export async function findLeftOutAmong(
  sql: Sql,
  leavingOut: readonly NumberedConditions[],
  contactIds: number[],
): Promise<Map<number, number>> {
  const found = new Map<number, number>();
  for (const one of leavingOut) {
    const written = placeOfFirst(one, '$2::bigint[]');
    const { ctes, all } = await before(sql, written, one.context, contactIds);
    const rows = await rowsOf<{ id: number; by: number }>(
      sql,
      `${ctes} SELECT * FROM (SELECT c.id::float8 AS id, ${written.text} AS by FROM ${people(written, one.context)} AND c.id = ANY($2::bigint[])) c WHERE by IS NOT NULL`,
      all,
    );
    for (const { id, by } of rows) found.set(id, Math.min(by, found.get(id) ?? by));
  }
  return found;
}

export interface CountedLine extends PreviewLine {
  /** How many this part alone matches. */
  alone: number;
  /** How many are left, or have come together, with the parts before it in its chain. */
  after: number;
}

/** Every line of a condition with its counts, and how many contacts there are. To be run within overWholeSet. */
export async function countLines(
  sql: Sql,
  condition: Condition,
  context: ConditionContext,
): Promise<{ lines: CountedLine[]; contacts: number }> {
  const written = previewSql(condition, context, SILENCE + 1);
  const { ctes, all } = await before(sql, written, context);
  const [row] = await rowsOf<{ counts: number[]; contacts: number }>(
    sql,
    `${ctes} SELECT ARRAY[${written.counts}] AS counts, count(*)::int AS contacts
     FROM (SELECT ${written.leaves} FROM ${people(written, context)} OFFSET 0) b`,
    all,
  );
  const { counts, contacts } = row!;
  const lines = written.lines.map((line, index) => ({
    ...line,
    alone: counts[index]!,
    after: counts[index + written.lines.length]!,
  }));
  return { lines, contacts };
}

export interface MatchingContact {
  id: number;
  address: string;
  name: string | null;
  archived: boolean;
}

/** Some contacts that match, the same ones each time, from all over the base. To be run within overWholeSet. */
export async function sampleMatching(
  sql: Sql,
  condition: Condition,
  context: ConditionContext,
  limit: number,
): Promise<MatchingContact[]> {
  const written = conditionSql(condition, context, SILENCE + 2);
  const { ctes, all } = await before(sql, written, context);
  const [brand, none, now, ...own] = all;
  return rowsOf<MatchingContact>(
    sql,
    `${ctes} SELECT c.id::float8 AS id, c.address, c.name, c.archived_at IS NOT NULL AS archived FROM ${people(written, context)} AND ${written.text} ORDER BY hashint8(c.id), c.id LIMIT $4`,
    [brand, none, now, limit, ...own],
  );
}

/** How many of those who match may get marketing of the brand now. To be run within overWholeSet. */
export async function countMailable(sql: Sql, condition: Condition, context: ConditionContext): Promise<number> {
  await keepMatching(sql, 'matching', [condition], context);
  await keepMailable(sql, brandOf(context), null);
  const [row] = await rowsOf<{ n: number }>(sql, `SELECT count(*)::int AS n FROM matching JOIN mailable USING (id)`);
  return row!.n;
}

const MOST_DOMAINS = 10;

/** Those of the table `matching` by stage, and by domain, largest first. */
export async function breakDownMatching(
  sql: Sql,
  brandId: number,
): Promise<{ stages: { stage: Stage; contacts: number }[]; domains: { domain: string; contacts: number }[] }> {
  const stages = await rowsOf<{ stage: Stage; contacts: number }>(
    sql,
    `SELECT coalesce(s.stage, 'new') AS stage, count(*)::int AS contacts FROM matching m LEFT JOIN contact_stage s ON s.contact_id = m.id AND s.brand_id = $1 GROUP BY 1 ORDER BY 2 DESC`,
    [brandId],
  );
  const domains = await rowsOf<{ domain: string; contacts: number }>(
    sql,
    `SELECT split_part(c.address, '@', 2) AS domain, count(*)::int AS contacts FROM matching m JOIN contact c USING (id) GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT ${MOST_DOMAINS}`,
  );
  return { stages, domains };
}

/**
 * All that conditions can ask of one contact; what takes a statement of its own only where it is asked. Nothing for one
 * who is erased.
 */
export async function findContactFacts(
  sql: Sql,
  contactId: number,
  context: ConditionContext,
  asked: { mailable: boolean; mailableByAny: boolean; silence: boolean },
): Promise<ContactFacts | undefined> {
  const rows = await rowsOf<
    Omit<ContactFacts, 'silence' | 'heldBack' | 'mailableBy' | 'events'> & { events: EventFact[] }
  >(
    sql,
    `SELECT c.address, c.name, c.attributes, c.tags, (extract(epoch FROM c.joined_at) * 1000)::float8 AS "joinedAt", c.archived_at IS NOT NULL AS archived,
       EXISTS (SELECT FROM automated_address m WHERE m.contact_id = c.id AND m.state = 'marked') AS automated, c.deliverability, c.verdict,
       ARRAY(SELECT snapshot_id FROM snapshot_member m WHERE m.contact_id = c.id) AS snapshots,
       (SELECT stage FROM contact_stage g WHERE g.contact_id = c.id AND g.brand_id = $2) AS stage,
       (SELECT coalesce(json_agg(json_build_object('listId', s.list_id, 'state', s.state, 'since', extract(epoch FROM s.since) * 1000)), '[]') FROM subscription s WHERE s.contact_id = c.id) AS subscriptions,
       (SELECT coalesce(json_agg(json_build_object('listId', l.id, 'scope', l.scope, 'scopeId', l.scope_id)), '[]')
        FROM suppression_entry e JOIN suppression_list l ON l.id = e.list_id
        WHERE ${inEffectSql('$3')} AND (
          (e.kind = 'address' AND (e.value = c.address OR (strpos(c.address, '+') > 1 AND NOT l.exact AND e.value = ${baseAddressSql('c.address')})))
          OR (e.kind = 'hash' AND e.value = encode(sha256(convert_to(c.address, 'UTF8')), 'hex'))
          OR (e.kind = 'domain' AND (ltrim(e.value, '.') = split_part(c.address, '@', 2) OR (left(e.value, 1) = '.' AND right(c.address, length(e.value)) = e.value))))) AS entries,
       (SELECT coalesce(json_agg(json_build_object('kind', e.kind, 'at', extract(epoch FROM e.occurred_at) * 1000, 'actor', e.actor, 'brandId', e.brand_id, 'campaignId', e.campaign_id,
          'listIds', coalesce(k.list_ids, '{}'), 'detail', json_build_object('class', e.detail->>'class', 'url', e.detail->>'url', 'what', e.detail->>'what'))), '[]')
        FROM event e LEFT JOIN campaign k ON k.id = e.campaign_id WHERE e.contact_id = c.id) AS events
     FROM contact c WHERE c.id = $1 AND c.erased_at IS NULL`,
    [contactId, context.brandId, new Date(context.now)],
  );
  const [facts] = rows;
  if (!facts) return undefined;
  const decided = asked.silence
    ? await findDecidedStage(sql, context.brandId, context.rule, new Date(context.now), contactId)
    : undefined;
  const mailableBy: string[] = [];
  for (const brand of asked.mailableByAny ? await listSendingBrands(sql) : [])
    if ((await findHoldBack(sql, contactId, brand)) === null) mailableBy.push(brand.name);
  const heldBack = asked.mailable ? await findHoldBack(sql, contactId, brandOf(context)) : null;
  return { ...facts, silence: decided ?? null, heldBack, mailableBy };
}

const PROPOSED = 100;

/** The campaigns of a brand with these names, the latest of each, and some of the latest others. */
export async function findNamedCampaigns(
  sql: Sql,
  brandId: number,
  names: string[],
): Promise<{ id: number; name: string }[]> {
  return rowsOf<{ id: number; name: string }>(
    sql,
    `SELECT DISTINCT ON (name) id, name FROM (
       (SELECT id, name FROM campaign WHERE brand_id = $1 AND name = ANY($2::text[]))
       UNION (SELECT id, name FROM campaign WHERE brand_id = $1 ORDER BY id DESC LIMIT ${PROPOSED})) k ORDER BY name, id DESC`,
    [brandId, names],
  );
}

/** Suppression lists that apply to a brand: the organisation's, its own, and those of its lists. */
export async function findSuppressionNames(sql: Sql, brandId: number): Promise<{ id: number; name: string }[]> {
  return rowsOf<{ id: number; name: string }>(
    sql,
    `SELECT l.id, l.name FROM suppression_list l LEFT JOIN list s ON l.scope = 'list' AND s.id = l.scope_id
     WHERE l.scope = 'organisation' OR (l.scope = 'brand' AND l.scope_id = $1) OR s.brand_id = $1 ORDER BY l.id`,
    [brandId],
  );
}
