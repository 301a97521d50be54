import type { AutomatedFacts, AutomatedRule } from '../../core/rules/automated-address.ts';
import { rowsOf, type Sql } from '../sql.ts';
import type { Act } from './journal.ts';

export type AutomatedState = 'marked' | 'cleared' | 'person';

/** An address with a mark. */
export interface MarkedRow {
  contactId: number;
  address: string;
  name: string | null;
  archived: boolean;
  state: AutomatedState;
  decidedBy: string | null;
  since: Date;
  evidence: { because?: string };
}

export interface AutomatedRow {
  contactId: number;
  address: string;
  name: string | null;
  /** Null for one that was never marked. */
  state: AutomatedState | null;
  decidedBy: string | null;
  since: Date | null;
  evidence: { because?: string } | null;
  facts: AutomatedFacts;
}

/**
 * Contacts that are marked or may have to be, of those numbered after `after` and up to `upTo`, with what is on record
 * of them. Activity narrows them down, so that only the events of a few are read; uses event_by_contact.
 */
export async function listAutomatedCandidates(
  sql: Sql,
  rule: AutomatedRule,
  now: Date,
  after: number,
  upTo: number,
): Promise<AutomatedRow[]> {
  return rowsOf<AutomatedRow>(
    sql,
    `WITH totals AS (
       SELECT contact_id, sum(clicked_human + replied + visited + purchased)::int + count(last_confirmed_at)::int AS acts
       FROM activity WHERE contact_id > $4 AND contact_id <= $6 GROUP BY contact_id
       HAVING sum(clicked_any + opened_any - clicked_human - opened_human) >= $1::int OR sum(opened_any) > $2::int),
     candidate AS (
       SELECT contact_id FROM totals WHERE acts < $3::int UNION SELECT contact_id FROM automated_address WHERE state = 'marked' AND contact_id > $4 AND contact_id <= $6)
     SELECT c.id::float8 AS "contactId", c.address, c.name, m.state, m.decided_by AS "decidedBy", m.since, m.evidence,
       json_build_object('acts', coalesce(t.acts, 0), 'machineCampaigns', e.campaigns, 'opens', e.opens) AS facts
     FROM candidate x JOIN contact c ON c.id = x.contact_id AND c.erased_at IS NULL LEFT JOIN totals t ON t.contact_id = c.id
     LEFT JOIN automated_address m ON m.contact_id = c.id
     CROSS JOIN LATERAL (
       SELECT count(DISTINCT campaign_id) FILTER (WHERE actor = 'machine')::int AS campaigns,
         count(*) FILTER (WHERE kind = 'opened' AND actor <> 'unknown' AND occurred_at > $5)::int AS opens
       FROM event WHERE contact_id = c.id AND kind IN ('opened', 'clicked')) e
     WHERE e.campaigns >= $1::int OR e.opens > $2::int OR m.state = 'marked' ORDER BY c.id`,
    [rule.campaigns, rule.opens, rule.acts, after, new Date(now.getTime() - rule.days * 86_400_000), upTo],
  );
}

/** Marks as decided, and journals what changed. `decidedBy` is a person; null for the rule. */
export async function setAutomated(
  sql: Sql,
  changes: { contactId: number; state: AutomatedState; because: string }[],
  decidedBy: string | null,
  act: Act,
): Promise<number> {
  const rows = await rowsOf(
    sql,
    `WITH given AS (SELECT r."contactId" AS contact_id, r.state, r.because FROM json_to_recordset($1::json) AS r("contactId" bigint, state text, because text)),
     changing AS (
       SELECT g.*, m.state AS was, m.decided_by AS was_by FROM given g LEFT JOIN automated_address m USING (contact_id)
       WHERE m.state IS DISTINCT FROM g.state OR m.decided_by IS DISTINCT FROM $2::text),
     kept AS (
       INSERT INTO automated_address (contact_id, state, evidence, decided_by)
       SELECT contact_id, state, jsonb_build_object('because', because), $2 FROM changing ORDER BY 1
       ON CONFLICT (contact_id) DO UPDATE SET state = excluded.state, evidence = excluded.evidence, since = now(), decided_by = excluded.decided_by),
     noted AS (
       INSERT INTO journal (run_id, contact_id, subject, before, after, actor_kind, actor, cause)
       SELECT $3::int, contact_id, 'machine', CASE WHEN was IS NOT NULL THEN jsonb_build_object('state', was, 'decidedBy', was_by) END,
         jsonb_build_object('state', state, 'decidedBy', $2::text), $4, $5, jsonb_build_object('because', because) FROM changing)
     SELECT contact_id FROM changing`,
    [JSON.stringify(changes), decidedBy, act.runId, act.actorKind, act.actor],
  );
  return rows.length;
}

/** Addresses in a state with their evidence, by contact number after `after`. */
export async function listAutomated(
  sql: Sql,
  state: AutomatedState,
  after: number,
  limit: number,
): Promise<MarkedRow[]> {
  return rowsOf<MarkedRow>(
    sql,
    `SELECT c.id::float8 AS "contactId", c.address, c.name, m.state, m.decided_by AS "decidedBy", m.since, m.evidence, c.archived_at IS NOT NULL AS archived
     FROM automated_address m JOIN contact c ON c.id = m.contact_id WHERE m.state = $1 AND c.id > $2 ORDER BY c.id LIMIT $3`,
    [state, after, limit],
  );
}

/** How many addresses stand in each state of the mark. */
export async function countAutomated(sql: Sql): Promise<Record<AutomatedState, number>> {
  const rows = await rowsOf<{ state: AutomatedState; n: number }>(
    sql,
    `SELECT state, count(*)::int AS n FROM automated_address GROUP BY 1`,
  );
  return { marked: 0, cleared: 0, person: 0, ...Object.fromEntries(rows.map(({ state, n }) => [state, n])) };
}
